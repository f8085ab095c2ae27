import { BoundedMap } from '../bounded-map.js';
import { html, type DefaultTreeAdapterTypes as Tree } from 'parse5';
import { compile as compileFormula, parse as parseFormula } from 'nth-check';
import { positionOf, standingOf } from './family.js';
import tables from '../css/browser-tables.json' with { type: 'json' };

type Element = Tree.Element;
type Test = (element: Element, argument?: string | null) => boolean;

const attribute = (element: Element, name: string) => element.attrs.find((each) => each.name === name)?.value;
const has = (element: Element, name: string) => attribute(element, name) !== undefined;
const isElement = (node: unknown): node is Element => typeof node === 'object' && node !== null && 'tagName' in node;

/** The nearest value of an attribute, on the element or above it. */
function inherited(element: Element, name: string): string | undefined {
  for (let at: Tree.ParentNode | null = element; isElement(at); at = at.parentNode) {
    const value = attribute(at, name);
    if (value !== undefined) return value;
  }
  return undefined;
}

const controls = ['input', 'select', 'textarea', 'button', 'output', 'object', 'fieldset', 'form'];
const textTypes = [
  'text',
  'search',
  'url',
  'tel',
  'email',
  'password',
  'number',
  'date',
  'month',
  'week',
  'time',
  'datetime-local',
];
const rangeTypes = ['number', 'range', 'date', 'month', 'week', 'time', 'datetime-local'];
const typeOf = (element: Element) => (attribute(element, 'type') ?? 'text').toLowerCase();

/** Barred from constraint validation (HTML Standard, 4.10.21.1). */
const isBarred = (element: Element) =>
  has(element, 'disabled') ||
  (element.tagName === 'input' &&
    (['hidden', 'reset', 'button'].includes(typeOf(element)) || has(element, 'readonly'))) ||
  (element.tagName === 'button' && !['submit', ''].includes((attribute(element, 'type') ?? '').toLowerCase()));

const textInside = (element: Element) => element.childNodes.map((node) => ('value' in node ? node.value : '')).join('');

/** Suffering from being missing: as far as the page at rest tells. */
function isMissing(element: Element): boolean {
  if (!has(element, 'required')) return false;
  if (element.tagName === 'textarea') return textInside(element) === '';
  if (element.tagName === 'input')
    return ['checkbox', 'radio'].includes(typeOf(element)) ? !has(element, 'checked') : !attribute(element, 'value');
  return false;
}

function descendants(element: Element): Element[] {
  return element.childNodes.filter(isElement).flatMap((child) => [child, ...descendants(child)]);
}

function isInvalid(element: Element): boolean {
  if (element.tagName === 'form' || element.tagName === 'fieldset')
    return descendants(element).some((each) => controls.includes(each.tagName) && isInvalid(each));
  return !isBarred(element) && isMissing(element);
}

const isRanged = (element: Element) =>
  element.tagName === 'input' &&
  rangeTypes.includes(typeOf(element)) &&
  (has(element, 'min') || has(element, 'max')) &&
  !isBarred(element);

/** The first submit button of the form that an element is in (HTML Standard, "default button"). */
function isDefaultButton(element: Element): boolean {
  let form: Tree.ParentNode | null = element;
  while (isElement(form) && form.tagName !== 'form') form = form.parentNode;
  const submits = (each: Element) =>
    (each.tagName === 'button' && typeOf(each).replace('text', 'submit') === 'submit') ||
    (each.tagName === 'input' && ['submit', 'image'].includes(typeOf(each)));
  return isElement(form) && descendants(form).find(submits) === element;
}

const formulas = new BoundedMap<string, (index: number) => boolean>(50_000);

/** `2n+1` as a test of numbers from 0. */
export function formula(text: string): (index: number) => boolean {
  const known = formulas.get(text) ?? compileFormula(parseFormula(text));
  formulas.set(text, known);
  return known;
}

