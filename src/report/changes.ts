import type { Finding } from '../core/finding.js';
import type { Cell, CheckReport } from '../core/check/verdict.js';
import { findingsText } from './check-text.js';
import { count, printable, type Style } from './text.js';

/** The differences between two checks: cells and findings that are new, gone or changed. */
export function changesText(before: CheckReport, now: CheckReport, style: Style): string {
  const { colour } = style;
  const key = ({ rule, page }: Cell) => `${rule} on ${page}`;
  const shown = (cell: Cell) => `${cell.verdict} (${cell.actions.map(({ elements }) => elements).join(', ')})`;
  const [old, current] = [
    new Map(before.cells.map((cell) => [key(cell), cell])),
    new Map(now.cells.map((cell) => [key(cell), cell])),
  ];
  const lines: string[] = [];
  for (const [name, cell] of current) {
    const earlier = old.get(name);
    if (!earlier) lines.push(`  ${colour.green('+')} ${printable(name)}: ${shown(cell)}`);
    else if (shown(earlier) !== shown(cell))
      lines.push(`  ${colour.amber('~')} ${printable(name)}: ${shown(earlier)} → ${shown(cell)}`);
  }
  for (const [name, cell] of old)
    if (!current.has(name)) lines.push(`  ${colour.red('-')} ${printable(name)}: was ${shown(cell)}`);
  const same = (a: Finding) => JSON.stringify([a.code, a.rule, a.page, a.message]);
  const [known, found] = [new Set(before.findings.map(same)), new Set(now.findings.map(same))];
  const fresh = now.findings.filter((each) => !known.has(same(each)));
  const fixed = before.findings.filter((each) => !found.has(same(each))).length;
  if (fresh.length > 0) lines.push('', ...findingsText(fresh, style));
  if (fixed > 0) lines.push(`  ${count(fixed, 'finding')} gone.`);
  const { errors, warnings } = now.totals;
  return [
    lines.length > 0 ? 'Changed:' : 'Nothing changed.',
    ...lines,
    `${count(errors, 'error')}, ${count(warnings, 'warning')}.`,
  ].join('\n');
}
