import type { CompareReport } from '../core/compare/compare.js';
import { count, firstFew, printable, type Style } from './text.js';

/** How two sites differ, as text: what breaks rules first. */
export function compareText(report: CompareReport, { colour }: Style): string {
  const [here, there] = report.sites;
  const lines = [`${colour.bold(here)} and ${colour.bold(there)}`, ''];
  const named = ({ missing }: CompareReport['rules'][number], list: string[]) =>
    list.map((path) => (missing.includes(path) ? `${path} (missing on the other)` : path));
  const paths = (list: string[]) => printable(firstFew(list, 6));
  if (report.rules.length === 0) lines.push('Every rule targets the same pages and works on both.');
  else
    lines.push(
      colour.bold(
        `${count(report.rules.length, 'rule')} that ${report.rules.length === 1 ? 'does' : 'do'} not work the same on both`,
      ),
    );
  for (const rule of report.rules) {
    lines.push(`  ${colour.amber(rule.rule)}  ${printable(rule.file)}:${rule.line}`);
    if (rule.pagesOnA.length > 0) lines.push(`    only on ${here}: ${paths(named(rule, rule.pagesOnA))}`);
    if (rule.pagesOnB.length > 0) lines.push(`    only on ${there}: ${paths(named(rule, rule.pagesOnB))}`);
    for (const { page, selector, here: inHere, there: inThere } of rule.hits.slice(0, 4)) {
      lines.push(
        `    ${printable(selector)} on ${printable(page)}: ${count(inHere, 'element')} on ${here}, ${inThere} on ${there}`,
      );
    }
    if (rule.instead) lines.push(`    ${colour.cyan('→')} ${printable(rule.instead)} works on both.`);
  }
  lines.push('', colour.bold('Pages'));
  lines.push(`  only on ${here}: ${report.onlyOnA.length > 0 ? paths(report.onlyOnA) : 'none'}`);
  lines.push(`  only on ${there}: ${report.onlyOnB.length > 0 ? paths(report.onlyOnB) : 'none'}`);
  if (report.otherIds.length > 0) {
    const shown = report.otherIds
      .slice(0, 3)
      .map(
        ({ path, here: a, there: b }) =>
          `${printable(path)} has ${printable(a ?? 'none')} and ${printable(b ?? 'none')}`,
      );
    lines.push(
      `  with another page ID: ${report.otherIds.length} (${shown.join(', ')}${report.otherIds.length > 3 ? ', …' : ''})`,
    );
  } else lines.push('  with another page ID: none');
  return lines.join('\n');
}
