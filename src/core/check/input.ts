import type { Owner } from '../action/compiled.js';
import type { OurSheet } from '../css/cascade/cascade.js';
import type { Viewport } from '../css/cascade/media.js';
import type { Loading } from '../deployment/deployment.js';
import type { Finding } from '../finding.js';
import type { PageDocument } from '../page/document.js';
import type { Page, Site } from '../page/page.js';
import type { PageState } from '../page/state.js';
import type { View } from '../page/view.js';
import type { Expectation, KeptVisible } from '../rule/keep-visible-and-expect.js';
import type { Rule } from '../rule/rule.js';
import type { Hint } from '../fix/missing-element.js';
import type { Kept, PageResult } from './result-cache.js';

/** Everything that a check needs; it reads nothing by itself. */
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
  /** Starts the time that one page may take, and tells when it is up; left out, there is no limit. */
  startTime?: () => () => boolean;
  /** Where the site serves the build; null if nobody said. */
  loading: Loading | null;
  /** What a build really brings to a page, in place of what its rules say; for `proveBuild`. */
  delivered?: (page: Page, document: PageDocument) => OurSheet<Owner> | null;
  /** Called with each page that is opened for a verdict, so that what else is asked of it needs no opening of its own. */
  onOpen?: (page: Page, view: View, document: PageDocument) => void;
  /** Results of earlier checks; left out, everything is judged again. */
  results?: Kept<PageResult>;
  /** Hints of earlier checks for what is missing; null if none are wanted. */
  hints?: Kept<Hint> | null;
  /** Opens a page that nobody changes, so that several looks at it share one document; left out, each opens its own. */
  open?: (view: View, page: Page) => PageDocument;
  /**
   * Whether this check judges the look at a page with this number, where several share the work; what it does not is
   * left out of its report. Not asked where the result is known or cannot be kept.
   */
  claim?: (index: number) => boolean;
}
