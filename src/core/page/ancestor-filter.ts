import type { Selector as Token } from 'css-what';
import { parentOf, type Element } from './document.js';
import { BoundedMap } from '../bounded-map.js';
import { keysOfKind, selectorKey } from './selector-key.js';

/** A set of keys as bits; several keys may share a bit. */
export interface KeyBits {
  low: number;
  high: number;
}

const none: KeyBits = { low: 0, high: 0 };
const bitsKnown = new BoundedMap<string, number>(20_000);

function bitOf(key: string): number {
  let bit = bitsKnown.get(key);
  if (bit === undefined) {
    let hash = 0;
    for (let at = 0; at < key.length; at++) hash = (Math.imul(hash, 31) + key.charCodeAt(at)) >>> 0;
    bitsKnown.set(key, (bit = hash % 62));
  }
  return bit;
}

/** Sets the bit of an ID, class or tag; attributes are too many to tell apart. */
function add(bits: KeyBits, key: string): void {
  if (key === '*' || key.startsWith('[')) return;
  const bit = bitOf(key);
  if (bit < 31) bits.low |= 1 << bit;
  else bits.high |= 1 << (bit - 31);
}

const bitsOfClasses = new BoundedMap<string, KeyBits>(20_000);

/** Sets the bits of an element's tag, ID and classes. */
function addKeys(bits: KeyBits, element: Element): void {
  add(bits, element.tagName.toLowerCase());
  for (const { name, value } of element.attrs) {
    if (name === 'id') add(bits, `#${value.toLowerCase()}`);
    if (name !== 'class') continue;
    let own = bitsOfClasses.get(value);
    if (!own) {
      own = { ...none };
      for (const key of keysOfKind(element, '.')) add(own, key);
      bitsOfClasses.set(value, own);
    }
    bits.low |= own.low;
    bits.high |= own.high;
  }
}

/**
 * What a selector requires of an element's ancestors: the keys of every compound that a descendant or child combinator
 * follows. Null where nothing need. An element that lacks some of it need not be tried (the filter that browsers use
 * too).
 */
export function requiredAncestors(tokens: Token[]): KeyBits | null {
  const bits = { ...none };
  for (let at = tokens.length - 1; at >= 0; at--) {
    const type = tokens[at]?.type;
    if (type === 'parent' || type === 'column-combinator') return null;
    if (type !== 'descendant' && type !== 'child') continue;
    add(bits, selectorKey(tokens.slice(0, at)));
  }
  return bits.low === 0 && bits.high === 0 ? null : bits;
}

/** The bits of the elements of one page and of those above them. */
export class AncestorFilter {
  private readonly known = new Map<Element, KeyBits>();

  /** Whether the required ancestors may be there. */
  has(element: Element, need: KeyBits): boolean {
    const parent = parentOf(element);
    if (!parent) return false;
    const { low, high } = this.known.get(parent) ?? this.mark(parent);
    return (low & need.low) === need.low && (high & need.high) === need.high;
  }

  /** The bits of an element with those above it; a page may be deeper than calls can be. */
  private mark(element: Element): KeyBits {
    const open: Element[] = [];
    let at: Element | null = element;
    while (at && !this.known.has(at)) {
      open.push(at);
      at = parentOf(at);
    }
    let bits = (at && this.known.get(at)) ?? none;
    for (const each of open.reverse()) {
      bits = { ...bits };
      addKeys(bits, each);
      this.known.set(each, bits);
    }
    return bits;
  }
}
