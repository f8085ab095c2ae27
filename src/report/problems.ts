import type { Problem } from '../core/place.js';
import { printable, wrapped, type Style } from './text.js';

/** Problems as text: what, where with the line shown, and what to do. */
export function problemsText(problems: Problem[], style: Style): string {
  const { colour } = style;
  return problems
    .map(({ message, at, source, hint }) => {
      const lines = [
        wrapped(
          `${colour.red('error')}  ${at ? `${printable(at.file)}:${at.line}:${at.column}  ` : ''}${printable(message)}`,
          style,
          7,
        ),
      ];
      if (at && source !== undefined) lines.push(...excerpt(source, at.column, { colour }));
      if (hint) lines.push(wrapped(`       ${colour.cyan('→')} ${printable(hint)}`, style, 2));
      return lines.join('\n');
    })
    .join('\n');
}

/** The line with a caret below the column; a long line is cut around it. */
function excerpt(source: string, column: number, { colour }: Pick<Style, 'colour'>): string[] {
  const from = Math.max(0, column - 60);
  const shown = printable(source.slice(from, from + 100).replace(/\t/g, ' '));
  return [`       ${colour.dim(shown)}`, `       ${' '.repeat(Math.max(0, column - 1 - from))}${colour.red('^')}`];
}
