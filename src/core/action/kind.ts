import type { AtRule, Declaration } from 'postcss';
import type { SheetSelector } from '../css/cascade/sheet.js';
import type { OpenedPage } from '../check/opened-page.js';
import type { Finding } from '../finding.js';
import type { Element } from '../page/document.js';
import type { ShippedTask } from '../ship/runtime.js';
import type { ActionOf, FileUse } from './action.js';
import type { CompiledAction } from './compiled.js';
import type { Judgement } from './judgement.js';
import type { AtRuleOf } from './reading.js';

/** What an action writes into the stylesheet: declarations for its selectors, or an at-rule that selects nothing. */
export type Css = Declaration[] | AtRule;

/** What local-needle.js does for an action; the rule and its pages are added where it ships. */
export interface ActionTask extends Omit<ShippedTask, 'rule' | 'scope' | 'run'> {
  /** A script of the project to run. */
  script?: FileUse;
}

/** Something that a page must be allowed to load for an action. `address`: null where it ships beside the build. */
export type Load = { kind: 'style' | 'img'; address: string | null; shown: string } | { kind: 'html' };

/** How Chromium measures an action on a page, and what it is asked about. */
export interface Probe {
  by: 'styles' | 'displayed' | 'content' | 'nothing';
  /** What must be there; null: the action's own elements. */
  selector: string | null;
  image: string | null;
  text: string | null;
  html: string | null;
}

/** Everything that differs from one kind of action to the next. */
export interface ActionKind<A extends ActionOf<string>> {
  /** The at-rule that makes it; null if CSS's own rules do. */
  atRule: AtRuleOf<A> | null;
  /** Where it acts: on the rule's own pages, or on all other pages. */
  reaches: 'own-pages' | 'other-pages';
  /**
   * How the build distinguishes its pages: by the rule's conditions, by each page's links, or not at all, since it
   * selects nothing.
   */
  scope: 'conditions' | 'links' | 'none';
  /** The declarations in the rule file. */
  written: (action: A) => Declaration[];
  /** What it writes into the stylesheet; null for nothing. `served`: the address that a file ships under. */
  css: (action: A, served: (file: FileUse) => string) => Css | null;
  /** Limits one of its selectors to the elements that it acts on. */
  narrowed: (action: A, selector: SheetSelector) => SheetSelector;
  /** What local-needle.js does; null if it needs none. `selectors`: as they ship. */
  task: (action: A, selectors: string[], served: (file: FileUse) => string) => ActionTask | null;
  /** Whether nothing of it happens without local-needle.js. */
  needsScript: (action: A) => boolean;
  loads: (action: A) => Load[];
  /** The elements that it acts on; null: all that its selectors match. */
  elements: ((action: A, look: OpenedPage) => Element[]) | null;
  /** Whether what it is for is missing on a page. `matched`: by its selectors alone; `elements`: what it is about. */
  isMissing: (matched: () => number, elements: number) => boolean;
  /** Judges it on a page, by the declarations that it wins or loses or in another way; null if it has no verdict. */
  judge:
    'by-pairs' | ((compiled: CompiledAction, action: A, elements: Element[], look: OpenedPage) => Judgement) | null;
  /** Findings about it on a page, besides its verdict. */
  findings: (action: A, rule: string, elements: Element[], look: OpenedPage) => Finding[];
  /** Whether it may hide an element. */
  mayHide: (action: A) => boolean;
  /** Whether what it wins stays won, whatever a stylesheet that was not captured may plausibly say. */
  outweighsUnseen: boolean;
  /** What a visitor may see for a moment while a page loads slowly, as a sentence; null if it acts from the start. */
  flashes: (action: A) => string | null;
  /** Whether it removes what is inside its elements. */
  replacesContent: (action: A) => boolean;
  probe: (action: A) => Probe;
}
