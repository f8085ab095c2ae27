import escape from 'escape-html';
import { mapColumns, mapHeads, verdictOrder, verdictSigns, worstOf } from '../core/check/verdict-map.js';
import type { Cell, CheckReport, Verdict } from '../core/check/verdict.js';
import { count, printable } from './text.js';

/** Columns that stand for a page each; more are told by section. */
const mostPages = 90;
const [size, mostWidth, labelWidth, gap, head] = [15, 26, 200, 6, 16];
/** What a report is wide, less the space between sections. */
const wholeWidth = 1050;
/** Sections have room for their names and numbers. */
const sectionWidth = 84;
/** Rules and pages below which a table tells as much. */
const fewest = 2;

const safe = (text: string) => escape(printable(text));

/** Rules against pages as an image of vectors, a square a cell; empty where there is little to see. */
export function mapHtml({ cells, rules }: Pick<CheckReport, 'cells' | 'rules'>): string {
  const byPage = new Map<string, Cell[]>();
  for (const cell of cells) byPage.set(cell.page, [...(byPage.get(cell.page) ?? []), cell]);
  const named = new Set(cells.map(({ rule }) => rule));
  const rows = new Map(rules.filter(({ rule }) => named.has(rule)).map(({ rule }, row) => [rule, row]));
  if (rows.size < fewest || byPage.size < fewest) return '';
  const pages = [...byPage].map(([path, own]) => ({ path, own })).sort((a, b) => (a.path < b.path ? -1 : 1));
  const isGrouped = pages.length > mostPages;
  const each = Math.floor((wholeWidth - labelWidth) / pages.length);
  const width = isGrouped ? sectionWidth : Math.max(size, Math.min(mostWidth, each));
  let x = labelWidth;
  let before = '';
  const columns = mapColumns(pages, mostPages).map((column) => {
    if (before !== '' && (column.group !== before || isGrouped)) x += gap;
    before = column.group;
    x += width;
    return { ...column, x: x - width };
  });
  const squares = new Map<Verdict, string>();
  // The signs of a row are one text, each character in its place.
  const signs = new Map<number, { places: number[]; text: string }>();
  const numbers: string[] = [];
  for (const column of columns)
    for (const [rule, { verdict, number }] of worstOf(column.pages.flatMap(({ own }) => own))) {
      const y = head + (rows.get(rule) ?? 0) * size;
      squares.set(verdict, `${squares.get(verdict) ?? ''}M${column.x} ${y}h${width - 1}v${size - 1}h${1 - width}z`);
      const { sign } = verdictSigns[verdict];
      const x = column.x + (width - 1) / 2;
      if (column.pages.length > 1) {
        numbers.push(`<text x="${x}" y="${y + size - 4}">${sign} ${number}</text>`);
        continue;
      }
      const row = signs.get(y) ?? { places: [], text: '' };
      signs.set(y, { places: [...row.places, x], text: row.text + sign });
    }
  const paths = verdictOrder.flatMap((verdict) => {
    const d = squares.get(verdict);
    return d ? [`<path class="${verdictSigns[verdict].tone}" d="${d}"/>`] : [];
  });
  const names = [...rows].map(
    ([rule, row]) => `<text y="${head + row * size + size - 4}">${safe(cut(rule, labelWidth))}</text>`,
  );
  const heads = mapHeads(columns, width).flatMap(({ group, from, to }) =>
    group.length * letter <= to - from + gap ? [`<text x="${from}" y="${head - 5}">${safe(group)}</text>`] : [],
  );
  const texts = [...signs].map(
    ([y, { places, text }]) => `<text x="${places.join(' ')}" y="${y + size - 4}">${text}</text>`,
  );
  const legend = verdictOrder
    .filter((verdict) => squares.has(verdict))
    .map((verdict) => `${verdictSigns[verdict].sign} ${verdict}`);
  const label = `${count(rows.size, 'rule')} against ${count(pages.length, 'page')}${isGrouped ? ', by section, each with its worst verdict' : ''}`;
  return `<section aria-labelledby="map"><h2 id="map">Map <small>${safe(label)}</small></h2>
<div class="map"><svg role="img" aria-label="${safe(label)}" width="${x}" height="${head + rows.size * size}">${paths.join('')}<g class="names">${names.join('')}${heads.join('')}</g><g class="signs">${texts.join('')}${numbers.join('')}</g></svg></div>
<p class="place">${safe(legend.join('   '))}</p>
</section>`;
}

/** The width of a letter of a map, about. */
const letter = 6.2;

const cut = (text: string, width: number) => {
  const most = Math.floor(width / letter) - 1;
  return text.length > most ? `${text.slice(0, most - 1)}…` : text;
};
