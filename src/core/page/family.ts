import type { Element } from './document.js';

/** Elements that are counted together. */
interface Group {
  size: number;
}

/** Where an element is among the elements of its parent; numbers from 1. */
export interface Standing {
  previous: Element | null;
  index: number;
  family: Group;
  /** The same among those of its tag. */
  indexOfType: number;
  type: Group;
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
    element.standing = { previous: null, index: 1, family: { size: 1 }, indexOfType: 1, type: { size: 1 } };
    return;
  }
  const family: Group = { size: 0 };
  const types = new Map<string, Group>();
  let previous: Element | null = null;
  for (const node of parent.childNodes) {
    if (!('tagName' in node)) continue;
    let type = types.get(node.tagName);
    if (!type) types.set(node.tagName, (type = { size: 0 }));
    const standing: Standing = { previous, index: ++family.size, family, indexOfType: ++type.size, type };
    (node as Counted).standing = standing;
    previous = node;
  }
}

/** An element's number as a position pseudo-class (`nth-child`, `nth-last-of-type`, …) counts it. */
export function positionOf(element: Element, pseudoClass: string): number {
  const { index, family, indexOfType, type } = standingOf(element);
  const [own, all] = pseudoClass.includes('of-type') ? [indexOfType, type.size] : [index, family.size];
  return pseudoClass.includes('last') ? all - own + 1 : own;
}
