import { tokenTypes } from 'css-tree';
import { isTraversal, parse, SelectorType, type Selector as Token } from 'css-what';

import { tokensOf, type TextToken } from './selector-text.js';

/** The namespaces that a stylesheet declares, by their prefixes; the default one by `` (CSS Namespaces 3). */
export type Namespaces = ReadonlyMap<string, string>;

/** A pseudo-class of ours with a namespace as its argument. No selector can name it. */
export const inNamespace = 'in namespace';

const none: Namespaces = new Map();

/** A selector list in css-what's tokens. css-what reads no empty list, which matches nothing (Selectors 4, 4.2). Throws Error. */
export function selectorTokens(selector: string, namespaces = none): Token[][] {
  const tokens = parse(readable(selector));
  return selector.includes('|') || namespaces.size > 0
    ? tokens.map((list) => withNamespaces(list, namespaces, false))
    : tokens;
}

/** A selector as css-what reads it: without empty lists, and with the escapes of `of .x` kept, which it resolves twice. */
function readable(selector: string): string {
  const isEmpty = /:(is|where|-webkit-any)\(\s*\)/i.test(selector);
  const isEscaped = selector.includes('\\') && /nth-(last-)?child\(/i.test(selector);
  if (!isEmpty && !isEscaped) return selector;
  const tokens = tokensOf(selector);
  const countedAt: number[] = [];
  return tokens
    .map(({ type, text, depth }, at) => {
      while (depth < (countedAt.at(-1) ?? 0)) countedAt.pop();
      if (/^nth-(last-)?child\($/i.test(text)) countedAt.push(depth + 1);
      const isInCounted = countedAt.length > 0 && depth >= (countedAt[0] ?? 0);
      if (/^(is|where|-webkit-any)\($/i.test(text) && isEmptyAt(tokens, at)) return 'not(*';
      return isInCounted && type !== tokenTypes['WhiteSpace'] ? text.replaceAll('\\', '\\'.repeat(4)) : text;
    })
    .join('');
}

function isEmptyAt(tokens: TextToken[], at: number): boolean {
  const next = tokens.slice(at + 1).find(({ type }) => type !== tokenTypes['WhiteSpace']);
  return next?.type === tokenTypes['RightParenthesis'];
}

/**
 * Tokens with namespaces in their names, or as a pseudo-class of ours (Selectors 4, 5.2 and 6.4.2): any namespace is none for a
 * type and `*|` for an attribute; no element is in no namespace, so that `|a` is a name that none has. The default namespace
 * counts for a compound without a type too, unless it is the subject of an argument. Throws Error for an unknown prefix.
 */
function withNamespaces(list: Token[], namespaces: Namespaces, isArgument: boolean): Token[] {
  const ownDefault = namespaces.get('');
  const lastCombinator = list.findLastIndex(isTraversal);
  return list.flatMap((token, at) => {
    const own = withNamespace(token, namespaces);
    const isStart = at === 0 || isTraversal(list[at - 1] as Token);
    const isSubject = at > lastCombinator;
    const isImplied =
      ownDefault !== undefined &&
      isStart &&
      !['tag', 'universal'].includes(token.type) &&
      !isTraversal(token) &&
      !(isArgument && isSubject);
    return isImplied ? [isIn(ownDefault), ...own] : own;
  });
}

const isIn = (uri: string): Token => ({ type: SelectorType.Pseudo, name: inNamespace, data: uri });

function withNamespace(token: Token, namespaces: Namespaces): Token[] {
  if (token.type === 'tag' || token.type === 'universal') {
    const own = { ...token, namespace: null };
    if (token.namespace === '')
      return [{ type: SelectorType.Tag, name: `|${token.type === 'tag' ? token.name : '*'}`, namespace: null }];
    const uri = token.namespace === '*' ? undefined : uriOf(token.namespace ?? '', namespaces);
    return uri === undefined ? [own] : [own, isIn(uri)];
  }
  if (token.type === 'attribute' && token.namespace) {
    const space = token.namespace === '*' ? '*' : uriOf(token.namespace, namespaces);
    return [{ ...token, name: `${space}|${token.name}`, namespace: null }];
  }
  if (token.type === 'pseudo' && Array.isArray(token.data))
    return [{ ...token, data: token.data.map((each) => withNamespaces(each, namespaces, true)) }];
  return [token];
}

function uriOf(prefix: string, namespaces: Namespaces): string | undefined {
  const uri = namespaces.get(prefix);
  if (uri === undefined && prefix !== '') throw new Error(`"${prefix}" is not a declared namespace`);
  return uri;
}
