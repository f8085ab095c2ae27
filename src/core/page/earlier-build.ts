import type { DefaultTreeAdapterTypes as Tree } from 'parse5';
import { attribute, elementsIn, readDocument, type Element, type PageDocument } from './document.js';
import { textOf } from './query.js';
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
  if (dropped.size === 0) return;
  document.elements = document.elements.filter((element) => !dropped.has(element));
  document.pageWide = document.pageWide.filter((element) => !dropped.has(element));
}

/** A page's source without what an earlier build wrote into it, and the removed elements, by the part they were in. */
export interface PageWithoutBuild {
  html: string;
  head: string;
  body: string;
}

/** Removes the elements of an earlier build from a page's source; every other byte stays. */
export function withoutEarlierBuild(html: string): PageWithoutBuild {
  const result = { html, head: '', body: '' };
  if (!html.includes(anyBegin) && !html.includes(sheetMark)) return result;
  const { root, elements } = readDocument(html, true);
  const inBody = new Set(elements);
  for (const element of elementsIn(root, 'style', 'script', 'link').filter(isOfBuild).reverse()) {
    const at = element.sourceCodeLocation;
    if (!at) continue;
    const part = inBody.has(element) ? 'body' : 'head';
    result[part] = html.slice(at.startOffset, at.endOffset) + result[part];
    result.html = result.html.slice(0, at.startOffset) + result.html.slice(at.endOffset);
  }
  return result;
}
