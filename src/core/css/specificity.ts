import type { Selector as Token } from 'css-what';
import { inNamespace, selectorTokens } from './selector-tokens.js';

/** Selectors Level 4, section 17: IDs; classes, attributes and pseudo-classes; types and pseudo-elements. */
export type Specificity = [ids: number, classes: number, types: number];

const legacyPseudoElements = ['before', 'after', 'first-line', 'first-letter'];

/** The specificity of one complex selector, as css-what reads it. */
export function specificityOf(tokens: Token[]): Specificity {
  const total: Specificity = [0, 0, 0];
  for (const token of tokens) add(total, ofToken(token));
  return total;
}

function ofToken(token: Token): Specificity {
  switch (token.type) {
    case 'attribute':
      return token.name === 'id' && token.ignoreCase === 'quirks' && token.action === 'equals' ? [1, 0, 0] : [0, 1, 0];
    case 'tag':
    case 'pseudo-element':
      return [0, 0, 1];
    case 'pseudo':
      return ofPseudoClass(token);
    default:
      return [0, 0, 0];
  }
}

/** Functions weigh what their heaviest argument weighs; `:where()` weighs nothing. */
function ofPseudoClass({ name, data }: { name: string; data?: string | Token[][] | null }): Specificity {
  if (name === 'where' || name === inNamespace) return [0, 0, 0];
  if (legacyPseudoElements.includes(name)) return [0, 0, 1];
  if (Array.isArray(data)) {
    const inner = heaviest(data);
    return ['is', 'not', 'has', 'matches'].includes(name) || name.startsWith('-webkit-any') ? inner : plusClass(inner);
  }
  const list =
    /^nth-(last-)?child$/.test(name) && typeof data === 'string' ? /\sof(?![\w-])(.*)$/is.exec(data)?.[1] : undefined;
  return list === undefined ? [0, 1, 0] : plusClass(heaviest(selectorTokens(list)));
}

const plusClass = ([ids, classes, types]: Specificity): Specificity => [ids, classes + 1, types];

function heaviest(list: Token[][]): Specificity {
  return list.map(specificityOf).reduce((best, each) => (compareSpecificity(each, best) > 0 ? each : best), [0, 0, 0]);
}

function add(total: Specificity, more: Specificity): void {
  more.forEach((count, index) => (total[index] = (total[index] ?? 0) + count));
}

/** Above zero if the first is the heavier one. */
export function compareSpecificity(a: Specificity, b: Specificity): number {
  return a[0] - b[0] || a[1] - b[1] || a[2] - b[2];
}

/** `(1,2,0)`, as people write it. */
export const specificityText = (specificity: Specificity) => `(${specificity.join(',')})`;
