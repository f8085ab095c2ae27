import type { Selector as Token } from 'css-what';
import { parentOf, type Element } from './document.js';
import { keyOf, keysOf } from './keys.js';

/** Sets of keys as bits; several keys may share one. */
export interface Marks {
  low: number;
  high: number;
}

/** The bit of each key that a selector needs above an element. All others leave no mark. */
const bits = new Map<string, number>();
const none: Marks = { low: 0, high: 0 };

function add(marks: Marks, bit: number): void {
  if (bit < 31) marks.low |= 1 << bit;
  else marks.high |= 1 << (bit - 31);
}

/**
 * What must stand above an element for a selector to match it: the keys of every compound that a descendant or child
 * combinator follows. Null where nothing need. An element that lacks some of it need not be tried (the filter that
 * browsers use too).
 */
export function neededAbove(tokens: Token[]): Marks | null {
  const marks = { ...none };
  for (let at = tokens.length - 1; at >= 0; at--) {
    const type = tokens[at]?.type;
    if (type === 'parent' || type === 'column-combinator') return null;
    if (type !== 'descendant' && type !== 'child') continue;
    const key = keyOf(tokens.slice(0, at));
    if (key === '*') continue;
    const bit = bits.get(key) ?? bits.size % 62;
    bits.set(key, bit);
    add(marks, bit);
  }
  return marks.low === 0 && marks.high === 0 ? null : marks;
}

/** The marks of the elements of one page and of those above them. */
export class MarksAbove {
  private known = new Map<Element, Marks>();
  private bitsThen = 0;

  /** Whether all that is needed may stand above an element. */
  has(element: Element, need: Marks): boolean {
    const parent = parentOf(element);
    if (!parent) return false;
    // A selector that was read since then has brought keys that were not looked for.
    if (bits.size !== this.bitsThen) {
      this.known = new Map();
      this.bitsThen = bits.size;
    }
    const { low, high } = this.known.get(parent) ?? this.mark(parent);
    return (low & need.low) === need.low && (high & need.high) === need.high;
  }

  /** The marks of an element with those above it; a page may be deeper than calls can be. */
  private mark(element: Element): Marks {
    const open: Element[] = [];
    let at: Element | null = element;
    while (at && !this.known.has(at)) {
      open.push(at);
      at = parentOf(at);
    }
    let marks = (at && this.known.get(at)) ?? none;
    for (const each of open.reverse()) {
      marks = { ...marks };
      for (const key of keysOf(each)) {
        const bit = bits.get(key);
        if (bit !== undefined) add(marks, bit);
      }
      this.known.set(each, marks);
    }
    return marks;
  }
}
