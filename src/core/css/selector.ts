import { BoundedMap } from '../bounded-map.js';
import {
  generate,
  parse,
  walk,
  type CssNode,
  type ListItem,
  type Selector as SelectorNode,
  type SelectorList,
} from 'css-tree';
import { suggestion } from '../nearest.js';
import { faultOf, TextError, type TextFault } from '../place.js';
import { isDeeperThan, plainText, splitList } from './selector-text.js';
import type { Namespaces } from './selector-tokens.js';
import { statePseudoClasses } from '../page/pseudo-classes.js';
import tables from './browser-tables.json' with { type: 'json' };
import {
  checkArgument,
  checkOrderWithin,
  closedAtEnd,
  legacyPseudoElements,
  withoutInvalidArms,
} from './selector-grammar.js';

/** One complex selector of a list, as the author wrote it. */
export interface Selector {
  text: string;
  /** Where it begins in the list, counted from 0. */
  offset: number;
}

/** Why browsers would drop a selector list; null if they take it. `relative`: see parseSelectorList. */
export const selectorFault = (text: string, relative = false): TextFault | null =>
  faultOf(() => parseSelectorList(text, relative));

/**
 * Splits and validates a selector list (Selectors Level 4, as Chromium implements it). `relative`: each may begin with a
 * combinator, as in a nested rule. Throws TextError.
 */
export function parseSelectorList(given: string, relative = false): Selector[] {
  if (given.length > mostCharacters)
    throw new TextError(
      `A selector of ${given.length} characters is too long: at most ${mostCharacters} are read`,
      0,
      'Split it.',
    );
  const text = plainText(closedAtEnd(given));
  const fault = faultOf(() => checkedList(text, relative));
  if (fault === null) return checkedList(text, relative);
  // What a forgiving list (Selectors 4, 18.1) cannot take, browsers leave out of it, and so do we if something is left; a
  // pseudo-element in it is a mistake of a rule.
  const forgiven = parseSiteSelectors(text)
    ?.map((selector) => selector.text)
    .join(', ');
  if (forgiven === undefined || forgiven.includes(nothing) || mayHoldPseudoElement(text))
    return checkedList(text, relative);
  return checkedList(forgiven, relative);
}

function checkedList(text: string, relative: boolean): Selector[] {
  const list = selectorTree(text);
  checkListOrder(list, relative);
  walk(list, (node: CssNode) => {
    if (node.type === 'NestingSelector' && !relative)
      throw new TextError('"&" stands for the selector around it, and there is none', offsetOf(node), 'Remove it.');
    checkForRule(node);
    checkSimpleSelector(node);
  });
  return list.children.toArray().map((node) => {
    const start = node.loc?.start.offset ?? 0;
    return { text: text.slice(start, node.loc?.end.offset).trim(), offset: start };
  });
}

