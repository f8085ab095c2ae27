import { parse, SelectorType, type Selector as Token } from 'css-what';

/** A selector list in css-what's tokens. css-what reads no empty list, which matches nothing (Selectors 4, 4.2). Throws Error. */
export function selectorTokens(selector: string): Token[][] {
  const tokens = parse(
    /["']/.test(selector) ? selector : selector.replace(/:(is|where|-webkit-any)\(\s*\)/gi, ':not(*)'),
  );
  return selector.includes('|') ? tokens.map((list) => list.map(withoutNamespace)) : tokens;
}

/**
 * A token with its namespace in its name (Selectors 4, 5.2 and 6.4.2): any namespace is none for a type and `*|` for an
 * attribute; no element is in no namespace, so that `|a` is a name that none has.
 */
function withoutNamespace(token: Token): Token {
  if (token.type === 'tag')
    return { ...token, name: `${token.namespace === '' ? '|' : ''}${token.name}`, namespace: null };
  if (token.type === 'universal')
    return token.namespace === ''
      ? { type: SelectorType.Tag, name: '|*', namespace: null }
      : { ...token, namespace: null };
  if (token.type === 'attribute' && token.namespace === '*')
    return { ...token, name: `*|${token.name}`, namespace: null };
  if (token.type === 'pseudo' && Array.isArray(token.data))
    return { ...token, data: token.data.map((list) => list.map(withoutNamespace)) };
  return token;
}
