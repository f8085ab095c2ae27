import { compile, selectAll } from 'css-select';
import { statePseudoClasses } from '../css/selector.js';
import { defaultTreeAdapter as tree, html as standard, parse, type DefaultTreeAdapterTypes as Tree } from 'parse5';

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

const adapter = {
  isTag: (node: Tree.Node): node is Element => 'tagName' in node,
  getAttributeValue: attribute,
  hasAttrib: (element: Element, name: string) => attribute(element, name) !== undefined,
  getChildren: (node: Tree.Node): Tree.Node[] => ('childNodes' in node ? node.childNodes : []),
  getName: (element: Element) => element.tagName,
  getParent: (element: Element): Tree.Node | null => element.parentNode,
  getSiblings: (node: Tree.Node): Tree.Node[] =>
    'parentNode' in node && node.parentNode ? node.parentNode.childNodes : [node],
  getText: textOf,
  removeSubsets: (nodes: Tree.Node[]) => nodes,
  prevElementSibling: (node: Tree.Node): Element | null => {
    const siblings = 'parentNode' in node && node.parentNode ? node.parentNode.childNodes : [];
    for (let index = siblings.indexOf(node as Tree.ChildNode) - 1; index >= 0; index--) {
      const sibling = siblings[index];
      if (sibling && tree.isElementNode(sibling)) return sibling;
    }
    return null;
  },
};

/** The text inside a node, as in the source. */
export function textOf(node: Tree.Node): string {
  if ('value' in node) return node.value;
  return 'childNodes' in node ? node.childNodes.map(textOf).join('') : '';
}

const never = () => false;
/** Pseudo-classes that css-select reads otherwise than browsers do, and those that only a user or a script brings about. */
const pseudos: Record<string, (element: Element) => boolean> = {
  // Selectors 4 lets white space count as empty; no browser does.
  empty: (element) =>
    element.childNodes.every((node) => !('value' in node && node.value !== '') && !tree.isElementNode(node)),
  defined: (element) => !element.tagName.includes('-'),
  open: (element) => ['details', 'dialog'].includes(element.tagName) && attribute(element, 'open') !== undefined,
  'placeholder-shown': (element) =>
    ['input', 'textarea'].includes(element.tagName) &&
    attribute(element, 'placeholder') !== undefined &&
    !(attribute(element, 'value') ?? textOf(element)),
  ...Object.fromEntries(statePseudoClasses.map((name) => [name, never])),
};

/** Finds the elements that one selector without pseudo-elements matches on a page, in the order of the source. */
export type Matcher = (document: PageDocument) => Element[];

/** Compiles a selector once, to run on many pages. Throws Error where css-select cannot read it. */
export function compileMatcher(selector: string): Matcher {
  const make = (quirksMode: boolean) =>
    compile<Tree.Node, Element>(selector, { adapter, pseudos, quirksMode, cacheResults: false });
  const standards = make(false);
  let quirks: typeof standards | undefined;
  return (document) => {
    const query = document.quirks ? (quirks ??= make(true)) : standards;
    return selectAll<Tree.Node, Element>(query, document.root, { adapter, cacheResults: false }).filter(isOfTheBody);
  };
}

/** Rules reach `html`, `body` and what is inside `body`; never `head` (docs/verdicts.md, Scope). */
function isOfTheBody(element: Element): boolean {
  let at: Tree.ParentNode | null = element;
  while (at && 'tagName' in at) {
    if (at.tagName === 'head' && at.parentNode && 'tagName' in at.parentNode && at.parentNode.tagName === 'html')
      return false;
    at = at.parentNode;
  }
  return true;
}
