import { findingAddress, type Finding } from '../core/finding.js';
import type { Difference } from '../core/check/browser-verdicts.js';
import type { Cell, CheckReport, Variation, Verdict } from '../core/check/verdict.js';
import { count, firstFew, printable, table, type Style } from './text.js';

/** A check's report as text: the table of rules against pages, the findings, and the totals. `pagesShown`: pages named in a row. */
export function checkText(report: CheckReport, style: Style, pagesShown = 2): string {
  const { colour } = style;
  const rows = report.rules.flatMap((rule) => {
    if (rule.status !== 'active')
      return [
        [colour.dim(rule.rule), colour.dim(pagesText(rule.pages, report, pagesShown)), colour.dim(rule.status), ''],
      ];
    const groups = groupCells(report.cells.filter((cell) => cell.rule === rule.rule));
    if (groups.length === 0) return [[rule.rule, colour.red('no page'), '', '']];
    return groups.map(({ pages, cell }, index) => [
      index === 0 ? rule.rule : '',
      pagesText(pages, report, pagesShown),
      verdictText(cell.verdict, style),
      actionsText(cell, style),
    ]);
  });
  const lines = [
    `${colour.bold(report.site)}: ${count(report.totals.rules, 'rule')}, ${count(report.totals.pages, 'page')}, at ${report.viewport}`,
    '',
    rows.length > 0
      ? table(['rule', 'pages', 'verdict', 'elements'], rows, style, [24, 36, 8])
      : '  There are no rules yet. local-needle init writes an example.',
    '',
    ...variationLines(report, style),
    ...findingsText(report.findings, style),
    ...(report.findings.length > 0 ? [colour.dim(explainedAt(report.findings))] : []),
    totalsText(report, style),
  ];
  return lines.join('\n');
}

/** Where it stands what each of the findings means, and what to do. */
const explainedAt = (findings: Finding[]) => {
  const [first = '', ...others] = new Set(findings.map(({ code }) => findingAddress(code)));
  return `What they mean: ${[first, ...others.map((each) => each.replace(/^.*#/, '#'))].join(', ')}`;
};

/** What a check came to, in a line. */
export function totalsText({ cells, totals: { errors, warnings } }: CheckReport, { colour }: Style): string {
  const verdicts = [...new Set(cells.map(({ verdict }) => verdict))].map(
    (verdict) => `${cells.filter((cell) => cell.verdict === verdict).length} ${verdict}`,
  );
  return `${count(cells.length, 'cell')}${verdicts.length > 0 ? `: ${verdicts.join(', ')}` : ''}. ${errors > 0 ? colour.red(count(errors, 'error')) : 'No errors'}, ${warnings > 0 ? colour.yellow(count(warnings, 'warning')) : 'no warnings'}.`;
}

/** Where verdicts vary by viewport, and where a browser's differ from the static ones. */
function variationLines(
  report: CheckReport & { variations?: Variation[]; differences?: Difference[] },
  style: Style,
): string[] {
  const lines: string[] = [];
  const { variations, differences } = report;
  const told = (title: string, rows: [where: string, what: string][]) =>
    lines.push(style.colour.bold(title), ...rows.map(([where, what]) => `  ${printable(where)}: ${what}`), '');
  const where = ({ rule, page }: { rule: string; page: string }) => `${rule} on ${page}`;
  if (variations?.length === 0) lines.push('Every verdict is the same at all viewports.', '');
  else if (variations)
    told(
      'Verdicts that vary by viewport',
      variations.map((each) => [
        where(each),
        Object.entries(each.verdicts)
          .map(([viewport, verdict]) => `${viewport} ${verdictText(verdict, style)}`)
          .join(', '),
      ]),
    );
  if (differences?.length === 0) lines.push('Chromium judged every cell, and agrees with the static check.', '');
  else if (differences)
    told(
      'Judged by Chromium; the static check said otherwise',
      differences.map((each) => [
        where(each),
        `${verdictText(each.browser, style)}, statically ${verdictText(each.static, style)}`,
      ]),
    );
  return lines;
}

/** Pages on which a rule does the very same are one row. */
export function groupCells(cells: Cell[]): { pages: string[]; cell: Cell }[] {
  const groups = new Map<string, { pages: string[]; cell: Cell }>();
  for (const cell of cells) {
    const key = JSON.stringify([cell.verdict, cell.actions]);
    const group = groups.get(key);
    if (group) group.pages.push(cell.page);
    else groups.set(key, { pages: [cell.page], cell });
  }
  return [...groups.values()];
}

function pagesText(pages: string[], report: CheckReport, shown: number): string {
  if (pages.length === report.totals.pages && pages.length > 1 && Number.isFinite(shown))
    return `all ${count(pages.length, 'page')}`;
  if (pages.length <= shown) return pages.map(printable).join('\n');
  return [...pages.slice(0, shown).map(printable), `and ${pages.length - shown} more`].join('\n');
}

/** A verdict in its colour. */
export function verdictText(verdict: Verdict, { colour }: Style): string {
  const colours: Record<Verdict, (text: string) => string> = {
    hit: colour.green,
    partial: colour.yellow,
    overridden: colour.red,
    'no-effect': colour.yellow,
    'no-match': colour.red,
    pending: colour.cyan,
    unjudged: colour.cyan,
  };
  return colours[verdict](verdict);
}

function actionsText(cell: Cell, { colour }: Style): string {
  return cell.actions
    .map(({ action, selector, elements, pairs, won }) => {
      if (action === 'script' || action === 'stylesheet') return action;
      return `${elements > 0 ? elements : cell.verdict === 'pending' ? colour.cyan('0') : colour.red('0')} × ${action} ${printable(selector)}${won < pairs ? colour.red(`, ${won} of ${pairs} won`) : ''}`;
    })
    .join('\n');
}

/** Findings of one place and code, to be told once with their pages. */
export function groupFindings(findings: Finding[]): Finding[][] {
  const groups = new Map<string, Finding[]>();
  for (const each of findings) {
    const message = each.page ? each.message.replaceAll(each.page, '…') : each.message;
    const key = JSON.stringify([each.code, each.rule, each.at, message]);
    groups.set(key, [...(groups.get(key) ?? []), each]);
  }
  return [...groups.values()];
}

/** Findings of one place and code are told once, with their pages. */
export function findingsText(findings: Finding[], style: Style): string[] {
  const { colour } = style;
  return groupFindings(findings).flatMap((group) => {
    const [first] = group;
    if (!first) return [];
    const { code, level, rule, at, message } = first;
    const head = level === 'error' ? colour.red('error') : colour.yellow('warning');
    const where = at ? `${at.file}:${at.line}:${at.column}` : '';
    const others = group.slice(1).flatMap(({ page }) => page ?? []);
    const hints = [...new Set(group.flatMap(({ hint }) => hint ?? []))];
    return [
      `${head} ${colour.bold(code)}  ${where}${rule ? `  ${rule}` : ''}`,
      `  ${printable(message)}.`.replace(/\.\.$/, '.'),
      ...(others.length > 0 ? [`  the same on ${printable(firstFew(others, 3))}`] : []),
      ...hints.slice(0, 2).map((hint) => `  ${colour.cyan('→')} ${printable(hint)}`),
      '',
    ];
  });
}
