import { html as standard, parse, type DefaultTreeAdapterTypes as Tree } from 'parse5';

export type Element = Tree.Element;

/** A page's elements, as a browser's parser would make them. */
export interface PageDocument {
  root: Tree.Document;
  /** Whether the page lacks a standards doctype: classes and IDs then match in any letter case. */
  quirks: boolean;
}

/** Parses a page by the HTML Standard. Never throws: there is no HTML that a browser refuses. */
export function readDocument(html: string): PageDocument {
  const root = parse(html);
  return { root, quirks: root.mode === standard.DOCUMENT_MODE.QUIRKS };
}

/** The value of an attribute of an element, or undefined. */
export function attribute(element: Element, name: string): string | undefined {
  for (const each of element.attrs) if (each.name === name) return each.value;
  return undefined;
}
