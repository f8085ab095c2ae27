import type { Finding } from '../core/finding.js';
import { isFailedInBrowser, type Difference } from '../core/check/browser-verdicts.js';
import type { Cell, CheckReport, Variation, Verdict } from '../core/check/verdict.js';
import { byTemplate, type Template } from '../core/page/templates.js';
import { mapLines } from './map-text.js';
import { count, firstFew, printable, table, wrapped, type Column, type Style } from './text.js';

const checkColumns: Column[] = [
  { title: 'rule' },
  { title: 'pages' },
  { title: 'verdict' },
  { title: 'elements', shorten: 20 },
];

/**
 * A check's report as text: the table of rules against pages, the findings, and the totals. `pagesShown`: pages named in a
 * row of a terminal; elsewhere each page has a row. `quiet`: without the table.
 */
export function checkText(
  report: CheckReport,
  style: Style,
  {
    pagesShown = 1,
    quiet = false,
    narrowed = false,
    templates = () => [],
  }: { pagesShown?: number; quiet?: boolean; narrowed?: boolean; templates?: () => readonly Template[] } = {},
): string {
  const { colour } = style;
  const { rules, pages } = report.totals;
  const lines = [
    `${colour.bold(report.site)}: ${count(rules, 'rule')}, ${count(pages, 'page')}, at ${report.viewport}`,
    '',
    ...(quiet ? [] : [cellsTable(report, style, pagesShown, narrowed, templates), '']),
    ...(quiet || narrowed ? [] : mapLines(report, style)),
    ...variationLines(report, style),
    ...findingsText(report.findings, style),
    ...findingsText(report.notes, style),
    ...(report.findings.length > 0 ? [colour.dim(wrapped(explainedBy(report.findings), style))] : []),
    wrapped(totalsText(report, style), style),
  ];
  return lines.join('\n');
}

function cellsTable(
  report: CheckReport,
  style: Style,
  pagesShown: number,
  narrowed: boolean,
  templates: () => readonly Template[],
): string {
  const { colour, width } = style;
  if (report.rules.length === 0)
    return narrowed ? '  No rule targets this.' : '  There are no rules yet. local-needle add NAME writes one.';
  const rows = report.rules.flatMap((rule) => {
    if (rule.status !== 'active')
      return [
        [colour.dim(rule.rule), colour.dim(pagesText(rule.pages, report, pagesShown)), colour.dim(rule.status), ''],
      ];
    const cells = report.cells.filter((cell) => cell.rule === rule.rule);
    if (cells.length === 0) return [[rule.rule, colour.red('no page'), '', '']];
    const groups = Number.isFinite(width) ? groupCells(cells) : cells.map((cell) => ({ pages: [cell.page], cell }));
    return groups.map(({ pages, cell }) => [
      rule.rule,
      `${pagesText(pages, report, pagesShown)}${templatesText(pages, templates)}`,
      verdictText(cell.verdict, style),
      actionsText(cell, style),
    ]);
  });
  return table(checkColumns, rows, style);
}

/** How to read what each of the findings means, and what to do. */
const explainedBy = (findings: Finding[]) =>
  `What a finding means: local-needle explain ${[...new Set(findings.map(({ code }) => code))].join(', ')}`;

/** The totals of a check, in one line. */
export function totalsText({ cells, accepted, totals: { errors, warnings } }: CheckReport, { colour }: Style): string {
  const verdicts = [...new Set(cells.map(({ verdict }) => verdict))].map(
    (verdict) => `${cells.filter((cell) => cell.verdict === verdict).length} ${verdict}`,
  );
  return `${count(cells.length, 'cell')}${verdicts.length > 0 ? `: ${verdicts.join(', ')}` : ''}. ${errors > 0 ? colour.red(count(errors, 'error')) : 'No errors'}, ${warnings > 0 ? colour.amber(count(warnings, 'warning')) : 'no warnings'}${accepted > 0 ? `, ${accepted} accepted` : ''}.`;
}

/** Verdicts that vary by viewport, and browser verdicts that differ from the static ones. */
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
  const failed = [...new Set(report.cells.filter(isFailedInBrowser).map(({ page }) => page))];
  if (differences?.length === 0 && !(failed.length > 0 && report.cells.every(isFailedInBrowser)))
    lines.push(
      failed.length === 0
        ? 'Chromium judged every cell, and agrees with the static check.'
        : 'Chromium agrees with the static check on the pages that it judged.',
      '',
    );
  else if (differences && differences.length > 0)
    told(
      'Judged by Chromium; the static check said otherwise',
      differences.map((each) => [
        where(each),
        `${verdictText(each.browser, style)}, statically ${verdictText(each.static, style)}`,
      ]),
    );
  if (failed.length > 0) lines.push(`Not judged by Chromium, so not sure: ${printable(firstFew(failed, 5))}`, '');
  return lines;
}

