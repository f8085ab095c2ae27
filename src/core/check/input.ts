import type { Owner } from '../action/compiled.js';
import type { OurSheet } from '../css/cascade/cascade.js';
import type { Viewport } from '../css/cascade/media.js';
import type { SheetStore } from '../css/cascade/page-sheets.js';
import type { Loading } from '../deployment/deployment.js';
import type { Finding } from '../finding.js';
import type { PageDocument } from '../page/document.js';
import type { Page, Site } from '../page/page.js';
import type { PageState } from '../page/state.js';
import type { View } from '../page/view.js';
import type { Expectation, KeptVisible } from '../rule/keep-visible-and-expect.js';
import type { Rule } from '../rule/rule.js';
import type { Hint } from '../fix/missing-element.js';
import type { KeptOutline } from './kept-parts.js';
import type { Kept, PageResult } from './result-cache.js';

/** A finding about a site that local-needle.yaml accepts. */
export interface SiteAcceptance {
  code: string;
  reason: string;
  /** Whether the finding's address or page is one of those that are accepted. */
  covers: (finding: Finding) => boolean;
}

/** What a check spends its time on. */
export type CheckStep = 'plan' | 'look up kept results' | 'open pages' | 'judge' | 'work out hints' | 'put together';

/** Runs a step of a check, of a page or of all, so that its time can be counted. */
export type Timed<Step = CheckStep> = <T>(step: Step, page: Page | null, run: () => T) => T;

/** The viewport and state of a page. */
export interface ViewSettings {
  viewport: Viewport;
  state: string | null;
}

/** Everything that a check needs; a check reads no files itself. */
export interface CheckInput {
  rules: Rule[];
  keptVisible: KeptVisible[];
  expectations: Expectation[];
  /** The site as a visitor sees it; null if it was not captured so. The default visitor is null and always there. */
  view: (visitor: string | null) => View | null;
  /** Other sites of the project that are captured, for `site-specific-id`. */
  others: Site[];
  /** Findings made while the project and the pages were read. */
  findings: Finding[];
  /** Findings about the site that are accepted. */
  allow?: SiteAcceptance[];
  paths: 'handles' | 'run-time';
  /** Where the build's stylesheet is on a page. */
  place: 'head-end' | 'body-end';
  /** Viewport, state and visitor for rules that do not name their own; `viewport` is one of `viewports`. */
  viewport: string;
  viewports: Viewport[];
  state: string | null;
  visitor: string | null;
  states: Record<string, PageState>;
  /** Names of the visitors that the project knows, for hints. */
  visitors: string[];
  /** The day of the check, `2027-03-31`. */
  today: string;
  /**
   * Starts the time limit of one page; returns a function that says whether it is over. Optional; without it there is
   * no limit.
   */
  startTime?: () => () => boolean;
  /** Where the site serves the build; null if that is not configured. */
  loading: Loading | null;
  /** What a written build adds to a page, used instead of the rules; for `proveBuild`. */
  delivered?: (page: Page, document: PageDocument) => OurSheet<Owner> | null;
  /** Whether a page need not be judged at a viewport and in a state; for `proveBuild`. */
  isKnown?: (page: Page, settings: ViewSettings) => boolean;
  /** Counts where the time goes. Optional. */
  timed?: Timed;
  /** The stylesheets of a view, where several checks share what they read. Optional; without it each reads its own. */
  sheets?: (view: View) => SheetStore<Owner>;
  /** Called with each page that is opened for a verdict, so that other questions need not open it again. */
  onOpen?: (page: Page, view: View, document: PageDocument) => void;
  /** Results of earlier checks; left out, everything is judged again. */
  results?: Kept<PageResult>;
  /** Outlines of pages that were opened, each with the key of the page that it is of; left out, none are used. */
  outlines?: Kept<KeptOutline>;
  /** Hints of earlier checks for what is missing; null if none are wanted. */
  hints?: Kept<Hint> | null;
  /**
   * Opens a page that is not modified, so that several viewports can share one document. Optional; without it each
   * opens its own.
   */
  open?: (view: View, page: Page) => PageDocument;
  /**
   * Whether this thread judges the page task with this number, where several threads share the work; other tasks are
   * left out of its report. Not called where the result is cached or cannot be cached. `isQuick`: whether little of the page
   * need be looked at.
   */
  claim?: (index: number, isQuick: () => boolean) => boolean;
}
