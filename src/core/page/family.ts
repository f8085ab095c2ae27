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

/** An element with its standing, once it is known: a map by element takes as long as counting. */
type Counted = Element & { standing?: Standing };

/**
 * An element's position. Siblings are counted once, so that 100,000 of them take linear time. Elements must not be
 * moved after the first call.
 */
export function standingOf(element: Counted): Standing {
  if (!element.standing) countFamily(element);
  return element.standing as Standing;
}

function countFamily(element: Counted): void {
  const parent = element.parentNode;
  if (!parent) {
    element.standing = { previous: null, index: 1, size: 1, indexOfType: 1, sizeOfType: 1 };
    return;
  }
  const family: Standing[] = [];
  const types = new Map<string, Standing[]>();
  let previous: Element | null = null;
  for (const node of parent.childNodes) {
    if (!('tagName' in node)) continue;
    let ofType = types.get(node.tagName);
    if (!ofType) types.set(node.tagName, (ofType = []));
    const standing: Standing = {
      previous,
      index: family.length + 1,
      size: 0,
      indexOfType: ofType.length + 1,
      sizeOfType: 0,
    };
    ofType.push(standing);
    family.push(standing);
    (node as Counted).standing = standing;
    previous = node;
  }
  for (const standing of family) standing.size = family.length;
  for (const ofType of types.values()) for (const standing of ofType) standing.sizeOfType = ofType.length;
}

/** An element's number as a position pseudo-class (`nth-child`, `nth-last-of-type`, …) counts it. */
export function positionOf(element: Element, pseudoClass: string): number {
  const { index, size, indexOfType, sizeOfType } = standingOf(element);
  const [own, all] = pseudoClass.includes('of-type') ? [indexOfType, sizeOfType] : [index, size];
  return pseudoClass.includes('last') ? all - own + 1 : own;
}
