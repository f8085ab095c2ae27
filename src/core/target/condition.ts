import parseValue, { type FunctionNode, type Node } from 'postcss-value-parser';
import { readName, readString } from '../css/strings.js';
import { suggestion } from '../nearest.js';
import { TextError, type Place, type TextFault } from '../place.js';
import type { TermKind } from './term.js';
import { termKinds, type Term } from './terms/index.js';

export type { Term } from './terms/index.js';

/** Which pages: alternatives (commas), each a list of terms that must all hold (spaces). */
export interface Condition {
  text: string;
  alternatives: Term[][];
  /** Where an offset in the text is in the rule file; absent if a condition comes from a command's options. */
  placeAt?: (offset: number) => Place;
}

const kindNamed = (name: string, form: TermKind<Term>['form']) => {
  const lower = name.toLowerCase();
  if (!Object.hasOwn(termKinds, lower)) return null;
  const kind = termKinds[lower as Term['kind']] as unknown as TermKind<Term>;
  return kind.form === form ? { name: lower, kind } : null;
};

/**
 * Reads the text of a `pages`, `except` or `@on` condition. Never throws: a term that cannot be parsed becomes a fault,
 * and the other terms are kept.
 */
export function parseCondition(text: string): { condition: Condition; faults: TextFault[] } {
  const alternatives: Term[][] = [[]];
  const faults: TextFault[] = [];
  const fault = (node: Node, message: string, hint?: string, mend?: TextFault['mend']) =>
    faults.push({ message, hint, offset: node.sourceIndex, ...(mend ? { mend } : {}) });
  const add = (node: Node, { name, kind }: NonNullable<ReturnType<typeof kindNamed>>, argument: string) => {
    try {
      const common = { kind: name, offset: node.sourceIndex, text: parseValue.stringify(node) };
      alternatives.at(-1)?.push({ ...kind.read(argument), ...common } as Term);
    } catch (error) {
      if (!(error instanceof TextError)) throw error;
      const { message, hint, code } = error;
      faults.push({ message, hint, offset: node.sourceIndex, code });
    }
  };
  for (const node of parseValue(text).nodes) {
    if (node.type === 'space' || node.type === 'comment') continue;
    if (node.type === 'div' && node.value === ',') {
      alternatives.push([]);
      continue;
    }
    const word = node.type === 'word' ? kindNamed(node.value, 'word') : null;
    if (word) add(node, word, '');
    else if (node.type === 'function') readFunction(node);
    else {
      const shown = parseValue.stringify(node);
      const meant = meantTerm(shown);
      fault(
        node,
        `${/^["']/.test(shown) ? shown : `"${shown}"`} is not a valid condition`,
        meant === null
          ? 'Write path("/…"), page-id(…), body-id(…), body-class(…), query("…"), site(…) or all.'
          : `Write ${meant}.`,
        meant === null ? undefined : { offset: node.sourceIndex, from: shown, to: meant },
      );
    }
  }
  function readFunction(node: FunctionNode): void {
    const named = kindNamed(node.value, 'function');
    if (!named)
      return void fault(
        node,
        `"${node.value}(…)" is not a valid condition`,
        suggestion(node.value, Object.keys(termKinds)),
      );
    const argument = argumentOf(node);
    if (argument === '')
      return void fault(node, `${node.value}() is empty`, `Write what to match between the parentheses.`);
    add(node, named, argument);
  }
  const filled = alternatives.filter((terms) => terms.length > 0);
  if (filled.length < alternatives.length && faults.length === 0) {
    faults.push({
      message: text.trim() === '' ? 'The condition is empty' : 'A comma has no condition on one side',
      offset: 0,
    });
  }
  return { condition: { text: text.trim(), alternatives: filled }, faults };
}

/** The text between a term's parentheses: of a string its content, else as it is in the source (`0073` stays `0073`). */
function argumentOf(node: FunctionNode): string {
  const inside = node.nodes.filter((child) => child.type !== 'comment');
  const only = inside.length === 1 ? inside[0] : undefined;
  return only?.type === 'string'
    ? readString(parseValue.stringify(only))
    : readName((node.before + parseValue.stringify(inside) + node.after).trim());
}

/** The term that a path, class or ID on its own stands for; null for other words. */
function meantTerm(word: string): string | null {
  const bare = word.replace(/^["']|["']$/g, '');
  if (bare.startsWith('/')) return `path("${bare}")`;
  if (bare.startsWith('.')) return `body-class(${bare.slice(1)})`;
  return bare.startsWith('#') ? `body-id(${bare.slice(1)})` : null;
}
