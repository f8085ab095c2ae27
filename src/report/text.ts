import { Chalk, type ChalkInstance } from 'chalk';
import Table from 'cli-table3';
import stringWidth from 'string-width';
import wrapAnsi from 'wrap-ansi';
import { printable } from './printable.js';

export { printable };

/** Colours that can be read on a dark and on a white ground. */
export type Palette = Pick<ChalkInstance, 'bold' | 'dim' | 'red' | 'green' | 'cyan'> & { amber: ChalkInstance };

/** How text is printed. */
export interface Style {
  /** Colours nothing where colours are off. */
  colour: Palette;
  /** Columns of the terminal; Infinity when piped: nothing is cut or wrapped then. */
  width: number;
}

const palette = (level: 0 | 1 | 2): Palette => {
  const chalk = new Chalk({ level });
  const { bold, dim, red, green, cyan } = chalk;
  // Standard yellow cannot be read on white.
  return { bold, dim, red, green, cyan, amber: level === 2 ? chalk.ansi256(130) : chalk.yellow };
};

/** The style for a stream: colours on a terminal, by FORCE_COLOR anywhere, and by NO_COLOR (https://no-color.org) nowhere. */
export function styleFor(
  stream: { isTTY?: boolean; columns?: number },
  environment: Record<string, string | undefined>,
): Style {
  const { FORCE_COLOR: forced, NO_COLOR: none, TERM: terminal = '', COLORTERM: more = '' } = environment;
  const coloured = forced ? forced !== '0' : stream.isTTY === true && !none;
  const level = /256|truecolor|24bit/.test(terminal + more) ? 2 : 1;
  return { colour: palette(coloured ? level : 0), width: stream.isTTY ? (stream.columns ?? 80) : Infinity };
}

/** The style of text in a file. */
export const plainStyle: Style = { colour: palette(0), width: Infinity };

const bare = {
  top: '',
  'top-mid': '',
  'top-left': '',
  'top-right': '',
  bottom: '',
  'bottom-mid': '',
  'bottom-left': '',
  'bottom-right': '',
  left: '  ',
  'left-mid': '',
  mid: '',
  'mid-mid': '',
  right: '',
  'right-mid': '',
  middle: '  ',
};

/** A column of a table, and how it adapts to a narrow terminal. */
export interface Column {
  title: string;
  /** Its text is cut down to this many characters, the last such column first. */
  shorten?: number;
  /** Its text is wrapped instead, down to this many characters. */
  wrap?: number;
  /** It is left out where shortening is not enough. */
  drop?: true;
}

/**
 * A table without lines. On a terminal each row is one line that fits its width, as far as the columns can shrink. When
 * piped, nothing is cut and tabs separate columns, for `cut` and `awk`.
 */
export function table(columns: Column[], rows: string[][], { colour, width }: Style): string {
  const head = columns.map(({ title }) => title);
  if (!Number.isFinite(width)) return [head, ...rows].map((row) => row.join('\t')).join('\n');
  const natural = columns.map(({ title }, index) =>
    Math.max(stringWidth(title), ...rows.map((row) => stringWidth(row[index] ?? ''))),
  );
  const widths = fitted(columns, natural, width);
  const shown = (row: string[]) =>
    row.flatMap((text, index) => {
      const most = widths[index];
      if (most === undefined || most === 0) return [];
      return [columns[index]?.wrap === undefined ? cut(text, most) : text];
    });
  const all = [head.map((title) => colour.dim(title)), ...rows].map(shown);
  const parts: string[] = [];
  // The library's time grows with the square of the rows; all parts have the same widths.
  for (let start = 0; start < all.length; start += rowsAtOnce) {
    const part = new Table({
      chars: bare,
      colWidths: widths.filter((each) => each > 0),
      wordWrap: true,
      wrapOnWordBoundary: true,
      style: { 'padding-left': 0, 'padding-right': 0, head: [], border: [] },
    });
    part.push(...all.slice(start, start + rowsAtOnce));
    parts.push(part.toString());
  }
  return parts
    .join('\n')
    .split('\n')
    .map((line) => line.trimEnd())
    .filter((line) => plain(line) !== '')
    .join('\n');
}

/**
 * The widths of columns in a line of this many characters; 0 for one that is left out. The last columns shrink first.
 */
function fitted(columns: Column[], natural: number[], width: number): number[] {
  const widths = [...natural];
  const excess = () => widths.reduce((sum, each) => sum + (each > 0 ? each + gap : 0), 0) - width;
  const last = (test: (column: Column) => boolean) =>
    columns
      .map((column, index) => ({ column, index }))
      .filter(({ column }) => test(column))
      .reverse();
  const giveWay = (index: number, least: number) => {
    const now = widths[index] ?? 0;
    if (excess() > 0 && now > least) widths[index] = Math.max(least, now - excess());
  };
  for (const { column, index } of last(({ drop }) => drop === true)) {
    giveWay(index, column.shorten ?? 0);
    if (excess() > 0) widths[index] = 0;
  }
  for (const { column, index } of last(({ drop }) => !drop)) giveWay(index, column.shorten ?? column.wrap ?? Infinity);
  return widths;
}

/** Two spaces are before each column. */
const gap = 2;
const rowsAtOnce = 50;

const plain = (text: string) => text.replace(/\u001b\[[0-9;]*m/g, '');

/** Text cut to a width; a colour around the whole text is kept. */
function cut(text: string, most: number): string {
  if (stringWidth(text) <= most) return text;
  const [, before = '', after = ''] = /^(\u001b\[[0-9;]*m)[^\u001b]*(\u001b\[[0-9;]*m)$/.exec(text) ?? [];
  return before + shortened(plain(text), most) + after;
}

/** Text wrapped at the terminal's width, each further line indented by so many spaces more than the first. */
export function wrapped(text: string, { width }: Style, further = 0): string {
  if (!Number.isFinite(width)) return text;
  return text
    .split('\n')
    .map((line) => {
      const indent = (/^ */.exec(line)?.[0].length ?? 0) + further;
      const [first = '', ...rest] = wrapAnsi(line, width, { trim: false, hard: false }).split('\n');
      if (rest.length === 0) return line;
      const others = wrapAnsi(rest.join(' ').replace(/\s+/g, ' ').trim(), Math.max(20, width - indent), {
        hard: false,
      });
      return [first.trimEnd(), ...others.split('\n').map((each) => ' '.repeat(indent) + each)].join('\n');
    })
    .join('\n');
}

/** `3 pages`, `1 page`. */
export const count = (number: number, noun: string) => `${number} ${noun}${number === 1 ? '' : 's'}`;

/** The first few of a list and how many more there are. */
export function firstFew(list: string[], most: number): string {
  return list.length <= most ? list.join(', ') : `${list.slice(0, most).join(', ')} and ${list.length - most} more`;
}

/** Text cut to a length, with an ellipsis where something is missing. */
export const shortened = (text: string, most: number) => (text.length <= most ? text : `${text.slice(0, most - 1)}…`);