/** Pseudo-classes that css-select lacks or reads otherwise than browsers do. */
const known: Record<string, Test> = {
  // Selectors 4 lets white space count as empty; no browser does.
  empty: (element) =>
    element.childNodes.every((node) => node.nodeName === '#comment' || ('value' in node && node.value === '')),
  defined: (element) => !element.tagName.includes('-'),
  open: (element) => ['details', 'dialog'].includes(element.tagName) && has(element, 'open'),
  'placeholder-shown': (element) =>
    (element.tagName === 'textarea'
      ? textInside(element) === ''
      : element.tagName === 'input' && textTypes.includes(typeOf(element)) && !attribute(element, 'value')) &&
    has(element, 'placeholder'),
  'read-write': (element) => isReadWrite(element),
  'read-only': (element) => element.namespaceURI === html.NS.HTML && !isReadWrite(element),
  optional: (element) =>
    ['input', 'select', 'textarea', 'button'].includes(element.tagName) && !has(element, 'required'),
  default: (element) =>
    isDefaultButton(element) ||
    (element.tagName === 'option' && has(element, 'selected')) ||
    (element.tagName === 'input' && ['checkbox', 'radio'].includes(typeOf(element)) && has(element, 'checked')),
  valid: (element) =>
    controls.includes(element.tagName) &&
    (['form', 'fieldset'].includes(element.tagName) || !isBarred(element)) &&
    !isInvalid(element),
  invalid: (element) => controls.includes(element.tagName) && isInvalid(element),
  'in-range': isRanged,
  'out-of-range': () => false,
  dir: (element, argument) => (inherited(element, 'dir') ?? 'ltr').toLowerCase() === argument?.trim().toLowerCase(),
  indeterminate: (element) => element.tagName === 'progress' && !has(element, 'value'),
  // css-select counts siblings again for each element; on a page with very many of them that never ends.
  'first-child': (element) => positionOf(element, 'nth-child') === 1,
  'last-child': (element) => positionOf(element, 'nth-last-child') === 1,
  'only-child': (element) => standingOf(element).family.size === 1,
  'first-of-type': (element) => positionOf(element, 'nth-of-type') === 1,
  'last-of-type': (element) => positionOf(element, 'nth-last-of-type') === 1,
  'only-of-type': (element) => standingOf(element).type.size === 1,
  ...Object.fromEntries(
    ['nth-child', 'nth-last-child', 'nth-of-type', 'nth-last-of-type'].map((name) => [
      name,
      (element: Element, argument?: string | null) => formula(argument ?? '')(positionOf(element, name) - 1),
    ]),
  ),
  '-webkit-any-link': (element) => ['a', 'area'].includes(element.tagName) && has(element, 'href'),
};

function isReadWrite(element: Element): boolean {
  const editable = inherited(element, 'contenteditable');
  if (editable !== undefined && editable.toLowerCase() !== 'false') return true;
  const takesText =
    element.tagName === 'textarea' ||
    (element.tagName === 'input' && (textTypes.includes(typeOf(element)) || !typeOf(element)));
  return takesText && !has(element, 'readonly') && !has(element, 'disabled');
}

/** Those that css-select reads as browsers do. */
const leftToLibrary = `any-link checked disabled enabled has is lang link not required root scope where`.split(/\s+/);

/** Pseudo-classes that a state has set on elements (state.ts). */
const set = new WeakMap<Element, Set<string>>();

/** Makes an element match a pseudo-class of a state, such as `hover`. */
export function setPseudoClass(element: Element, name: string): void {
  set.set(element, (set.get(element) ?? new Set()).add(name));
}

/**
 * A test for every pseudo-class that Chromium knows and css-select does not. What only a user or a script brings about
 * matches where a state has set it.
 */
export const pseudoClasses: Record<string, Test> = Object.fromEntries(
  tables.pseudoClasses
    .filter((name) => !leftToLibrary.includes(name))
    .map((name) => [name, known[name] ?? ((element: Element) => set.get(element)?.has(name) ?? false)]),
);

/** Pseudo-classes of a state: on a page at rest they match nothing, whatever the page. */
export const statePseudoClasses = tables.pseudoClasses.filter(
  (name) => !leftToLibrary.includes(name) && !Object.hasOwn(known, name),
);
