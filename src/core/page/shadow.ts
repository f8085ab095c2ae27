import type { DefaultTreeAdapterTypes as Tree } from 'parse5';
import type { Element, PageDocument } from './document.js';

const hosts = new Set(
  'article aside blockquote body div footer h1 h2 h3 h4 h5 h6 header main nav p section span'.split(' '),
);
const reserved = /^(annotation-xml|color-profile|font-face(-(src|uri|format|name))?|missing-glyph)$/;

/** Whether an element may have a shadow tree (DOM Standard 4.8, attachShadow). */
export const mayBeHost = ({ tagName }: Element) =>
  hosts.has(tagName) || (/^[a-z][^A-Z]*-/.test(tagName) && !reserved.test(tagName));

/**
 * Takes the shadow tree that a page declares for an element (HTML Standard 4.12.3, `shadowrootmode`) out of its children, where
 * a browser never puts it. Null if it declares none; a second one stays a template.
 */
export function takeShadowTree(host: Tree.ParentNode): Tree.DocumentFragment | null {
  if (!('tagName' in host) || !mayBeHost(host)) return null;
  const at = host.childNodes.findIndex(
    (child) =>
      'content' in child &&
      child.attrs.some(({ name, value }) => name === 'shadowrootmode' && /^(open|closed)$/i.test(value)),
  );
  const template = host.childNodes[at];
  if (!template || !('content' in template)) return null;
  host.childNodes.splice(at, 1);
  return template.content;
}

/** The elements of a shadow tree, those of the trees inside of it left out, as a document of their own. */
export function shadowDocument(tree: Tree.DocumentFragment, quirks: boolean): PageDocument {
  const elements: Element[] = [];
  const visit = (node: Tree.ParentNode) => {
    for (const child of node.childNodes) {
      if (!('tagName' in child)) continue;
      elements.push(child);
      visit(child);
    }
  };
  visit(tree);
  // What reads it asks for its elements alone.
  return {
    root: tree as unknown as Tree.Document,
    elements,
    pageWide: [],
    quirks,
    source: () => '',
    isInState: false,
    location: null,
    shadows: new Map(),
    kept: new Map(),
  };
}

/** The hosts in whose shadow trees something matches, each as often as it does. */
export const hostsWith = (match: (document: PageDocument) => Element[], { shadows }: PageDocument): Element[] =>
  [...shadows].flatMap(([host, tree]) => match(tree).map(() => host));

/** The names of the parts of a shadow tree (CSS Shadow Parts 1, 3.2). */
export const partsOf = ({ elements }: PageDocument): string[][] =>
  elements.flatMap(({ attrs }) =>
    attrs.filter(({ name }) => name === 'part').map(({ value }) => value.trim().split(/\s+/)),
  );

/** The names that a pseudo-element `::part(a b)` asks for; null for any other. */
export const partNames = (pseudo: string): string[] | null =>
  /^::part\(([^)]*)\)/i.exec(pseudo)?.[1]?.trim().split(/\s+/) ?? null;

/** Whether an element's shadow tree has a part; one that a script may make has any. */
export function mayHavePart({ shadows }: PageDocument, element: Element, names: string[]): boolean {
  const tree = shadows.get(element);
  return tree ? partsOf(tree).some((own) => names.every((name) => own.includes(name))) : mayBeHost(element);
}
