import { compile } from 'css-select';
import { isTraversal, SelectorType, type Selector as Token } from 'css-what';
import { selectorTokens } from '../css/selector-tokens.js';
import { AncestorFilter, requiredAncestors, type KeyBits } from './ancestor-filter.js';
import { KeptWithPage, type Element, type PageDocument } from './document.js';
import { standingOf } from './family.js';
import { classesOf, keysOfKind, selectorKey } from './selector-key.js';
import { pseudoClasses } from './pseudo-classes.js';
import { html as standard, type DefaultTreeAdapterTypes as Tree } from 'parse5';

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
 * with a prefix (`xlink:href`) only by `*|name`, which looks at both (Selectors 4, 6.4.2).
 */
function selectedAttribute(element: Element, name: string): string | undefined {
  const isAnywhere = name.startsWith('*|');
  const wanted = (isAnywhere ? name.slice(2) : name).toLowerCase();
  for (const { name: own, value, namespace } of element.attrs)
    if ((isAnywhere || !namespace) && own.length === wanted.length && own.toLowerCase() === wanted) return value;
  return undefined;
}

/** The text inside a node, as in the source. */
export function textOf(node: Tree.Node): string {
  if ('value' in node) return node.value;
  return 'childNodes' in node ? node.childNodes.map(textOf).join('') : '';
}

/** Finds the elements that one selector without pseudo-elements matches on a page, in the order of the source. */
export type Matcher = (document: PageDocument) => Element[];

/** Compiles a selector list once, to run on many pages. Throws Error if css-select cannot read it. */
export function compileMatcher(selector: string): Matcher {
  const parts = selectorTokens(selector).map(matcherOf);
  const [only] = parts;
  if (only && parts.length === 1) return only;
  return (document) => {
    const found = new Set(parts.flatMap((match) => match(document)));
    return document.elements.filter((element) => found.has(element));
  };
}

function matcherOf(tokens: Token[]): Matcher {
  const [key, inside, query] = [selectorKey(tokens), insideQuery(tokens), queryOf([tokens])];
  return (document) => candidates(document, key).filter(inside?.(document) ?? query(document));
}

/** The elements of a page by what they carry; each part is made when it is first asked for. */
class ElementIndex {
  private readonly parts = new Map<string, Map<string, Element[]>>();

  constructor(private readonly document: PageDocument) {}

