import { BoundedMap } from '../bounded-map.js';
import { html } from 'parse5';
import { compile as compileFormula, parse as parseFormula } from 'nth-check';
import { directionality } from './direction.js';
import {
  attributeOf,
  isChecked,
  isDefault,
  isDisabled,
  isEnabled,
  isIndeterminate,
  isInRange,
  isInvalid,
  isOptional,
  isOutOfRange,
  isReadWrite,
  isRequired,
  isValid,
  showsPlaceholder,
  type Element,
} from './form-states.js';
import { positionOf, standingOf } from './family.js';
import tables from '../css/browser-tables.json' with { type: 'json' };

type Test = (element: Element, argument?: string | null) => boolean;

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
  open: (element) => ['details', 'dialog'].includes(element.tagName) && attributeOf(element, 'open') !== undefined,
  'placeholder-shown': showsPlaceholder,
  'read-write': isReadWrite,
  'read-only': (element) => element.namespaceURI === html.NS.HTML && !isReadWrite(element),
  checked: isChecked,
  disabled: isDisabled,
  enabled: isEnabled,
  required: isRequired,
  optional: isOptional,
  default: isDefault,
  valid: isValid,
  invalid: isInvalid,
  'in-range': isInRange,
  'out-of-range': isOutOfRange,
  dir: (element, argument) => directionality(element) === argument?.trim().toLowerCase(),
  indeterminate: isIndeterminate,
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
  '-webkit-any-link': (element) =>
    ['a', 'area'].includes(element.tagName) && attributeOf(element, 'href') !== undefined,
};

/** Those that css-select reads as browsers do. */
const leftToLibrary = `any-link has is lang link not root scope where`.split(/\s+/);

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
