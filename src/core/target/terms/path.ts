import { TextError } from '../../place.js';
import { isPathPattern, normalisePath, pathPattern } from '../../page/path.js';
import { nearPath } from '../near-path.js';
import { pathCondition } from '../path-condition.js';
import type { TermKind, TermOf } from '../term.js';

/** `path("/tickets/pay")`, or a pattern: `path("/winter/*")`. */
export interface PathTerm extends TermOf<'path'> {
  /** Normalised, or the pattern as written. */
  path: string;
  /** Whether a path fulfils the pattern; null if it is one literal path. */
  pattern: ((path: string) => boolean) | null;
}

const badPath = (message: string, hint?: string) => new TextError(message, 0, hint, 'invalid-path');

function readPath(argument: string): Omit<PathTerm, keyof TermOf<string>> {
  if (isPathPattern(argument)) return { path: argument, pattern: readPattern(argument) };
  if (/[?#]/.test(argument)) {
    const [path = '', query = ''] = argument.split(/[?#]/);
    throw badPath(
      `The path "${argument}" contains a query or a fragment`,
      `Write ${argument.includes('?') ? pathCondition(`${path}?${query}`) : `path("${path}")`}.`,
    );
  }
  if (!/^(\/|https?:\/\/)/.test(argument))
    throw badPath(`The path "${argument}" does not begin with a slash`, `Write "/${argument}".`);
  try {
    return { path: normalisePath(argument), pattern: null };
  } catch {
    throw badPath(`"${argument}" is not a valid path`);
  }
}

function readPattern(argument: string): (path: string) => boolean {
  if (!argument.startsWith('/') && !argument.startsWith('*') && !argument.startsWith('{/'))
    throw badPath(`The path pattern "${argument}" does not begin with a slash`, `Write "/${argument}".`);
  try {
    return pathPattern(argument);
  } catch (error) {
    throw badPath(
      `"${argument}" is not a valid path pattern: ${(error as Error).message.replace(/^.*?: /, '')}`,
      'A pattern follows URL Pattern syntax: /winter/*, /routes/:name, /winter{/*}?. Write \\\\( for a bracket that is part of the path.',
    );
  }
}

export const path: TermKind<PathTerm> = {
  form: 'function',
  read: readPath,
  // A literal path beside a query() matches the path with any query.
  pages: ({ path: text, pattern }, index, beside) =>
    pattern
      ? index.byPattern(text, pattern)
      : beside.some(({ kind }) => kind === 'query')
        ? index.byBarePath(text)
        : index.byPath(text),
  css: ({ path: text, pattern }) => ({
    says: 'address',
    part: pattern ? { pattern: text } : { path: text },
  }),
  meansOnePage: ({ pattern }) => pattern === null,
  differsBetweenCopies: () => null,
  limitsToSite: false,
  sameForAllVisitors: true,
  near: ({ path: text, pattern }, site, index) => {
    if (pattern) {
      const section = text.replace(/\/?\*$/, '');
      return text.endsWith('/*') ? index.firstOf(`path("${section}{/*}?")`, index.byPath(section)) : null;
    }
    const near = nearPath(text, site);
    return near && { text: pathCondition(near.path), page: near };
  },
};
