import { compile } from 'css-select';
import { isTraversal, SelectorType, type Selector as Token } from 'css-what';
import { html as standard, type DefaultTreeAdapterTypes as Tree } from 'parse5';
import { inNamespace, selectorTokens, type Namespaces } from '../css/selector-tokens.js';
import type { Element, PageDocument } from './document.js';
import { standingOf } from './family.js';
import { formula, pseudoClasses } from './pseudo-classes.js';

/** Thrown where a search took longer than it may. */
export class TooLate extends Error {}

let watch: { isLate: () => boolean; steps: number } | null = null;

/** Runs a search; throws TooLate when its time limit is over, however slow the selector is. */
export function withinTime<T>(isLate: () => boolean, search: () => T): T {
  const outer = watch;
  // Within another search both limits count.
  watch = { isLate: outer ? () => isLate() || outer.isLate() : isLate, steps: 0 };
  try {
    return search();
  } finally {
    watch = outer;
  }
}

/** Checks the clock now and then; called for every node that a selector tests. */
function step(): void {
  if (watch && ++watch.steps % 8192 === 0 && watch.isLate()) throw new TooLate('The time is up.');
}

const adapter = {
  isTag: (node: Tree.Node): node is Element => {
    step();
    return 'tagName' in node;
  },
  getAttributeValue: selectedAttribute,
  hasAttrib: (element: Element, name: string) => selectedAttribute(element, name) !== undefined,
  getChildren: (node: Tree.Node): Tree.Node[] => ('childNodes' in node ? node.childNodes : []),
  // A type selector matches elements of SVG and MathML in any letter case too, as Chromium has it.
  getName: (element: Element) =>
    element.namespaceURI === standard.NS.HTML ? element.tagName : element.tagName.toLowerCase(),
  getParent: (element: Element): Tree.Node | null => {
    step();
    return element.parentNode;
  },
  getSiblings: (node: Tree.Node): Tree.Node[] =>
    'parentNode' in node && node.parentNode ? node.parentNode.childNodes : [node],
  getText: textOf,
  removeSubsets: (nodes: Tree.Node[]) => nodes,
  prevElementSibling: (node: Tree.Node): Element | null => ('tagName' in node ? standingOf(node).previous : null),
};

/**
 * The value that an attribute selector looks at: names in any letter case, as Chromium has it for SVG's `viewBox` too; those
 * with a prefix (`xlink:href`) only by `*|name`, which looks at both, or by their namespace (Selectors 4, 6.4.2).
 */
export function selectedAttribute(element: Element, name: string): string | undefined {
  const at = name.lastIndexOf('|');
  const space = at < 0 ? '' : name.slice(0, at);
  const wanted = name.slice(at + 1).toLowerCase();
  for (const { name: own, value, namespace } of element.attrs)
    if ((space === '*' || (namespace ?? '') === space) && own.length === wanted.length && own.toLowerCase() === wanted)
      return value;
  return undefined;
}

/** The text inside a node, as in the source. */
export function textOf(node: Tree.Node): string {
  if ('value' in node) return node.value;
  return 'childNodes' in node ? node.childNodes.map(textOf).join('') : '';
}

/** Finds the elements that one selector without pseudo-elements matches on a page, in the order of the source. */
export type Matcher = (document: PageDocument) => Element[];

/** The plain way: each element of the page is tried. Throws Error if css-select cannot read it. */
export function plainMatcher(selector: string, namespaces?: Namespaces): Matcher {
  const query = queryOf(selectorTokens(selector, namespaces));
  return (document) => document.elements.filter(query(document));
}

/** The selector as a test of one element, for documents in standards and in quirks mode. */
export function queryOf(tokens: Token[][]): (document: Pick<PageDocument, 'quirks'>) => (element: Element) => boolean {
  renameOwn(tokens);
  const make = (quirksMode: boolean) =>
    compile<Tree.Node, Element>(tokens, { adapter, pseudos: pseudosIn(quirksMode), quirksMode, cacheResults: false });
  const standards = make(false);
  let quirks: typeof standards | undefined;
  return (document) => (document.quirks ? (quirks ??= make(true)) : standards);
}

/** The element that `:scope` matches; outside of `@scope` the root element (Selectors 4, 15.2). */
let scopingRoot: Element | null = null;

