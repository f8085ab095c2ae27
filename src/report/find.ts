import type { FindReport } from '../core/find/find.js';
import type { TemplateShare } from '../core/page/templates.js';
import { count, firstFew, printable, shortened, type Style } from './text.js';

/** What was found, as text: how many and where, then each element with selectors for it. */
export function findText(report: FindReport, style: Style): string {
  const { colour } = style;
  const sought = report.selector ?? `"${report.words}"`;
  const lines: string[] = [];
  if (report.total === 0) {
    lines.push(`${colour.bold(printable(sought))} matches nothing on ${report.site}.`);
  } else {
    const where = report.pages
      .slice(0, 6)
      .map(({ path, elements }) => (elements === 1 ? path : `${path} (${elements})`));
    const { templates } = report;
    lines.push(
      `${colour.bold(printable(sought))} on ${report.site}: ${count(report.total, 'element')} on ${count(report.pages.length, 'page')}${templates.length > 0 && report.pages.length > 1 ? ` of ${count(templates.length, 'template')}` : ''}`,
    );
    if (report.pages.length <= where.length || templates.length === 0)
      lines.push(`  ${printable(firstFew([...where, ...report.pages.slice(6).map(({ path }) => path)], 6))}`);
    else lines.push(...templateLines(templates, style));
  }
  if (report.cutOff) lines.push(colour.amber('  The time limit ended the search early. Use --page PATH to narrow it.'));
  if (report.shadow) {
    const { page, host, elements } = report.shadow;
    lines.push(
      `  ${colour.cyan('→')} ${count(elements, 'element')} in the shadow tree of <${printable(host)}> on ${printable(page)}, which the selectors of a page do not reach. Style a part of it that has a name with ${printable(host)}::part(name).`,
    );
  }
  for (const { selector, elements, why, page } of report.nearMisses)
    lines.push(
      `  ${colour.cyan('→')} ${printable(selector)} matches ${count(elements, 'element')} on ${printable(page)}${why ? ` (${why})` : ''}`,
    );
  if (report.page !== null) {
    const here = report.pages.find(({ path }) => path === report.page)?.elements ?? report.elements.length;
    lines.push(
      '',
      `On ${colour.bold(printable(report.page))}${here > report.elements.length ? `, the first ${report.elements.length} of ${here}` : ''}, with selectors that match only ${report.elements.length > 1 ? 'that element' : 'it'} there:`,
    );
  }
  for (const { place, words, proposals } of report.elements) {
    lines.push('', `  ${printable(place)}${words ? `  ${colour.dim(`"${printable(words)}"`)}` : ''}`);
    const width = Math.min(60, Math.max(0, ...proposals.map(({ selector }) => selector.length)));
    for (const { selector, otherPages, reason } of proposals) {
      const also = otherPages > 0 ? `also on ${count(otherPages, 'other page')}` : 'on no other page';
      lines.push(`    ${colour.green(shortened(printable(selector), 80).padEnd(width))}  ${also}; ${reason}`);
    }
    if (proposals.length === 0) lines.push('    no selector matches only this element');
  }
  return lines.join('\n');
}

/** Templates shown by an example each. */
const mostTemplates = 6;

/** An example of each template, and how many more pages of it there are. */
function templateLines(templates: TemplateShare[], { colour }: Style): string[] {
  const lines = templates.slice(0, mostTemplates).map(({ template, pages: [example = '', ...more] }) => {
    const rest = more.length > 0 ? colour.dim(`  and ${more.length} more of ${printable(template)}`) : '';
    return `  ${printable(example)}${rest}`;
  });
  const left = templates.length - mostTemplates;
  return left > 0 ? [...lines, colour.dim(`  and pages of ${count(left, 'more template')}`)] : lines;
}
