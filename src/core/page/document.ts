import { html as standard, parse, type DefaultTreeAdapterTypes as Tree } from 'parse5';

export type Element = Tree.Element;

/** A page's elements, as a browser's parser would make them. */
export interface PageDocument {
  /** `html`, `body` and what is inside `body`, in the order of the source: what rules reach (docs/verdicts.md, Scope). */
  elements: Element[];
  root: Tree.Document;
  /** Whether the page lacks a standards doctype: classes and IDs then match in any letter case. */
  quirks: boolean;
}

/** Parses a page by the HTML Standard. Never throws: there is no HTML that a browser refuses. */
export function readDocument(html: string): PageDocument {
  const root = parse(html);
  return { root, elements: elementsOutsideHead(root), quirks: root.mode === standard.DOCUMENT_MODE.QUIRKS };
}

function elementsOutsideHead(root: Tree.Document): Element[] {
  const elements: Element[] = [];
  const visit = (node: Tree.ParentNode, isHtml: boolean) => {
    for (const child of node.childNodes) {
      if (!('tagName' in child) || (isHtml && child.tagName === 'head')) continue;
      elements.push(child);
      visit(child, node === root);
    }
  };
  visit(root, false);
  return elements;
}

/** The value of an attribute of an element, or undefined. */
export function attribute(element: Element, name: string): string | undefined {
  for (const each of element.attrs) if (each.name === name) return each.value;
  return undefined;
}