/** Runs a test in which `:scope` stands for an element. */
export function withScopingRoot<T>(root: Element | null, test: () => T): T {
  const before = scopingRoot;
  scopingRoot = root;
  try {
    return test();
  } finally {
    scopingRoot = before;
  }
}

const isScope = (element: Element) =>
  scopingRoot ? element === scopingRoot : element.parentNode?.nodeName === '#document';

const isInNamespace = (element: Element, uri?: string | null) => element.namespaceURI === uri;

const own = 'needle-';
const ownPseudos = Object.fromEntries(
  Object.entries({ ...pseudoClasses, scope: isScope, [inNamespace]: isInNamespace }).map(([name, test]) => [
    own + name,
    test,
  ]),
);

/** `:nth-child(2 of .x)` as a test; the list is read once. */
function nthOf(quirksMode: boolean, isFromEnd: boolean): (element: Element, argument?: string | null) => boolean {
  const known = new Map<string, { isCounted: (index: number) => boolean; isListed: (element: Element) => boolean }>();
  return (element, argument) => {
    const text = argument ?? '';
    let own = known.get(text);
    if (!own) {
      const [, counted = '', list = ''] = ofPattern.exec(text) ?? [];
      const isListed = queryOf(selectorTokens(list))({ quirks: quirksMode });
      known.set(text, (own = { isCounted: formula(counted), isListed }));
    }
    if (!own.isListed(element)) return false;
    return own.isCounted(placeAmong(element, own.isListed, isFromEnd));
  };
}

/** Where elements are among the siblings that a list takes; counted once, for as long as no attribute changes. */
const placesKnown = new WeakMap<(element: Element) => boolean, { changes: number; places: WeakMap<Element, number> }>();
let changes = 0;

/** Call this after changing an attribute of an element. */
export function attributesChanged(): void {
  changes++;
}

function placeAmong(element: Element, isListed: (element: Element) => boolean, isFromEnd: boolean): number {
  let known = placesKnown.get(isListed);
  if (known?.changes !== changes) placesKnown.set(isListed, (known = { changes, places: new WeakMap() }));
  const place = known.places.get(element);
  if (place !== undefined) return place;
  const listed = adapter.getSiblings(element).filter((each) => adapter.isTag(each) && isListed(each)) as Element[];
  if (isFromEnd) listed.reverse();
  listed.forEach((each, at) => known.places.set(each, at));
  return known.places.get(element) ?? 0;
}

const ofPattern = /^\s*([^]+?)\s+of(?![\w-])\s*([^]+)$/i;

const pseudosIn = (quirksMode: boolean) => ({
  ...ownPseudos,
  [`${own}nth-child-of`]: nthOf(quirksMode, false),
  [`${own}nth-last-child-of`]: nthOf(quirksMode, true),
});

/** `:scope* `: without the star css-select takes `:scope x` for `x` on the element of `:has()` itself too. */
const anchor: Token[] = [
  { type: SelectorType.Pseudo, name: 'scope', data: null },
  { type: SelectorType.Universal, namespace: null },
  { type: SelectorType.Descendant },
];

/** css-select's own reading of a pseudo-class comes before one that is handed to it, so that ours need other names. */
function renameOwn(tokens: Token[][]): void {
  for (const token of tokens.flat()) {
    // No word of a list is empty; css-select knows that of those with spaces alone.
    if (token.type === 'attribute' && token.action === 'element' && token.value === '') token.value = ' ';
    if (token.type !== 'pseudo') continue;
    const withList = /^nth-(last-)?child$/.test(token.name) && ofPattern.test(String(token.data));
    if (withList) token.name += '-of';
    if (withList || ['scope', inNamespace].includes(token.name) || Object.hasOwn(pseudoClasses, token.name))
      token.name = own + token.name;
    if (!Array.isArray(token.data)) continue;
    renameOwn(token.data);
    // All of `:has(a b)` is inside of its element (Selectors 4, 4.5); css-select looks above it for the `a`.
    if (token.name === 'has')
      token.data = token.data.map((list) => {
        const isJoined = list.slice(1).some(isTraversal) && !(list[0] && isTraversal(list[0]));
        return isJoined ? [...anchor, ...list] : list;
      });
  }
}
