import { isTraversal, type Selector as Token } from 'css-what';
import { statePseudoClasses } from '../../page/pseudo-classes.js';

/** What decides whether a selector matches an element: its tag, and these IDs, classes and attributes, of itself and of those above it. */
export interface Asks {
  words: string[];
  attributes: [name: string, value: string | null][];
  /** `element`: something else decides too, such as its place among its siblings. */
  of: 'lineage' | 'element';
  /** It matches nothing unless a state sets a pseudo-class. */
  inState: boolean;
}

const states = new Set(statePseudoClasses);
const onLineage = new Set<string>(['descendant', 'child']);
const holdingLists = new Set(['is', 'where', 'not', 'matches', '-webkit-any']);

/** What decides about a selector, by its tokens. */
export function asksOf(tokens: Token[]): Asks {
  const asks: Asks = { words: [], attributes: [], of: 'lineage', inState: false };
  collect(tokens, asks);
  // `:hover` outside of `:not()` and the like.
  asks.inState = tokens.some((token) => token.type === 'pseudo' && states.has(token.name));
  return asks;
}

/** The same for a selector of tags, classes, IDs and combinators alone, by its text. */
export const asksOfPlain = (text: string): Asks => ({
  words: (text.match(/[.#][\w-]+/g) ?? []).map((word) => word.toLowerCase()),
  attributes: [],
  of: /[+~]/.test(text) ? 'element' : 'lineage',
  inState: false,
});

function collect(tokens: Token[], asks: Asks): void {
  for (const token of tokens) if (!isOfLineage(token, asks)) asks.of = 'element';
}

/** Whether a token asks for nothing but what is collected here. */
function isOfLineage(token: Token, asks: Asks): boolean {
  if (isTraversal(token)) return onLineage.has(token.type);
  if (token.type === 'tag' || token.type === 'universal') return token.namespace === null;
  if (token.type === 'attribute') {
    const name = token.name.toLowerCase();
    if (token.namespace !== null || name.includes('|')) return false;
    if (name === 'id' && token.action === 'equals') asks.words.push(`#${token.value.toLowerCase()}`);
    else if (name === 'class' && token.action === 'element') asks.words.push(`.${token.value.toLowerCase()}`);
    else if (token.action === 'exists') asks.attributes.push([name, null]);
    else if (token.action === 'equals') asks.attributes.push([name, token.value.toLowerCase()]);
    else return false;
    return true;
  }
  if (token.type !== 'pseudo') return false;
  if (token.name === 'root') return true;
  if (token.name === 'link' || token.name === 'any-link') return asks.attributes.push(['href', null]) > 0;
  if (!holdingLists.has(token.name) || !Array.isArray(token.data)) return false;
  for (const list of token.data) collect(list, asks);
  return true;
}
