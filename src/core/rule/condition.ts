import parseValue, { type FunctionNode, type Node } from 'postcss-value-parser';
import { suggestion } from '../nearest.js';
import type { Place } from '../place.js';
import { isPathPattern, normalisePath, pathPattern } from '../page/path.js';

/** Which pages: alternatives (commas), each a list of terms that must all hold (spaces). */
export interface Condition {
  text: string;
  alternatives: Term[][];
  /** Where an offset in the text stands in the rule file; absent where a condition comes from a command's options. */
  placeAt?: (offset: number) => Place;
}

/** One term of a condition. `offset` counts from 0 in the condition's text. */
export type Term = { offset: number; text: string } & (
  | { kind: 'path'; path: string; pattern: boolean; test: (path: string) => boolean }
  | { kind: 'query'; key: string; value: string }
  | { kind: 'page-id' | 'body-id' | 'site'; value: string }
  | { kind: 'body-class'; classes: string[] }
  | { kind: 'all' }
);

type TermBody = Term extends infer T ? (T extends Term ? Omit<T, 'offset' | 'text'> : never) : never;

/** Something in a condition that cannot be read. `badPath`: a path, which is a finding rather than a broken file. */
export interface ConditionFault {
  message: string;
  hint?: string;
  offset: number;
  badPath: boolean;
}

class TermError extends Error {
  constructor(
    message: string,
    readonly hint?: string,
    readonly badPath = false,
  ) {
    super(message);
  }
}

/** One entry a term: from the text between its parentheses to what it means. */
const termReaders: Record<string, (argument: string) => TermBody> = {
  path: (argument) => readPath(argument),
  'page-id': (argument) => ({ kind: 'page-id', value: argument }),
  'body-id': (argument) => ({ kind: 'body-id', value: argument.replace(/^#/, '') }),
  'body-class': (argument) => ({ kind: 'body-class', classes: argument.split(/\s+/) }),
  query: (argument) => {
    const [[key, value] = ['', '']] = [...new URLSearchParams(argument)];
    if (!key) throw new TermError('query(…) needs a parameter and its value', 'Write query("p=12").');
    return { kind: 'query', key, value };
  },
  site: (argument) => ({ kind: 'site', value: argument }),
};

function readPath(argument: string): TermBody {
  if (isPathPattern(argument)) {
    if (!argument.startsWith('/') && !argument.startsWith('*') && !argument.startsWith('{/')) {
      throw new TermError(`The path pattern "${argument}" does not begin with a slash`, `Write "/${argument}".`, true);
    }
    try {
      return { kind: 'path', path: argument, pattern: true, test: pathPattern(argument) };
    } catch (error) {
      throw new TermError(
        `"${argument}" is not a valid path pattern: ${(error as Error).message.replace(/^.*?: /, '')}`,
        'A pattern follows URL Pattern syntax: /winter/*, /routes/:name, /winter{/*}?. Write \\( for a bracket that is part of the path.',
        true,
      );
    }
  }
  if (/[?#]/.test(argument)) {
    const [path = '', query = ''] = argument.split(/[?#]/);
    throw new TermError(
      `The path "${argument}" holds a query or a fragment`,
      `Write path("${path}")${argument.includes('?') ? ` query("${query}")` : ''}.`,
      true,
    );
  }
  if (!/^(\/|https?:\/\/)/.test(argument))
    throw new TermError(`The path "${argument}" does not begin with a slash`, `Write "/${argument}".`, true);
  try {
    const path = normalisePath(argument);
    return { kind: 'path', path, pattern: false, test: (other) => other === path };
  } catch {
    throw new TermError(`"${argument}" is not a valid path`, undefined, true);
  }
}

/**
 * Reads the text of a `pages`, `except` or `@on` condition. Never throws: a term that cannot be read is a fault, and the
 * rest of the condition stands.
 */
export function parseCondition(text: string): { condition: Condition; faults: ConditionFault[] } {
  const alternatives: Term[][] = [[]];
  const faults: ConditionFault[] = [];
  const fault = (node: Node, message: string, hint?: string, badPath = false) =>
    faults.push({ message, hint, offset: node.sourceIndex, badPath });
  for (const node of parseValue(text).nodes) {
    if (node.type === 'space' || node.type === 'comment') continue;
    if (node.type === 'div' && node.value === ',') {
      alternatives.push([]);
      continue;
    }
    const offset = node.sourceIndex;
    if (node.type === 'word' && node.value.toLowerCase() === 'all') {
      alternatives.at(-1)?.push({ kind: 'all', offset, text: 'all' });
    } else if (node.type === 'function') {
      readFunction(node);
    } else {
      const shown = parseValue.stringify(node);
      fault(node, `"${shown}" is no condition`, bareTermHint(shown));
    }
  }
  function readFunction(node: FunctionNode): void {
    const reader = Object.hasOwn(termReaders, node.value.toLowerCase())
      ? termReaders[node.value.toLowerCase()]
      : undefined;
    if (!reader)
      return void fault(
        node,
        `"${node.value}(…)" is no condition`,
        suggestion(node.value, [...Object.keys(termReaders), 'all']),
      );
    const argument = argumentOf(node);
    if (argument === '')
      return void fault(node, `${node.value}() is empty`, `Write what it should match between the parentheses.`);
    try {
      const term = { ...reader(argument), offset: node.sourceIndex, text: parseValue.stringify(node) } as Term;
      alternatives.at(-1)?.push(term);
    } catch (error) {
      if (!(error instanceof TermError)) throw error;
      fault(node, error.message, error.hint, error.badPath);
    }
  }
  const filled = alternatives.filter((terms) => terms.length > 0);
  if (filled.length < alternatives.length && faults.length === 0) {
    faults.push({
      message: text.trim() === '' ? 'The condition is empty' : 'A comma has no condition on one side',
      offset: 0,
      badPath: false,
    });
  }
  return { condition: { text: text.trim(), alternatives: filled }, faults };
}

/** The text between a term's parentheses: of a string its content, else as it stands in the source (`0073` stays `0073`). */
function argumentOf(node: FunctionNode): string {
  const inside = node.nodes.filter((child) => child.type !== 'comment');
  const only = inside.length === 1 ? inside[0] : undefined;
  return only?.type === 'string'
    ? only.value.replace(/\\(["'\\])/g, '$1')
    : (node.before + parseValue.stringify(inside) + node.after).trim();
}

function bareTermHint(word: string): string {
  const bare = word.replace(/^["']|["']$/g, '');
  if (bare.startsWith('/')) return `Write path("${bare}").`;
  if (bare.startsWith('.')) return `Write body-class(${bare.slice(1)}).`;
  if (bare.startsWith('#')) return `Write body-id(${bare.slice(1)}).`;
  return `Write path("/…"), page-id(…), body-id(…), body-class(…), query("…"), site(…) or all.`;
}
