import { mapColumns, mapHeads, verdictOrder, verdictSigns, worstOf } from '../core/check/verdict-map.js';
import type { Cell, CheckReport } from '../core/check/verdict.js';
import { verdictColour } from './check-text.js';
import { printable, type Style } from './text.js';

/** Columns of a terminal below which there is no room for a map. */
const leastWidth = 120;
const [labelWidth, mostPageWidth, sectionWidth] = [26, 4, 11];
/** Rules and pages below which the table tells as much, and rules above which a map is no glance any more. */
const [fewest, mostRules] = [3, 60];

const cut = (text: string, width: number) =>
  (text.length > width ? `${text.slice(0, Math.max(0, width - 1))}…` : text).padEnd(width);

/** Rules against pages in lines of a terminal, a sign a cell, pages by section; none where there is no room or little to see. */
export function mapLines({ cells, rules }: Pick<CheckReport, 'cells' | 'rules'>, style: Style): string[] {
  const { width, colour } = style;
  const byPage = new Map<string, Cell[]>();
  for (const cell of cells) byPage.set(cell.page, [...(byPage.get(cell.page) ?? []), cell]);
  const named = new Set(cells.map(({ rule }) => rule));
  const rows = rules.filter(({ rule }) => named.has(rule));
  if (!Number.isFinite(width) || width < leastWidth || rows.length > mostRules) return [];
  if (rows.length < fewest || byPage.size < fewest) return [];
  const pages = [...byPage].map(([path, own]) => ({ path, own })).sort((a, b) => (a.path < b.path ? -1 : 1));
  const room = width - labelWidth - 1;
  const sections = new Set(mapColumns(pages, Infinity).map(({ group }) => group)).size;
  const placed = mapColumns(pages, room - sections);
  const isGrouped = placed.length < pages.length;
  const each = isGrouped ? sectionWidth : Math.min(mostPageWidth, Math.floor((room - sections) / placed.length));
  // What has no room is in the table.
  const shown = isGrouped ? placed.slice(0, Math.floor(room / (each + 1))) : placed;
  let x = 0;
  const columns = shown.map((column, index) => {
    if (index > 0 && (isGrouped || column.group !== shown[index - 1]?.group)) x++;
    const from = x;
    x += each;
    return { ...column, x: from, worst: worstOf(column.pages.flatMap(({ own }) => own)) };
  });
  const placedAt = (parts: { x: number; text: string; length: number }[]) => {
    let line = '';
    let end = 0;
    for (const part of parts) {
      line += ' '.repeat(part.x - end) + part.text;
      end = part.x + part.length;
    }
    return line;
  };
  const heads = mapHeads(columns, each).map(({ group, from, to }) => ({
    ...{ x: from, text: cut(printable(group), to - from), length: to - from },
  }));
  const lines = rows.map(({ rule }) => {
    const parts = columns.map(({ x: from, pages: own, worst }) => {
      const found = worst.get(rule);
      const told = !found
        ? '·'
        : own.length > 1
          ? `${verdictSigns[found.verdict].sign} ${found.number}`
          : verdictSigns[found.verdict].sign;
      const paint = found ? verdictColour(found.verdict, style) : colour.dim;
      return { x: from, text: paint(told) + ' '.repeat(Math.max(0, each - told.length)), length: each };
    });
    return `${cut(printable(rule), labelWidth)} ${placedAt(parts)}`.trimEnd();
  });
  const used = new Set(cells.map(({ verdict }) => verdict));
  const legend = verdictOrder
    .filter((verdict) => used.has(verdict))
    .map((verdict) => `${verdictColour(verdict, style)(verdictSigns[verdict].sign)} ${verdict}`);
  return [
    colour.dim(`${' '.repeat(labelWidth)} ${placedAt(heads)}`.trimEnd()),
    ...lines,
    `${' '.repeat(labelWidth)} ${legend.join('   ')}`,
    '',
  ];
}
