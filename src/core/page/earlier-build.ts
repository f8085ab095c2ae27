import type { DefaultTreeAdapterTypes as Tree } from 'parse5';
import { attribute, type Element, type PageDocument } from './document.js';
import { textOf } from './elements.js';
import { anyBegin, sheetMark } from './build-comments.js';

/** Whether an element is one that an earlier build put into the page. */
export function isOfBuild(element: Element): boolean {
  if (element.tagName === 'link') return attribute(element, sheetMark) !== undefined;
  return (
    (element.tagName === 'style' || element.tagName === 'script') && textOf(element).trimStart().startsWith(anyBegin)
  );
}

/**
 * Removes what an earlier build wrote into the body of a page, so that selectors count without it. Rules cannot reach
 * elements in head; the styles there are left out where stylesheets are read.
 */
export function dropEarlierBuild(document: PageDocument): void {
  const dropped = new Set(document.elements.filter(isOfBuild));
  for (const element of dropped) {
    const { childNodes } = element.parentNode as Tree.ParentNode;
    childNodes.splice(childNodes.indexOf(element), 1);
  }
  if (dropped.size > 0) document.elements = document.elements.filter((element) => !dropped.has(element));
}
