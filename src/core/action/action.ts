import type { AtRule, Declaration, Source } from 'postcss';
import type { Selector } from '../css/selector.js';
import type { Place } from '../place.js';
import type { Condition } from '../target/condition.js';

/** What every action of a rule has. */
export interface ActionOf<Kind extends string> {
  kind: Kind;
  /** The selector list, as messages and reports show it; empty if an action has none. */
  selector: string;
  /** The selectors of the list, absolute (nesting resolved). */
  selectors: Selector[];
  at: Place;
  /** The same place as postcss knows it, for source maps. */
  source: Source | undefined;
  /** The conditions of the `@on` blocks around it; all must hold beside the rule's own. */
  on: Condition[];
  /** The at-rules of CSS around it (`@media`, `@supports`, …), outermost first. */
  within: AtRule[];
  /** Files and addresses that its declarations name by `url(…)`. */
  files: FileUse[];
}

/** `@hide`: `display: none !important`. */
export type HideAction = ActionOf<'hide'>;

/** `@only-here`: hidden on every page but the rule's own. */
export type OnlyHereAction = ActionOf<'only-here'>;

/** A style rule, its nesting resolved. */
export interface RestyleAction extends ActionOf<'restyle'> {
  declarations: Declaration[];
}

/** `@mark-current`: styles the links among its elements whose address is the page's own. */
export interface MarkCurrentAction extends ActionOf<'mark-current'> {
  declarations: Declaration[];
  /** Links to a section that the page lies in count too. */
  sections: boolean;
}

/** `@swap`: other content in the same element. */
export interface SwapAction extends ActionOf<'swap'> {
  image: FileUse | null;
  alt: string | null;
  text: string | null;
  html: FileUse | null;
}

/** `@script`: a script for these pages alone. */
export interface ScriptAction extends ActionOf<'script'> {
  file: FileUse;
  /** The script waits until this selector matches; null: until the page is read. */
  waitFor: string | null;
}

/** `@stylesheet`: a stylesheet that the site or another host serves, for these pages alone, before our own. */
export interface StylesheetAction extends ActionOf<'stylesheet'> {
  /** As written: `https://…` or `/themes/winter.css`. */
  address: string;
}

/**
 * An at-rule that selects nothing (`@font-face`, `@keyframes`, …). Names that it defines are made unique to the rule
 * (own-names.ts).
 */
export interface DefinitionAction extends ActionOf<'definition'> {
  node: AtRule;
}

/** One thing that a rule does to elements of its pages. */
export type Action =
  | HideAction
  | OnlyHereAction
  | RestyleAction
  | MarkCurrentAction
  | SwapAction
  | ScriptAction
  | StylesheetAction
  | DefinitionAction;

/** A file or an address that a rule names by `url(…)`. */
export interface FileUse {
  /** As written. */
  url: string;
  at: Place;
  /** The file's path in the project; null for an address that the site or another host serves (`/x.svg`, `https:…`). */
  path: string | null;
  /** The file's bytes; null for an address, and for a file that could not be read (there is a finding then). */
  content: Uint8Array | null;
}