/** Pages with the same result are one row. */
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

/** Pages of a row from which on it tells of how many templates they are. */
const fewestForTemplates = 3;

const templatesText = (pages: string[], templates: () => readonly Template[]) => {
  if (pages.length < fewestForTemplates) return '';
  const own = byTemplate(pages, templates()).length;
  return own > 1 ? `, of ${own} templates` : '';
};

function pagesText(pages: string[], report: CheckReport, shown: number): string {
  if (pages.length === report.totals.pages && pages.length > 1 && Number.isFinite(shown))
    return `all ${count(pages.length, 'page')}`;
  return printable(firstFew(pages, shown));
}

/** A verdict in its colour. */
export const verdictText = (verdict: Verdict, style: Style): string => verdictColour(verdict, style)(verdict);

/** What paints a verdict. */
export function verdictColour(verdict: Verdict, { colour }: Style): (text: string) => string {
  const colours: Record<Verdict, (text: string) => string> = {
    hit: colour.green,
    partial: colour.amber,
    overridden: colour.red,
    'no-effect': colour.amber,
    'no-match': colour.red,
    pending: colour.cyan,
    unjudged: colour.cyan,
  };
  return colours[verdict];
}

function actionsText(cell: Cell, { colour }: Style): string {
  return cell.actions
    .map(({ action, selector, elements, pairs, won }) => {
      if (action === 'script' || action === 'stylesheet') return action;
      return `${elements > 0 ? elements : cell.verdict === 'pending' ? colour.cyan('0') : colour.red('0')} × ${action} ${printable(selector)}${won < pairs ? colour.red(`, ${won} of ${pairs} won`) : ''}`;
    })
    .join('; ');
}

/** Findings that differ only in their page or their rule, to be reported once. */
export function groupFindings(findings: Finding[]): Finding[][] {
  const groups = new Map<string, Finding[]>();
  for (const each of findings) {
    // The address first: the page / is a part of every one.
    const own = [each.address ?? null, each.rule && `"${each.rule}"`, each.page].filter((name) => name !== null);
    const bare = (text: string) => own.reduce((rest, name) => rest.replaceAll(name, '…'), text);
    // Findings about a page of a rule stay apart by their place, so that each can be gone to.
    const key = JSON.stringify([
      each.code,
      bare(each.message),
      bare(each.hint ?? ''),
      each.page && [each.rule, each.at],
    ]);
    groups.set(key, [...(groups.get(key) ?? []), each]);
  }
  return [...groups.values()];
}

const placeText = ({ at }: Finding) => (at ? `${printable(at.file)}:${at.line}:${at.column}` : null);

/** Findings as text; those that differ only in their page or their rule are reported once. */
export function findingsText(findings: Finding[], style: Style): string[] {
  const { colour } = style;
  return groupFindings(findings).flatMap((group) => {
    const [first] = group;
    if (!first) return [];
    const { code, level, rule, message } = first;
    const head = { error: colour.red, warning: colour.amber, note: colour.cyan }[level](level);
    const where = placeText(first) ?? '';
    const others = [
      ...new Set(
        group
          .slice(1)
          .flatMap((each) => each.address ?? each.page ?? (each.rule === rule ? placeText(each) : each.rule) ?? []),
      ),
    ];
    const hints = [...new Set(group.flatMap(({ hint }) => hint ?? []))];
    return [
      `${head} ${colour.bold(code)}  ${where}${rule ? `  ${rule}` : ''}`,
      wrapped(`  ${printable(message)}.`.replace(/\.\.$/, '.'), style),
      ...(others.length > 0
        ? [
            wrapped(
              `  the same ${first.page ? 'on' : group.every((each) => each.rule === rule) ? 'at' : 'for'} ${printable(firstFew(others, 3))}`,
              style,
            ),
          ]
        : []),
      ...hints.slice(0, 2).map((hint) => wrapped(`  ${colour.cyan('→')} ${printable(hint)}`, style, 2)),
      '',
    ];
  });
}
