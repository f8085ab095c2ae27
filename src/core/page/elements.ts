import { isTraversal, SelectorType, type Selector as Token } from 'css-what';
import type { DefaultTreeAdapterTypes as Tree } from 'parse5';
import { selectorTokens } from '../css/selector-tokens.js';
import { AncestorFilter, requiredAncestors, type KeyBits } from './ancestor-filter.js';
import { KeptWithPage, type Element, type PageDocument } from './document.js';
import { attributesChanged, plainMatcher, queryOf, selectedAttribute, type Matcher } from './query.js';
import { classesOf, keysOfKind, selectorKey } from './selector-key.js';

/**
 * What is quicker than trying each element of a page (query.ts): looking at those that carry what the selector asks for, at
 * what is above them once, and once a page for what others are below. LOCAL_NEEDLE_PLAIN=1 does without.
 */
let isQuick = true;

/** Makes all selectors that are compiled from now on match the plain way. */
export function matchPlainly(): void {
  isQuick = false;
}

/** Compiles a selector list once, to run on many pages. Throws Error if css-select cannot read it. */
export function compileMatcher(selector: string): Matcher {
  if (!isQuick) return plainMatcher(selector);
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
  if (key === '*' || !isQuick) return document.elements;
  let index = indexes.get(document);
  if (!index) indexes.set(document, (index = new ElementIndex(document)));
  return index.get(key);
}

/** Call this after changing an element's ID, classes or other attributes. */
export function elementsChanged(document: PageDocument): void {
  document.kept.clear();
  attributesChanged();
}

const ancestorFilters = new KeptWithPage<AncestorFilter>();

function ancestorFilterOf(document: PageDocument): AncestorFilter {
  let found = ancestorFilters.get(document);
  if (!found) ancestorFilters.set(document, (found = new AncestorFilter()));
  return found;
}

/** Like compileMatcher, for whether anything matches at all: stops at the first element that does. */
export function compileTest(selector: string): (document: PageDocument) => boolean {
  if (!isQuick) {
    const match = plainMatcher(selector);
    return (document) => match(document).length > 0;
  }
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
  let query: Query | undefined;
  let need: KeyBits | null | undefined;
  const compiled = (): Query => {
    try {
      const read = tokens();
      need = requiredAncestors(read);
      const made = queryOf([read]);
      // Both modes are compiled as they are needed; what cannot be read shows at the first.
      return made;
    } catch {
      return () => () => false;
    }
  };
  const mayBeBelow: ElementTest['mayBeBelow'] = (document, element) => {
    query ??= compiled();
    if (!isQuick) return true;
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
 * shares that with other selectors; it tells nothing on a page where few elements would be tried. Null where the last
 * combinator is another one: what is above the element is then not what has to be above the compound before it. The selector
 * must not stand in `@scope`. Throws Error if css-select cannot read it.
 */
function insideQuery(selector: Token[]): ((document: PageDocument) => ReturnType<Query> | null) | null {
  const at = selector.findLastIndex(isTraversal);
  if (at <= 0 || selector[at]?.type !== SelectorType.Descendant) return null;
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
  if (!isQuick) return plain;
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
  if (!isQuick) return null;
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
