import type { Problem } from '../core/place.js';
import { printable, type Style } from './text.js';

/** Problems as text: what, where with the line shown, and what to do. */
export function problemsText(problems: Problem[], { colour }: Style): string {
  return problems
    .map(({ message, at, source, hint }) => {
      const lines = [
        `${colour.red('error')}  ${at ? `${at.file}:${at.line}:${at.column}  ` : ''}${printable(message)}`,
      ];
      if (at && source !== undefined) lines.push(...excerpt(source, at.column, { colour }));
      if (hint) lines.push(`       ${colour.cyan('→')} ${printable(hint)}`);
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
