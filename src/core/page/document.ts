import { html as standard, type DefaultTreeAdapterTypes as Tree } from 'parse5';
import { parseHtml, linesKnown, startTagOf, type Lines } from './parse-html.js';
import { lineCounter } from '../css/syntax.js';
import { shadowDocument, takeShadowTree } from './shadow.js';

export type Element = Tree.Element;

/** A page's elements, as a browser's parser would make them. */
export interface PageDocument {
  /** `html`, `body` and what is inside `body`, in the order of the source: what rules reach (docs/verdicts.md, Scope). */
  elements: Element[];
  /** What says something about the whole page, in head too: `base`, `link`, `meta` and `style`, in the order of the source. */
  pageWide: Element[];
  root: Tree.Document;
  /** Whether the page lacks a standards doctype: classes and IDs then match in any letter case. */
  quirks: boolean;
  /** The shadow trees that the page declares, by their hosts; their elements are not among the page's. */
  shadows: Map<Element, PageDocument>;
  /** What it was read from; empty for a shadow tree. */
  source: () => string;
  /** Whether a state has set pseudo-classes on elements (state.ts). */
  isInState: boolean;
  /** The page's address; null if it is unknown. */
  location: PageLocation | null;
  /** What was worked out of it; see elementsChanged. */
  kept: Map<object, unknown>;
}

/**
 * What is worked out once a page. It is kept with the page: a WeakMap whose table is old holds its values, and the pages
 * that they lead to, until V8 collects all of its memory.
 */
export class KeptWithPage<T> {
  get = ({ kept }: PageDocument): T | undefined => kept.get(this) as T | undefined;
  set = ({ kept }: PageDocument, value: T): void => void kept.set(this, value);
}

/** Where a page is, and which page of the site an address names. */
export interface PageLocation {
  path: string;
  /** Absolute. */
  address: string;
  /** The path of an address that the page itself writes; null if it leads to another site. */
  pathOf: (href: string) => string | null;
}

/** Parses a page by the HTML Standard. Never throws: browsers accept any HTML. */
export function readDocument(html: string, withPlaces = false): PageDocument {
  return documentOf(parseHtml(html, withPlaces ? { sourceCodeLocationInfo: true } : {}), () => html);
}

/** The document of a parsed tree. */
export function documentOf(root: Tree.Document, source: () => string): PageDocument {
  const quirks = root.mode === standard.DOCUMENT_MODE.QUIRKS;
  return {
    root,
    ...elementsOf(root, quirks),
    quirks,
    source,
    isInState: false,
    location: null,
    kept: new Map(),
  };
}

const pageWideTags = new Set(['base', 'link', 'meta', 'style']);

function elementsOf(root: Tree.Document, quirks: boolean): Pick<PageDocument, 'elements' | 'pageWide' | 'shadows'> {
  const elements: Element[] = [];
  const pageWide: Element[] = [];
  const shadows = new Map<Element, PageDocument>();
  const visit = (node: Tree.ParentNode, isHtml: boolean, inHead: boolean) => {
    const shadow = inHead ? null : takeShadowTree(node);
    if (shadow) shadows.set(node as Element, shadowDocument(shadow, quirks));
    for (const child of node.childNodes) {
      if (!('tagName' in child)) continue;
      const isOfHead = inHead || (isHtml && child.tagName === 'head');
      if (!isOfHead) elements.push(child);
      if (pageWideTags.has(child.tagName)) pageWide.push(child);
      visit(child, node === root, isOfHead);
    }
  };
  visit(root, false, false);
  return { elements, pageWide, shadows };
}

/** The value of an attribute of an element, or undefined. */
export function attribute(element: Element, name: string): string | undefined {
  for (const each of element.attrs) if (each.name === name) return each.value;
  return undefined;
}

/** The element above, or null at the top. */
export const parentOf = (element: Element): Element | null =>
  element.parentNode && 'tagName' in element.parentNode ? element.parentNode : null;

/** An element and those above it, itself first. */
export function lineageOf(element: Element): Element[] {
  const lineage: Element[] = [];
  for (let at: Element | null = element; at; at = parentOf(at)) lineage.push(at);
  return lineage;
}

/** The elements with a tag name below a node, those in head too, in the order of the source. */
export function elementsIn(root: Tree.ParentNode, ...tagNames: string[]): Element[] {
  const found: Element[] = [];
  const visit = (node: Tree.ParentNode) => {
    for (const child of node.childNodes) {
      if (!('tagName' in child)) continue;
      if (tagNames.includes(child.tagName)) found.push(child);
      visit(child);
    }
  };
  visit(root);
  return found;
}

const lineCounters = new KeptWithPage<(offset: number) => number>();

/** The lines of a page's source on which an element's start tag begins and ends. */
export function linesOf(document: PageDocument, element: Element): Lines {
  const known = linesKnown(element);
  if (known) return known;
  const count = lineCounters.get(document) ?? lineCounter(document.source());
  lineCounters.set(document, count);
  const { start, end } = startTagOf(element, document.source());
  return { start: count(start), end: count(end) };
}
