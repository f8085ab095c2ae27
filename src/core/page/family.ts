import type { Element } from './document.js';

/** Where an element is among the elements of its parent; numbers from 1. */
export interface Standing {
  previous: Element | null;
  index: number;
  /** Elements in the family. */
  size: number;
  /** The same among those of its tag. */
  indexOfType: number;
  sizeOfType: number;
}

const families = new WeakMap<object, Map<Element, Standing>>();

/**
 * An element's position. Siblings are counted once, so that 100,000 of them take linear time. Elements must not be
 * moved after the first call.
 */
export function standingOf(element: Element): Standing {
  const parent = element.parentNode;
  if (!parent) return { previous: null, index: 1, size: 1, indexOfType: 1, sizeOfType: 1 };
  let family = families.get(parent);
  if (!family) {
    family = new Map();
    const types = new Map<string, Standing[]>();
    let previous: Element | null = null;
    for (const node of parent.childNodes) {
      if (!('tagName' in node)) continue;
      const ofType = types.get(node.tagName) ?? [];
      types.set(node.tagName, ofType);
      const standing: Standing = {
        previous,
        index: family.size + 1,
        size: 0,
        indexOfType: ofType.length + 1,
        sizeOfType: 0,
      };
      ofType.push(standing);
      family.set(node, standing);
      previous = node;
    }
    for (const standing of family.values()) standing.size = family.size;
    for (const ofType of types.values()) for (const standing of ofType) standing.sizeOfType = ofType.length;
    families.set(parent, family);
  }
  return family.get(element) as Standing;
}

/** An element's number as a position pseudo-class (`nth-child`, `nth-last-of-type`, …) counts it. */
export function positionOf(element: Element, pseudoClass: string): number {
  const { index, size, indexOfType, sizeOfType } = standingOf(element);
  const [own, all] = pseudoClass.includes('of-type') ? [indexOfType, sizeOfType] : [index, size];
  return pseudoClass.includes('last') ? all - own + 1 : own;
}