/** Whether a selector is made of types, classes, IDs and combinators alone, as most are: these need no parser. */
export const isPlainSelector = (text: string) =>
  /^(?:[a-z][\w-]*)?(?:[.#][a-z_][\w-]*)*(?:(?:\s*[>+~]\s*|\s+)(?:[a-z][\w-]*(?:[.#][a-z_][\w-]*)*|(?:[.#][a-z_][\w-]*)+))*$/i.test(
    text,
  ) &&
  text !== '' &&
  !/^[>+~\s]/.test(text);

const mayHoldPseudoElement = (text: string) => /::|:(before|after|first-l)/i.test(text);

const forgiving = ['is', 'where', '-webkit-any'];
/** Matches nothing, and weighs as little as an empty `:is()`. */
const nothing = ':where(:not(*))';

/**
 * The selectors of a list in a site's stylesheet, as Chromium reads it: null where one of them makes it drop the whole
 * rule. What a forgiving list (Selectors 4, 18.1) leaves out is left out.
 */
export function parseSiteSelectors(given: string, namespaces?: Namespaces): Selector[] | null {
  const plain = plainText(given);
  const text =
    !/:(is|where|-webkit-any)\(/i.test(plain) || parses(plain) ? plain : withoutInvalidArms(plain, parses, nothing);
  const parts = splitList(text).map((part) => part.trim());
  if (parts.every(isPlainSelector)) return parts.map((part) => ({ text: part, offset: 0 }));
  try {
    const list = selectorTree(text);
    checkListOrder(list, false, true);
    const changes: [start: number, end: number, text: string][] = [];
    for (const selector of list.children.toArray()) forgive(selector, changes, text, namespaces);
    const changed = changes.length > 0;
    let result = text;
    for (const [start, end, by] of changes.sort((a, b) => b[0] - a[0])) {
      result = result.slice(0, start) + by + result.slice(end);
    }
    const read = changed ? selectorTree(result) : list;
    return read.children.toArray().flatMap((node) => {
      const start = node.loc?.start.offset ?? 0;
      const own = { text: result.slice(start, node.loc?.end.offset).trim(), offset: start };
      const standsForNothing = mayHoldPseudoElement(own.text) && /:(is|where)\(/i.test(selectorParts(own.text).pseudo);
      return standsForNothing ? [] : [own];
    });
  } catch (error) {
    if (error instanceof TextError || error instanceof RangeError) return null;
    throw error;
  }
}

/** Whether Chromium takes one selector at all: what `@supports selector(…)` asks. */
export const isSiteSelector = (text: string) => {
  try {
    const list = selectorTree(text);
    checkListOrder(list, false);
    walk(list, (node: CssNode) => checkSimpleSelector(node));
    return true;
  } catch {
    return false;
  }
};

/** Validates a selector and its arguments; collects parts that browsers drop. Throws TextError. */
function forgive(
  node: CssNode,
  changes: [number, number, string][],
  text: string,
  namespaces: Namespaces | undefined,
): void {
  const [start, end] = 'loc' in node ? [node.loc?.start.offset ?? 0, node.loc?.end.offset ?? 0] : [0, 0];
  checkSimpleSelector(node, namespaces);
  if (node.type === 'PseudoClassSelector') {
    const name = node.name.toLowerCase();
    const first = node.children?.first;
    if (first?.type === 'Nth' && first.selector && containsPseudoElement(first.selector)) {
      changes.push([start, end, nothing]);
      return;
    }
    const list = node.children?.first;
    if (forgiving.includes(name)) {
      const arms = list?.type === 'SelectorList' ? list.children.toArray() : [];
      const kept = arms.flatMap((arm) => {
        const inner: [number, number, string][] = [];
        const fault = faultOf(() => {
          if (arm.type === 'Selector') checkOrderWithin(arm, false);
          forgive(arm, inner, text, namespaces);
        });
        return fault || containsPseudoElement(arm) ? [] : [{ arm, inner }];
      });
      if (kept.length === 0) changes.push([start, end, nothing]);
      else if (kept.length === arms.length) changes.push(...kept.flatMap(({ inner }) => inner));
      else {
        const plain = kept.map(({ arm }) => generate(arm)).join(', ');
        changes.push([start, end, `:${node.name}(${plain})`]);
      }
      return;
    }
    if (['not', 'has'].includes(name)) {
      if (isEmptyList(list)) throw new TextError(`":${name}()" is empty`, start);
      if (list && containsPseudoElement(list)) throw new TextError(`":${name}()" holds a pseudo-element`, start);
    }
  }
  if (node.type === 'Nth' && node.selector) {
    forgive(node.selector, changes, text, namespaces);
  }
  if ('children' in node && node.children && typeof node.children !== 'string')
    for (const child of node.children.toArray()) forgive(child, changes, text, namespaces);
}

function containsPseudoElement(node: CssNode): boolean {
  let found = false;
  walk(node, (inner: CssNode) => {
    if (inner.type === 'PseudoElementSelector') found = true;
    if (inner.type === 'PseudoClassSelector' && legacyPseudoElements.includes(inner.name.toLowerCase())) found = true;
  });
  return found;
}

/** A longer list in a rule is a mistake, or an attack. */
const mostCharacters = 20_000;

const offsetOf = (node: CssNode) => ('loc' in node ? (node.loc?.start.offset ?? 0) : 0);

/** Selectors inside of one another that are read; browsers have a limit too. */
const mostDepth = 200;

/**
 * Whether a selector of a site's sheet is too deep or too long to be read here; unlike one that browsers drop, it may match.
 */
export const isBeyondReading = (text: string): boolean =>
  isDeeperThan(text, mostDepth) ||
  (text.length > mostCharacters && splitList(text).some(({ length }) => length > mostCharacters));

const parses = (text: string) => faultOf(() => selectorTree(text)) === null;

function checkListOrder(list: SelectorList, relative: boolean, forgiving = false): void {
  for (const each of list.children.toArray()) if (each.type === 'Selector') checkOrderWithin(each, relative, forgiving);
}

function selectorTree(text: string): SelectorList {
  if (text.trim() === '') throw new TextError('The selector is empty', 0);
  if (splitList(text).at(-1)?.trim() === '') {
    const said = `"${text.trim()}" is not a valid selector: nothing follows the last comma`;
    throw new TextError(said, text.lastIndexOf(',') + 1);
  }
  try {
    return parse(text, { context: 'selectorList', positions: true }) as SelectorList;
  } catch (error) {
    const { message, offset } = error as Error & { offset?: number };
    const said = `"${text.trim()}" is not a valid selector: ${lowerFirst(message)}`;
    const [twice, once = ''] = /([.#])\1[\w-]+/.exec(text) ?? [];
    const mend = twice === undefined ? undefined : { offset: text.indexOf(twice), from: twice, to: twice.slice(1) };
    const hint = mend && `Write one ${once} rather than two.`;
    throw new TextError(said, offset ?? 0, hint, undefined, mend);
  }
}

const lowerFirst = (text: string) => text.charAt(0).toLowerCase() + text.slice(1);

/** Selectors that are valid in CSS and still a mistake in a rule. */
function checkForRule(node: CssNode): void {
  const offset = offsetOf(node);
  if (node.type === 'PseudoClassSelector' && node.children?.first && containsPseudoElement(node.children.first)) {
    throw new TextError(
      `":${node.name}()" holds a pseudo-element, which no element is`,
      offset,
      'Write the pseudo-element at the end of the selector.',
    );
  }
  if (
    node.type === 'PseudoClassSelector' &&
    ['not', 'has'].includes(node.name.toLowerCase()) &&
    isEmptyList(node.children?.first)
  ) {
    throw new TextError(
      `":${node.name}()" is empty and matches nothing`,
      offset,
      'Write a selector between the parentheses.',
    );
  }
}

/** What CSS has for pseudo-classes that only scripts know. */
const otherWays: Record<string, string> = {
  contains: 'CSS does not select by text: use a class, or :has() of an element inside.',
  first: 'Write :first-child, :first-of-type, or :nth-child(1 of S) for the first S among its siblings.',
  last: 'Write :last-child, :last-of-type, or :nth-last-child(1 of S) for the last S among its siblings.',
  eq: 'Write :nth-child(n) or :nth-child(n of S); they count from 1.',
  gt: 'Write :nth-child(n + 3) for all from the third on.',
  lt: 'Write :nth-child(-n + 3) for the first three.',
  even: 'Write :nth-child(even).',
  odd: 'Write :nth-child(odd).',
  visible: 'CSS does not select by what is visible: use a class or an attribute.',
  hidden: 'Write [hidden], or use a class: CSS does not select by what is visible.',
  parent: 'Write :has(> *), or :not(:empty).',
  header: 'Write :is(h1, h2, h3, h4, h5, h6).',
  selected: 'Write :checked.',
  text: 'Write [type="text"].',
  button: 'Write :is(button, [type="button"]).',
  checkbox: 'Write [type="checkbox"].',
  radio: 'Write [type="radio"].',
  submit: 'Write [type="submit"].',
  image: 'Write img, or [type="image"].',
};

function checkSimpleSelector(node: CssNode, namespaces?: Namespaces): void {
  checkArgument(node, generate(node));
  const offset = offsetOf(node);
  const named = node.type === 'TypeSelector' ? node.name : node.type === 'AttributeSelector' ? node.name.name : '';
  const [, space, name] = /^([^*|]+)\|(.*)$/.exec(named) ?? [];
  if (space !== undefined && !namespaces?.has(space))
    throw new TextError(`"${space}" is not a known namespace`, offset, `Write *|${name}, for any namespace.`);
  if (node.type === 'AttributeSelector' && node.flags && !node.matcher)
    throw new TextError(`"${node.flags}" needs a value to go with`, offset);
  if (node.type === 'AttributeSelector' && node.flags && node.flags.toLowerCase() !== 'i') {
    throw new TextError(`"${node.flags}" is not a known flag of an attribute selector`, offset, 'Use i, or remove it.');
  }
  if (node.type === 'IdSelector' && /^-?\d/.test(node.name)) {
    throw new TextError(
      `"#${node.name}" is not a valid selector: an ID in CSS may not begin with a digit`,
      offset,
      `Write [id="${node.name}"].`,
    );
  }
  if (node.type === 'PseudoClassSelector' && !legacyPseudoElements.includes(node.name.toLowerCase())) {
    if (!tables.pseudoClasses.includes(node.name.toLowerCase())) {
      throw new TextError(
        `":${node.name}" is not a known pseudo-class`,
        offset,
        otherWays[node.name.toLowerCase()] ?? suggestion(node.name, tables.pseudoClasses).replace(/^Known.*/s, ''),
      );
    }
  }
  if (node.type === 'PseudoClassSelector' && node.name.toLowerCase() === 'has' && node.children?.first) {
    walk(node.children.first, (inner: CssNode) => {
      if (inner.type === 'PseudoClassSelector' && inner.name.toLowerCase() === 'has')
        throw new TextError('":has()" cannot be nested in another :has()', offset);
    });
  }
  if (node.type === 'PseudoElementSelector') {
    const name = node.name.toLowerCase();
    if (!tables.pseudoElements.includes(name) && !name.startsWith('-webkit-')) {
      throw new TextError(
        `"::${node.name}" is not a known pseudo-element`,
        offset,
        suggestion(node.name, tables.pseudoElements).replace(/^Known.*/s, ''),
      );
    }
  }
}

const isEmptyList = (node: CssNode | null | undefined) =>
  !node || (node.type === 'SelectorList' && node.children.isEmpty);

/** The parts of one complex selector that scoping and counting need. */
export interface SelectorParts {
  /** Everything before the pseudo-elements: the selector of the elements that they belong to. */
  element: string;
  /** `::before`, `:hover::after` after the first pseudo-element; empty in most. */
  pseudo: string;
  /** Whether a compound of its own level names `html`, `body` or `:root`. */
  namesRoot: boolean;
  /** Whether the last compound names `html` or `:root`. */
  subjectIsRoot: boolean;
}

const partsKnown = new BoundedMap<string, SelectorParts>(50_000);

/** Splits one valid complex selector. */
export function selectorParts(text: string): SelectorParts {
  const known = partsKnown.get(text);
  if (known) return known;
  const selector = selectorTree(text).children.first as SelectorNode;
  let pseudoAt = -1;
  // Before a pseudo-element `*` may be left out.
  let lacksCompound = false;
  let previous: CssNode | null = null;
  let [namesRoot, subjectIsRoot] = [false, false];
  for (const node of selector.children.toArray()) {
    const name = 'name' in node && typeof node.name === 'string' ? node.name.toLowerCase().replace(/^\*\|/, '') : '';
    const isPseudo =
      node.type === 'PseudoElementSelector' ||
      (node.type === 'PseudoClassSelector' && legacyPseudoElements.includes(name));
    if (isPseudo && pseudoAt < 0) {
      pseudoAt = node.loc?.start.offset ?? -1;
      lacksCompound = previous === null || previous.type === 'Combinator';
    }
    previous = node;
    if (node.type === 'Combinator') subjectIsRoot = false;
    const isHtml =
      (node.type === 'TypeSelector' && name === 'html') || (node.type === 'PseudoClassSelector' && name === 'root');
    if (isHtml) subjectIsRoot = true;
    if (isHtml || (node.type === 'TypeSelector' && name === 'body')) namesRoot = true;
  }
  const whole = text.trim();
  const element = pseudoAt < 0 ? whole : text.slice(0, pseudoAt).trimEnd();
  const parts: SelectorParts = {
    element: lacksCompound ? `${element} *`.trim() : element,
    pseudo: pseudoAt < 0 ? '' : text.slice(pseudoAt).trim(),
    namesRoot,
    subjectIsRoot,
  };
  partsKnown.set(text, parts);
  return parts;
}

/**
 * The absolute selectors of a nested style rule (CSS Nesting Level 1, "The & selector"): `&` stands for the elements that
 * the parent list matches, with the weight of its heaviest selector; a selector without `&` is relative to them.
 */
export function resolveNested(selectors: Selector[], all: Selector[]): Selector[] {
  // `&` stands for elements: a parent that is a pseudo-element has none.
  const kept = all.filter(({ text }) => !mayHoldPseudoElement(text) || selectorParts(text).pseudo === '');
  const parents = kept.length > 0 ? kept : [{ text: nothing, offset: 0 }];
  const group =
    parents.length === 1 ? (parents[0]?.text ?? '') : `:is(${parents.map((parent) => parent.text).join(', ')})`;
  const enclosed =
    parents.length === 1 && isPlainCompound(group) ? group : `:is(${parents.map((parent) => parent.text).join(', ')})`;
  return selectors.map((selector) => {
    const offsets: number[] = [];
    walk(selectorTree(selector.text), (node: CssNode) => {
      if (node.type === 'NestingSelector') offsets.push(node.loc?.start.offset ?? 0);
    });
    if (offsets.length === 0) return { ...selector, text: `${group} ${selector.text}` };
    let text = '';
    let done = 0;
    for (const offset of offsets) {
      text += selector.text.slice(done, offset) + (offset === 0 ? group : enclosed);
      done = offset + 1;
    }
    return { ...selector, text: text + selector.text.slice(done) };
  });
}

/** Whether a selector is one compound without a type selector, so that it can be anywhere inside another compound. */
const isPlainCompound = (text: string) =>
  /^[.#[:]/.test(text) && !/[\s>+~,]/.test(text.replace(/\([^()]*\)|\[[^\]]*\]/g, '')) && !text.includes('::');

/** A selector without the pseudo-classes of a state: what it would match if the state were there. */
export function withoutStates(text: string): string {
  const states: [start: number, end: number, isAlone: boolean][] = [];
  walk(selectorTree(text), (node: CssNode, item: ListItem<CssNode> | null) => {
    if (node.type === 'PseudoClassSelector' && statePseudoClasses.includes(node.name.toLowerCase()) && node.loc) {
      const isEdge = (beside: ListItem<CssNode> | null | undefined) => !beside || beside.data.type === 'Combinator';
      const isBefore = isEdge(item?.next) || item?.next?.data.type === 'PseudoClassSelector';
      states.push([node.loc.start.offset, node.loc.end.offset, isEdge(item?.prev) && isBefore]);
    }
  });
  return states.reduceRight(
    (left, [start, end, alone]) => left.slice(0, start) + (alone ? '*' : '') + left.slice(end),
    text,
  );
}
