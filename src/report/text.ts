import { Chalk, type ChalkInstance } from 'chalk';
import Table from 'cli-table3';

/** How text comes out: its colours, none where it is not for a terminal, and how wide a line may be. */
export interface Style {
  colour: ChalkInstance;
  /** Columns of the terminal; Infinity where the text goes to a file or another program. */
  width: number;
}

/** The style for a stream: colours on a terminal alone, and never where NO_COLOR is set (https://no-color.org). */
export function styleFor(
  stream: { isTTY?: boolean; columns?: number },
  environment: Record<string, string | undefined>,
): Style {
  const coloured = stream.isTTY === true && !environment['NO_COLOR'];
  return { colour: new Chalk({ level: coloured ? 1 : 0 }), width: stream.isTTY ? (stream.columns ?? 100) : 120 };
}

/** The style of text in a file. */
export const plainStyle: Style = { colour: new Chalk({ level: 0 }), width: 120 };

/** Text from a page made safe to print: control characters, which could steer a terminal, are shown as their code. */
export function printable(text: string): string {
  return text.replace(
    /[\u0000-\u001f\u007f-\u009f\u202a-\u202e\u2066-\u2069]/g,
    (character) => `\\u${character.charCodeAt(0).toString(16).padStart(4, '0')}`,
  );
}

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

/** A table without lines. `widths`: the width of each column at most, its last one as wide as the rest of the line. */
export function table(head: string[], rows: string[][], { colour, width }: Style, most: number[] = []): string {
  const wanted = head.map((title, column) =>
    Math.max(
      title.length,
      ...rows.flatMap((row) =>
        plain(row[column] ?? '')
          .split('\n')
          .map((line) => line.length),
      ),
    ),
  );
  const capped = wanted.map((each, column) => Math.min(each, most[column] ?? each));
  const used = capped.slice(0, -1).reduce((sum, each) => sum + each + 2, 2);
  capped[capped.length - 1] = Math.max(12, Math.min(capped.at(-1) ?? 12, width - used - 1));
  const all = [head.map((title) => colour.dim(title)), ...rows];
  const parts: string[] = [];
  // The library's time grows with the square of the rows; all parts have the same widths.
  for (let start = 0; start < all.length; start += rowsAtOnce) {
    const part = new Table({
      chars: bare,
      colWidths: capped,
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

const rowsAtOnce = 50;

const plain = (text: string) => text.replace(/\u001b\[[0-9;]*m/g, '');

/** `3 pages`, `1 page`. */
export const count = (number: number, noun: string) => `${number} ${noun}${number === 1 ? '' : 's'}`;

/** The first few of a list and how many more there are. */
export function firstFew(list: string[], most: number): string {
  return list.length <= most ? list.join(', ') : `${list.slice(0, most).join(', ')} and ${list.length - most} more`;
}

/** Text cut to a length, with an ellipsis where something is missing. */
export const shortened = (text: string, most: number) => (text.length <= most ? text : `${text.slice(0, most - 1)}…`);
