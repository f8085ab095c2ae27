import type { OurRule, OurSheet } from '../css/cascade/cascade.js';
import type { EnclosingRule, SheetSelector } from '../css/cascade/sheet.js';
import type { SheetDeclaration } from '../css/syntax.js';
import type { Element, PageDocument } from '../page/document.js';
import type { Matcher } from '../page/query.js';
import type { Place } from '../place.js';
import type { Rule } from '../rule/rule.js';
import type { Action } from './action.js';

/** An action as it is in the cascade, and where its declarations are in the rule file. */
export interface Owner {
  rule: Rule;
  action: Action;
  placeOf: (declaration: SheetDeclaration) => Place;
}

/** A rule compiled for the cascade, once for all pages. */
export interface CompiledRule {
  rule: Rule;
  actions: CompiledAction[];
}

export interface CompiledAction {
  action: Action;
  owner: Owner;
  /** The style rules that it ships; empty if it ships none. */
  rules: OurRule<Owner>[];
  /** Its selectors, to find elements with; null if only the cascade can tell (`@scope`) or it ships no styles. */
  selectors: OurSelector[] | null;
  /** Whether its kind limits some of them to fewer elements than their text says. */
  isNarrowed: boolean;
  /** What its selectors match, pseudo-elements counted as the elements they belong to; null if it has none. */
  match: Matcher | null;
  /** The longhands by which it is judged. */
  longhands: string[];
  /** The at-rules around it, and the layers, keyframes and properties that it names. */
  around: EnclosingRule[];
  sheet: Pick<OurSheet<Owner>, 'layers' | 'keyframes' | 'registered' | 'makesContainers'>;
}

/**
 * A selector of ours that finds all of its elements on a page at once, since it is tested on each of them many times.
 */
export interface OurSelector extends SheetSelector {
  elements: (document: PageDocument) => Element[];
}