  get(key: string): Element[] {
    const kind = /^[.#[]/.test(key) ? key.charAt(0) : '';
    let part = this.parts.get(kind);
    if (!part) this.parts.set(kind, (part = this.read(kind)));
    return part.get(key) ?? [];
  }

  private read(kind: string): Map<string, Element[]> {
    const part = new Map<string, Element[]>();
    const put = (key: string, element: Element) => {
      const list = part.get(key);
      if (list) list.push(element);
      else part.set(key, [element]);
    };
    for (const element of this.document.elements) {
      if (kind === '') put(element.tagName.toLowerCase(), element);
      else for (const key of keysOfKind(element, kind)) put(key, element);
    }
    return part;
  }
}

const indexes = new KeptWithPage<ElementIndex>();

/** The elements of a page that carry a key, in the order of the source. */
export function candidates(document: PageDocument, key: string): Element[] {
  if (key === '*') return document.elements;
  let index = indexes.get(document);
  if (!index) indexes.set(document, (index = new ElementIndex(document)));
  return index.get(key);
}

/** Call this after changing an element's ID, classes or other attributes. */
export function elementsChanged(document: PageDocument): void {
  document.kept.clear();
}

const ancestorFilters = new KeptWithPage<AncestorFilter>();

function ancestorFilterOf(document: PageDocument): AncestorFilter {
  let found = ancestorFilters.get(document);
  if (!found) ancestorFilters.set(document, (found = new AncestorFilter()));
  return found;
}

/** The selector as a test of one element, for documents in standards and in quirks mode. */
function queryOf(selector: string | Token[][]): (document: PageDocument) => (element: Element) => boolean {
  const tokens = typeof selector === 'string' ? selectorTokens(selector) : selector;
  renameOwn(tokens);
  const make = (quirksMode: boolean) =>
    compile<Tree.Node, Element>(tokens, { adapter, pseudos: ownPseudos, quirksMode, cacheResults: false });
  const standards = make(false);
  let quirks: typeof standards | undefined;
  return (document) => (document.quirks ? (quirks ??= make(true)) : standards);
}

/** Like compileMatcher, for whether anything matches at all: stops at the first element that does. */
export function compileTest(selector: string): (document: PageDocument) => boolean {
  const parts = selectorTokens(selector).map((tokens) => ({ key: selectorKey(tokens), query: queryOf([tokens]) }));
  return (document) => parts.some(({ key, query }) => candidates(document, key).some(query(document)));
}

/** A test of one element. */
export interface ElementTest {
  matches: (document: PageDocument, element: Element) => boolean;
  /** Whether what the selector needs above an element may be there; false where it is not. */
  mayBeBelow: (document: PageDocument, element: Element) => boolean;
}

/** A test of one element, from css-what's tokens; compiled when it is first needed. What css-select cannot read matches nothing. */
export function compileElementTest(tokens: () => Token[]): ElementTest {
  let query: ReturnType<typeof queryOf> | undefined;
  let need: KeyBits | null | undefined;
  const compiled = () => {
    try {
      const read = tokens();
      need = requiredAncestors(read);
      const made = queryOf([read]);
      // Both modes are compiled as they are needed; what cannot be read shows at the first.
      return (document: PageDocument) => made(document);
    } catch {
      return () => () => false;
    }
  };
  const mayBeBelow: ElementTest['mayBeBelow'] = (document, element) => {
    query ??= compiled();
    return !need || ancestorFilterOf(document).has(element, need);
  };
  return {
    mayBeBelow,
    matches: (document, element) => mayBeBelow(document, element) && (query ??= compiled())(document)(element),
  };
}

type Query = ReturnType<typeof queryOf>;

/** What is below the elements that a selector matches, by its tokens. */
const insideOf = new KeptWithPage<Map<string, Set<Element>>>();
/** Fewer elements are sooner tried one by one than by what is below others. */
const fewElements = 50;

/**
 * A query that looks once a page for what stands before the last descendant combinator, instead of above each element, and
 * shares that with other selectors; it tells nothing on a page where few elements would be tried. Null where a selector has
 * no such combinator. The selector must not stand in `@scope`. Throws Error if css-select cannot read it.
 */
function insideQuery(selector: Token[]): ((document: PageDocument) => ReturnType<Query> | null) | null {
  const at = selector.findLastIndex(({ type }) => type === SelectorType.Descendant);
  if (at <= 0) return null;
  // Compiling renames pseudo-classes.
  const tokens = structuredClone(selector);
  const [outer, inner] = [tokens.slice(0, at), tokens.slice(at + 1)];
  const [name, outerKey, innerKey] = [JSON.stringify(outer), selectorKey(outer), selectorKey(inner)];
  const [above, own] = [queryOf([outer]), queryOf([inner])];
  const tests = new KeptWithPage<ReturnType<Query> | null>();
  const testOn = (document: PageDocument): ReturnType<Query> | null => {
    if (candidates(document, innerKey).length <= fewElements) return null;
    let known = insideOf.get(document);
    if (!known) insideOf.set(document, (known = new Map<string, Set<Element>>()));
    let inside = known.get(name);
    if (!inside) {
      inside = elementsInside(candidates(document, outerKey).filter(above(document)));
      known.set(name, inside);
    }
    const [below, matches] = [inside, own(document)];
    return (element) => below.has(element) && matches(element);
  };
  return (document) => {
    let test = tests.get(document);
    if (test === undefined) tests.set(document, (test = testOn(document)));
    return test;
  };
}

/** The same test of one selector, for many elements of a page; see insideQuery. */
export function testOfMany(text: string, plain: ElementTest['matches']): ElementTest['matches'] {
  let inside: ReturnType<typeof insideQuery> | undefined;
  const read = () => {
    try {
      return insideQuery(selectorTokens(text)[0] ?? []);
    } catch {
      // The plain test says what such a selector matches.
      return null;
    }
  };
  return (document, element) => {
    if (inside === undefined) inside = read();
    const test = inside?.(document);
    return test ? test(element) : plain(document, element);
  };
}

/** The elements that have one of these above them; those above come first. */
function elementsInside(tops: Element[]): Set<Element> {
  const inside = new Set<Element>();
  for (const top of tops) {
    if (inside.has(top)) continue;
    const open: Tree.ParentNode[] = [top];
    for (let node = open.pop(); node; node = open.pop())
      for (const child of node.childNodes) {
        if (!('tagName' in child)) continue;
        inside.add(child);
        open.push(child);
      }
  }
  return inside;
}

/** The test of a selector that is a tag, a class or an ID alone, as most are; null for all others. */
export function simpleTest(text: string): ElementTest | null {
  const [, kind = '', name = ''] = /^([.#]?)([a-z][\w-]*)$/i.exec(text) ?? [];
  if (name === '') return null;
  const plain = name.toLowerCase();
  const isIn = (names: string[], quirks: boolean) =>
    names.some((each) => each === name || (quirks && each.toLowerCase() === plain));
  const matches: Record<string, ElementTest['matches']> = {
    '': (_document, { tagName }) => tagName.toLowerCase() === plain,
    '#': ({ quirks }, element) => isIn([selectedAttribute(element, 'id') ?? ''], quirks),
    '.': ({ quirks }, element) => {
      const value = selectedAttribute(element, 'class') ?? '';
      return value === name || isIn(classesOf(value), quirks);
    },
  };
  const own = matches[kind];
  return own ? { matches: own, mayBeBelow: () => true } : null;
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

const own = 'needle-';
const ownPseudos = Object.fromEntries(
  Object.entries({ ...pseudoClasses, scope: isScope }).map(([name, test]) => [own + name, test]),
);

/** `:scope* `: without the star css-select takes `:scope x` for `x` on the element of `:has()` itself too. */
const anchor: Token[] = [
  { type: SelectorType.Pseudo, name: 'scope', data: null },
  { type: SelectorType.Universal, namespace: null },
  { type: SelectorType.Descendant },
];

/** css-select's own reading of a pseudo-class comes before one that is handed to it, so that ours need other names. */
function renameOwn(tokens: Token[][]): void {
  for (const token of tokens.flat()) {
    if (token.type !== 'pseudo') continue;
    // `:nth-child(2 of .x)` is left to css-select, which wants a space after `of`.
    const withList = typeof token.data === 'string' && /\sof(?![\w-])/i.test(token.data);
    if (withList) token.data = String(token.data).replace(/\sof(?![\w-])\s*/i, ' of ');
    if ((token.name === 'scope' || Object.hasOwn(pseudoClasses, token.name)) && !withList)
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
