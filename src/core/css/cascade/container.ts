import { parse, type CssNode } from 'css-tree';
import { parentOf, type Element } from '../../page/document.js';
import type { Computed } from '../value/computed.js';
import { itemsOf } from '../value/items.js';
import { substitute } from '../value/variables.js';
import { wideKeywords } from '../declaration.js';
import { evaluateCondition, type Truth } from './media.js';

/** What a query needs of its container: a size, the state of its scrolling, or nothing. */
type Need = 'size' | 'scroll-state' | null;

/**
 * Whether a `@container` query holds for an element or a pseudo-element of it (CSS Conditional 5, section 5): `style()` and
 * names are told by the cascade; null where a size or the scrolling of a container would decide.
 */
export function containerHolds(
  query: string,
  element: Element,
  pseudo: string,
  computed: Pick<Computed, 'value'>,
): Truth {
  const queries = itemsOf(query).map(readQuery);
  if (queries.includes(null)) return false;
  const from = pseudo === '' ? parentOf(element) : element;
  const truths = queries.map((each) => each !== null && oneHolds(each, from, computed));
  return truths.includes(true) || (truths.includes(null) ? null : false);
}

interface Query {
  text: string;
  name: string | null;
  condition: Condition | null;
}

function oneHolds({ text, name, condition }: Query, from: Element | null, computed: Pick<Computed, 'value'>): Truth {
  const need: Need = /scroll-state\(/i.test(text) ? 'scroll-state' : needsSize(condition) ? 'size' : null;
  let container = from;
  while (container && !isContainer(container, name, need, computed)) container = parentOf(container);
  // Without a container, the query holds nowhere, whatever it asks.
  if (!container) return false;
  const own = container;
  return condition === null ? true : evaluateCondition(condition.children, (node) => told(node, own, computed));
}

type Condition = Extract<CssNode, { type: 'Condition' }>;

const isOperator = (word: string) => /^(and|or|not|none)$/i.test(word);

/** Reads one query; null if Chromium drops it. */
function readQuery(text: string): Query | null {
  if (/^[\w-]+$/.test(text)) return isOperator(text) ? null : { text, name: text, condition: null };
  let tree: CssNode;
  try {
    tree = parse(`@container ${text} {}`, { context: 'atrule' });
  } catch {
    return null;
  }
  const prelude = tree.type === 'Atrule' ? tree.prelude : null;
  if (prelude?.type !== 'AtrulePrelude') return null;
  const nodes = prelude.children.toArray();
  const condition = nodes.find((node): node is Condition => node.type === 'Condition');
  if (!condition?.children.toArray().every((node) => node.type !== 'Identifier' || isOperator(node.name))) return null;
  const [first] = nodes;
  return { text, name: first?.type === 'Identifier' ? first.name : null, condition };
}

const needsSize = (condition: Condition | null): boolean =>
  condition?.children
    .toArray()
    .some((node) =>
      node.type === 'Condition' ? needsSize(node) : node.type === 'Feature' || node.type === 'FeatureRange',
    ) ?? false;

function isContainer(element: Element, name: string | null, need: Need, computed: Pick<Computed, 'value'>): boolean {
  const words = (longhand: string) => computed.value(element, '', longhand).split(' ');
  if (name !== null && !words('container-name').includes(name.toLowerCase())) return false;
  if (need === null) return true;
  const types = words('container-type');
  return need === 'size' ? types.includes('size') || types.includes('inline-size') : types.includes('scroll-state');
}

/** One part of a condition, on its container. */
function told(node: CssNode, container: Element, computed: Pick<Computed, 'value'>): Truth {
  if (node.type !== 'FeatureFunction' || node.feature.toLowerCase() !== 'style') return null;
  const value = node.value as CssNode;
  if (value.type === 'Declaration') {
    // Chromium asks for custom properties alone.
    if (!value.property.startsWith('--') || value.value.type !== 'Raw') return false;
    const wanted = value.value.value.trim();
    const own = computed.value(container, '', value.property);
    if (wideKeywords.includes(wanted.toLowerCase())) return wanted.toLowerCase() === 'initial' ? own === '' : null;
    // Only the device knows; in a string the answer is not sure without need.
    if (/\benv\(/i.test(wanted)) return null;
    // Without a value for its var() it is what a property is that nothing sets.
    return own === (substitute(wanted, (name) => computed.value(container, '', name)) ?? '');
  }
  const text = value.type === 'Raw' ? value.value.trim() : '';
  if (/^--[\w-]+$/.test(text)) return computed.value(container, '', text) !== '';
  if (/[<>=]/.test(text)) return null;
  const inner = readQuery(text.replace(/\((?=\s*--)/g, 'style('));
  return inner?.condition
    ? evaluateCondition(inner.condition.children, (each) => told(each, container, computed))
    : null;
}
