import type { Selector as Token } from 'css-what';
import type { Element } from './document.js';

/**
 * What an element must carry to match a selector at all: `#id`, `.class`, a tag, `[attribute`, each in lower case, or `*`
 * where that cannot be known.
 */
export function selectorKey(tokens: Token[]): string {
  let key = '*';
  for (let at = tokens.length - 1; at >= 0; at--) {
    const token = tokens[at];
    if (!token || combinators.has(token.type)) break;
    if (token.type === 'tag' && (key === '*' || key.startsWith('['))) key = token.name.toLowerCase();
    if (token.type !== 'attribute' || token.action === 'not') continue;
    if (token.ignoreCase !== 'quirks') {
      if (key === '*') key = `[${token.name.toLowerCase().replace('*|', '')}`;
      continue;
    }
    if (token.name === 'id' && token.action === 'equals') return `#${token.value.toLowerCase()}`;
    if (token.name === 'class' && token.action === 'element') key = `.${token.value.toLowerCase()}`;
  }
  return key;
}

const combinators = new Set<string>(['descendant', 'child', 'sibling', 'adjacent', 'parent', 'column-combinator']);

/** The keys that an element carries. */
export function elementKeys(element: Element): string[] {
  const keys = ['*', element.tagName.toLowerCase()];
  for (const { name, value } of element.attrs) {
    keys.push(`[${name.toLowerCase()}`);
    if (name === 'id') keys.push(`#${value.toLowerCase()}`);
    if (name === 'class')
      for (const each of new Set(value.toLowerCase().split(/[\t\n\f\r ]+/))) if (each) keys.push(`.${each}`);
  }
  return keys;
}
