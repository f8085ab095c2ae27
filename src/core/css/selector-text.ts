import { tokenize, tokenTypes } from 'css-tree';
import { readName } from './strings.js';

const { Comma, Colon, Comment, Delim, Ident, WhiteSpace, Function: Call } = tokenTypes as Record<string, number>;
const { LeftParenthesis, LeftSquareBracket, LeftCurlyBracket } = tokenTypes as Record<string, number>;
const { RightParenthesis, RightSquareBracket, RightCurlyBracket } = tokenTypes as Record<string, number>;
const opening = new Set([Call, LeftParenthesis, LeftSquareBracket, LeftCurlyBracket]);
const closing = new Set([RightParenthesis, RightSquareBracket, RightCurlyBracket]);

/** A token of a selector (CSS Syntax 3, section 4). `depth`: the brackets around it. */
export interface TextToken {
  type: number;
  text: string;
  start: number;
  depth: number;
}

/** The tokens of a selector. */
export function tokensOf(text: string): TextToken[] {
  const tokens: TextToken[] = [];
  let depth = 0;
  tokenize(text, (type, start, end) => {
    if (closing.has(type)) depth = Math.max(0, depth - 1);
    tokens.push({ type, text: text.slice(start, end), start, depth });
    if (opening.has(type)) depth++;
  });
  return tokens;
}

/**
 * A selector with the names of its pseudo-classes and pseudo-elements written without escapes, and without comments; one that
 * keeps two words apart stays, so that they don't become one.
 */
export function plainText(text: string): string {
  // Neither is there without these characters.
  if (!text.includes('\\') && !text.includes('/*')) return text;
  const tokens = tokensOf(text);
  const isWord = (token: TextToken | undefined) => token !== undefined && /[\w-]/.test(token.text.slice(-1));
  return tokens
    .map((token, at) => {
      const previous = tokens[at - 1];
      if (token.type === Comment) {
        const next = tokens[at + 1];
        return isWord(previous) && next !== undefined && /^[\w-]/.test(next.text) ? token.text : '';
      }
      const isName = token.type === Ident || token.type === Call;
      if (!isName || previous?.type !== Colon || !token.text.includes('\\')) return token.text;
      const bracket = token.type === Call ? '(' : '';
      const plain = readName(token.text.slice(0, token.text.length - bracket.length));
      return /^[\w-]+$/.test(plain) ? plain + bracket : token.text;
    })
    .join('');
}

/** The selectors of a list. */
export function splitList(text: string): string[] {
  if (!text.includes(',')) return [text];
  const commas = tokensOf(text).filter(({ type, depth }) => type === Comma && depth === 0);
  const starts = [0, ...commas.map(({ start }) => start + 1)];
  return starts.map((start, at) => text.slice(start, commas[at]?.start));
}

/** A list with something put before each selector that begins with a combinator; null if none does. */
export function withImplied(text: string, implied: string): string | null {
  const parts = splitList(text);
  const isRelative = (part: string) => {
    const first = tokensOf(part).find(({ type }) => type !== WhiteSpace && type !== Comment);
    return first !== undefined && first.type === Delim && ['>', '+', '~'].includes(first.text);
  };
  if (!/[>+~]/.test(text) || !parts.some(isRelative)) return null;
  return parts.map((part) => (isRelative(part) ? `${implied} ${part.trimStart()}` : part)).join(',');
}

/** The texts in the brackets of `(…) to (…)`, of which each may be left out; null for another text. */
export function scopeParts(prelude: string): { start?: string; end?: string } | null {
  const tokens = tokensOf(prelude).filter(({ type }) => type !== WhiteSpace && type !== Comment);
  const outer = tokens.filter(({ depth }) => depth === 0);
  const form = outer.map(({ text }) => text.toLowerCase()).join('');
  if (!/^(\(\))?(to\(\)|to\()?$/.test(form.replace(/\($/, '()'))) return null;
  const open = outer.filter(({ text }) => text === '(' || text.toLowerCase() === 'to(');
  const texts = open.map((bracket) => {
    const close = outer.find(({ start }) => start > bracket.start);
    return prelude.slice(bracket.start + bracket.text.length, close?.start);
  });
  const hasStart = outer[0]?.text === '(';
  const end = texts[hasStart ? 1 : 0];
  return { ...(hasStart ? { start: texts[0] ?? '' } : {}), ...(end === undefined ? {} : { end }) };
}

/** Whether a selector holds `&`, itself or in an argument. */
export const holdsNesting = (text: string): boolean =>
  text.includes('&') && tokensOf(text).some((token) => token.type === Delim && token.text === '&');

/** Whether a selector holds `:scope`. */
export const holdsScope = (text: string): boolean =>
  /:scope/i.test(text) &&
  tokensOf(text).some(
    ({ type, text: name }, at, all) => type === Ident && name.toLowerCase() === 'scope' && all[at - 1]?.type === Colon,
  );

/** Whether more brackets are open at once. */
export const isDeeperThan = (text: string, most: number): boolean =>
  text.length > most && tokensOf(text).some(({ depth }) => depth > most);
