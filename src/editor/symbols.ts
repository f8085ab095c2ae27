import { SymbolKind, type DocumentSymbol, type Range, type TextEdit } from 'vscode-languageserver/node';
import type { LiveReading } from '../app/live-project.js';
import { contextAt, statementEnd } from './context.js';
import { rangeBetween } from './places.js';

/** The blocks at the top level of a rule file. */
export function symbolsOf(text: string): DocumentSymbol[] {
  return [...text.matchAll(/@(needle|expect|keep-visible)\s+([^{}]*?)\s*\{/g)]
    .filter(({ index }) => contextAt(text, index).blocks.length === 0 && !contextAt(text, index + 1).isComment)
    .map((found) => {
      const [whole, kind, name = ''] = found;
      const start = found.index;
      const range = rangeBetween(text, start, blockEnd(text, start + whole.length));
      const at = start + whole.indexOf(name, (kind?.length ?? 0) + 1);
      return {
        ...{ name: name || `@${kind ?? ''}`, detail: `@${kind ?? ''}`, kind: SymbolKind.Class, range },
        selectionRange: rangeBetween(text, at, at + name.length),
      };
    });
}

/** Where a block whose brace ended at an offset ends, its own brace included. */
function blockEnd(text: string, from: number): number {
  let depth = 1;
  for (let at = statementEnd(text, from); at < text.length; at = statementEnd(text, at + 1)) {
    if (text[at] === '{') depth++;
    else if (text[at] === '}' && --depth === 0) return at + 1;
  }
  return text.length;
}

/** The name of the rule at an offset of its first line; null elsewhere. */
export function ruleNameAt(text: string, offset: number): { name: string; range: Range } | null {
  const { start } = contextAt(text, offset);
  const found = /^@needle\s+([\w-]+)/.exec(text.slice(start, start + 300));
  if (!found || offset > start + found[0].length) return null;
  const name = found[1] ?? '';
  const end = start + found[0].length;
  return { name, range: rangeBetween(text, end - name.length, end) };
}

/** Renames a rule; null where another one has that name, or it is no name. */
export function renamed(text: string, offset: number, to: string, { project }: LiveReading): TextEdit | null {
  const found = ruleNameAt(text, offset);
  if (!found || !/^[A-Za-z_][\w-]*$/.test(to) || project.rules.some(({ name }) => name === to)) return null;
  return { range: found.range, newText: to };
}
