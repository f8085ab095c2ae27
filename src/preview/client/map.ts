import {
  mapColumns,
  mapHeads,
  sectionOf,
  verdictOrder,
  verdictSigns,
  worstOf,
  type MapColumn,
} from '../../core/check/verdict-map.js';
import type { Verdict } from '../../core/check/verdict.js';
import type { OverviewState } from '../protocol.js';
import { byId } from './dom.js';

type Page = OverviewState['pages'][number];

const [leastSize, mostSize, mostWidth, labelWidth, labelFrom] = [4, 18, 28, 190, 12];
/** Columns of groups have room for their names and numbers. */
const mostGroupWidth = 140;
/** Space between two groups, and above all squares for their names. */
const [gap, head] = [6, 18];
/** Letters of a name that still tell something. */
const fewestLetters = 6;
/** A canvas can be only so high. */
const mostHeight = 4000;

type Column = MapColumn<Page> & { x: number };

interface MapModel {
  columns: Column[];
  /** The numbers of the rules, from above. */
  rows: number[];
  /** Of a square: its height, and its width, which is more for groups. */
  size: number;
  width: number;
  left: number;
}

/** What to do with a square. */
export interface MapActions {
  open: (rule: string, page: Page, verdict: Verdict) => void;
  /** Shows the pages of a column alone. */
  zoom: (column: MapColumn<Page>) => void;
}

/** How pages are grouped, and in which order; by the sections of the site where nothing is said. */
export interface MapGroups {
  of: (page: Page) => string;
  order: readonly string[];
}
export const sections: MapGroups = { of: sectionOf, order: [] };

let shown: { model: MapModel; rules: OverviewState['rules']; actions: MapActions } | null = null;
/** The square that the keys are on. */
let at: [column: number, row: number] = [0, 0];

/** Draws rules against pages, a square a cell; pages of a group in one column where there is no room for each. */
export function showMap(
  rules: OverviewState['rules'],
  pages: Page[],
  { of: groupOf, order }: MapGroups,
  actions: MapActions,
): void {
  const canvas = byId<HTMLCanvasElement>('map');
  const room = canvas.parentElement?.clientWidth ?? 0;
  const rows = [...new Set(pages.flatMap(({ cells }) => cells.map(({ rule }) => rule)))].sort((a, b) => a - b);
  canvas.hidden = rows.length === 0;
  if (rows.length === 0 || room === 0) return;
  const places = new Map(order.map((group, place) => [group, place]));
  const placeOf = (page: Page) => places.get(groupOf(page)) ?? 0;
  const own = pages.filter(({ cells }) => cells.length > 0).sort((a, b) => placeOf(a) - placeOf(b));
  const free = (whole: number) => whole - gap * new Set(own.map(groupOf)).size;
  const placed = mapColumns(own, free(room) / leastSize, groupOf);
  const isGrouped = placed.length < own.length;
  const number = placed.length;
  // Names stand beside squares that are high enough for them.
  const rowHeight = Math.max(leastSize, Math.floor(mostHeight / rows.length));
  const hasNames = free(room - labelWidth) / number >= labelFrom && rowHeight >= labelFrom;
  const left = hasNames ? labelWidth : 0;
  const most = isGrouped ? mostGroupWidth : mostWidth;
  const width = Math.max(leastSize, Math.min(most, Math.floor(free(room - left) / number)));
  const size = Math.min(mostSize, rowHeight, isGrouped ? mostSize : width);
  let x = left;
  let before = placed[0]?.group;
  const columns = placed.map((column): Column => {
    if (column.group !== before) x += gap;
    before = column.group;
    x += width;
    return { ...column, x: x - width };
  });
  shown = { model: { columns, rows, size, width, left }, rules, actions };
  at = [Math.min(at[0], columns.length - 1), Math.min(at[1], rows.length - 1)];
  draw(canvas, x, rules);
  if (document.activeElement === canvas) say(at);
}

/** The colours of the page by their names, as a canvas takes them. */
function colours(): (name: string) => string {
  const probe = document.createElement('span');
  document.body.append(probe);
  const known = new Map<string, string>();
  for (const name of ['--good', '--sea', '--odd', '--bad', '--paper', '--ink', '--soft', '--line']) {
    probe.style.setProperty('color', `var(${name})`);
    known.set(name, getComputedStyle(probe).color);
  }
  probe.remove();
  return (name) => known.get(name) ?? '';
}

function draw(canvas: HTMLCanvasElement, whole: number, rules: OverviewState['rules']): void {
  const context = canvas.getContext('2d');
  if (!shown || !context) return;
  const { columns, rows, size, width, left } = shown.model;
  const scale = window.devicePixelRatio;
  const height = head + rows.length * size;
  canvas.width = whole * scale;
  canvas.height = height * scale;
  canvas.style.width = `${whole}px`;
  canvas.style.height = `${height}px`;
  canvas.setAttribute(
    'aria-label',
    `${rows.length} rules against ${columns.length} columns of pages; arrow keys move, Enter opens`,
  );
  context.scale(scale, scale);
  const colour = colours();
  context.textBaseline = 'middle';
  context.font = '12px system-ui, sans-serif';
  context.fillStyle = colour('--line');
  if (size >= labelFrom) rows.forEach((_, row) => context.fillRect(0, head + (row + 1) * size - 1, whole, 0.5));
  context.fillStyle = colour('--ink');
  if (left > 0)
    rows.forEach((rule, row) => context.fillText(rules[rule]?.name ?? '', 0, head + (row + 0.5) * size, left - 8));
  context.fillStyle = colour('--soft');
  for (const { group, from, to } of mapHeads(columns, width))
    context.fillText(cut(group, to - from + gap - 3, context), from, head / 2);
  const places = new Map(rows.map((rule, row) => [rule, row]));
  const border = size > 6 ? 1 : 0;
  for (const { pages, x } of columns) {
    for (const [rule, { verdict, number }] of worstOf(pages.flatMap(({ cells }) => cells))) {
      const look = verdictSigns[verdict];
      const y = head + (places.get(rule) ?? 0) * size;
      context.fillStyle = colour(`--${look.tone}`);
      if (size < labelFrom) {
        const side = Math.max(2, Math.round((size - border) * look.fill));
        const inset = Math.floor((size - border - side) / 2);
        context.fillRect(x + inset, y + inset, width - border - 2 * inset, side);
        continue;
      }
      context.fillRect(x, y, width - border, size - border);
      context.fillStyle = colour('--paper');
      context.textAlign = 'center';
      const told = pages.length > 1 ? `${look.sign} ${number}` : look.sign;
      context.fillText(told, x + (width - border) / 2, y + size / 2, width - border);
      context.textAlign = 'start';
    }
  }
}

/** As much of a name as there is room for; nothing where that would tell nothing. */
function cut(text: string, room: number, context: CanvasRenderingContext2D): string {
  if (context.measureText(text).width <= room) return text;
  let length = Math.floor((room / context.measureText(text).width) * text.length);
  while (length > 0 && context.measureText(`${text.slice(0, length)}…`).width > room) length--;
  return length >= fewestLetters ? `${text.slice(0, length)}…` : '';
}

/** The square at a place of the canvas; null between squares. */
function squareAt(x: number, y: number): [number, number] | null {
  if (!shown) return null;
  const { columns, rows, size, width } = shown.model;
  const column = columns.findIndex((each) => x >= each.x && x < each.x + width);
  const row = Math.floor((y - head) / size);
  return column >= 0 && row >= 0 && row < rows.length ? [column, row] : null;
}

/** What a square is, in words. */
function say([column, row]: [number, number]): void {
  const told = shown?.model.columns[column];
  const rule = shown?.model.rows[row];
  if (!shown || !told || rule === undefined) return;
  const name = shown.rules[rule]?.name ?? '';
  const verdicts = told.pages.flatMap(({ cells }) =>
    cells.filter((cell) => cell.rule === rule).map((cell) => cell.verdict),
  );
  const [page] = told.pages;
  const where = told.pages.length === 1 ? (page?.path ?? '') : `${told.group}, ${told.pages.length} pages`;
  const counts = verdictOrder.flatMap((verdict) => {
    const number = verdicts.filter((each) => each === verdict).length;
    return number === 0 ? [] : [verdicts.length === 1 ? verdict : `${verdict} on ${number}`];
  });
  byId('map-said').textContent = `${name}, ${where}: ${counts.join(', ') || 'not for this page'}`;
}

function choose([column, row]: [number, number]): void {
  const told = shown?.model.columns[column];
  const rule = shown?.model.rows[row];
  if (!shown || !told || rule === undefined) return;
  const [page] = told.pages;
  if (told.pages.length > 1) return shown.actions.zoom(told);
  const cell = page?.cells.find((each) => each.rule === rule);
  if (page && cell) shown.actions.open(shown.rules[rule]?.name ?? '', page, cell.verdict);
}

/** Listens to the pointer and the keys. */
export function startMap(): void {
  const canvas = byId<HTMLCanvasElement>('map');
  canvas.onmousemove = ({ offsetX, offsetY }) => {
    const square = squareAt(offsetX, offsetY);
    if (square) say(square);
  };
  canvas.onclick = ({ offsetX, offsetY }) => {
    const square = squareAt(offsetX, offsetY);
    if (square) choose((at = square));
  };
  canvas.onfocus = () => say(at);
  canvas.onkeydown = (event) => {
    const ways: Record<string, [number, number]> = {
      ...{ ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] },
    };
    const way = ways[event.key];
    if (event.key === 'Enter') choose(at);
    if (!way || !shown) return;
    event.preventDefault();
    const { columns, rows } = shown.model;
    const within = (value: number, most: number) => Math.max(0, Math.min(most - 1, value));
    at = [within(at[0] + way[0], columns.length), within(at[1] + way[1], rows.length)];
    say(at);
  };
}
