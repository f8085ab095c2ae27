import type { View } from '../page/view.js';
import { SheetStore } from '../css/cascade/page-sheets.js';
import { selectorParts, type Selector } from '../css/selector.js';
import { nearMisses, type NearMiss } from '../fix/near-selector.js';
import type { Element, PageDocument } from '../page/document.js';
import { compileMatcher, compileTest } from '../page/elements.js';
import { TooLate, withinTime, type Matcher } from '../page/query.js';
import type { Page } from '../page/page.js';
import { byTemplate, type TemplateShare } from '../page/templates.js';
import { hostsWith } from '../page/shadow.js';
import { applyState, type PageState } from '../page/state.js';
import { describe, wordsOf, type Description } from './describe.js';
import { severalElsewhere } from './elsewhere.js';
import { lookClasses } from './look-classes.js';
import { propose, type Proposal } from './propose.js';

/** What to look for: a selector list, or words seen on the page. */
export type Query = { selectors: Selector[]; text: string } | { words: string };

export interface FindInput {
  view: View;
  query: Query;
  /** Show elements of this page; null: of the first page that matches. All pages are counted. */
  page: Page | null;
  state: PageState | null;
  /** Whether the time limit of the search is over; called between pages. */
  isLate: () => boolean;
}

/** One element that was found, with selectors for it. */
export interface Found extends Description {
  proposals: { selector: string; here: number; otherPages: number; reason: string }[];
}

export interface FindReport {
  kind: 'local-needle.find';
  version: 1;
  site: string;
  /** Null where words were looked for. */
  selector: string | null;
  words: string | null;
  /** Elements on all pages. */
  total: number;
  /** Pages that match, in the order of the site. */
  pages: { path: string; elements: number }[];
  /** The same pages by their template, the largest template first. */
  templates: TemplateShare[];
  /** The page whose elements are shown, or null where none matches. */
  page: string | null;
  /** The first few elements there. */
  elements: Found[];
  /** If nothing matches: changes that would match, on the requested page or the first that has one. */
  nearMisses: (Omit<NearMiss, 'cost'> & { page: string })[];
  /** If nothing matches: where shadow trees hold such elements, which no rule reaches; null where none does. */
  shadow: { page: string; host: string; elements: number } | null;
  /** The time limit ended before every page was searched. */
  cutOff: boolean;
}

/** Maximum number of elements shown, and of pages on which pairs of changes are tried. */
const mostShown = 5;
const mostNearMissPages = 20;

/** Finds elements on all pages of a site; each page is opened once, but for those before the first that matches. */
export function find(input: FindInput): FindReport {
  const report = emptyReport(input);
  try {
    withinTime(input.isLate, () => search(input, report));
  } catch (error) {
    if (!(error instanceof TooLate)) throw error;
    report.cutOff = true;
  }
  return report;
}

function emptyReport({ view, query }: FindInput): FindReport {
  return {
    kind: 'local-needle.find',
    version: 1,
    site: view.site.name,
    selector: 'text' in query ? query.text : null,
    words: 'words' in query ? query.words : null,
    total: 0,
    pages: [],
    templates: [],
    page: null,
    elements: [],
    nearMisses: [],
    shadow: null,
    cutOff: false,
  };
}

/** Fills the report page by page, so that the results so far count if the time limit ends the search. */
function search({ view, query, page: wanted, state, isLate }: FindInput, report: FindReport): void {
  const { site } = view;
  const open = (page: Page): PageDocument => {
    const document = view.open(page);
    if (state) applyState(document, state);
    return document;
  };
  const match = matcherFor(query);
  let proposed: { element: Element; proposals: Proposal[] }[] = [];
  // Elements that are alike have proposals in common: each selector is counted once.
  const tests = new Map<string, (document: PageDocument) => boolean>();
  const counts = new Map<string, number>();
  const count = (page: Page, document: PageDocument) => {
    if (page.path === report.page) return;
    for (const [selector, test] of tests) if (test(document)) counts.set(selector, (counts.get(selector) ?? 0) + 1);
  };
  const lookClosely = (page: Page, document: PageDocument, elements: Element[]) => {
    report.page = page.path;
    const isLook = lookClasses(new SheetStore(view, 'head-end').sheetsOf(page, document), document);
    const isSeveral = severalElsewhere(view, page);
    proposed = elements
      .slice(0, mostShown)
      .map((element) => ({ element, proposals: propose(element, document, isLook, isSeveral) }));
    for (const { proposals } of proposed)
      for (const { selector } of proposals) tests.set(selector, compileTest(selector));
  };
  if (wanted) {
    const document = open(wanted);
    const elements = match(document);
    if (elements.length > 0) lookClosely(wanted, document, elements);
  }
  const before: Page[] = [];
  for (const page of site.pages) {
    if (isLate()) {
      report.cutOff = true;
      break;
    }
    const document = open(page);
    const elements = match(document);
    const [host, ...more] = report.shadow ? [] : hostsWith(match, document);
    if (host) report.shadow = { page: page.path, host: host.tagName, elements: more.length + 1 };
    if (elements.length > 0) {
      report.total += elements.length;
      report.pages.push({ path: page.path, elements: elements.length });
      if (report.page === null && !wanted) lookClosely(page, document, elements);
    }
    if (report.page === null) before.push(page);
    else count(page, document);
  }
  if (proposed.length > 0 && !wanted) for (const page of before) if (!isLate()) count(page, open(page));
  report.elements = proposed.map(({ element, proposals }) => ({
    ...describe(element),
    proposals: proposals.map((each) => ({
      selector: each.selector,
      here: each.here,
      otherPages: counts.get(each.selector) ?? 0,
      reason: each.reason,
    })),
  }));
  if (report.total > 0) report.shadow = null;
  if (report.pages.length > 0)
    report.templates = byTemplate(
      report.pages.map(({ path }) => path),
      view.templates(),
    );
  const missing = wanted ? report.page === null : report.total === 0;
  if (missing && 'text' in query)
    report.nearMisses = nearMissesOn(wanted ? [wanted] : site.pages, query, open, isLate, view.words().isNamed);
}

function matcherFor(query: Query): Matcher {
  if ('selectors' in query)
    return compileMatcher(query.selectors.map(({ text }) => selectorParts(text).element).join(', '));
  const words = query.words.toLowerCase().replace(/\s+/g, ' ').trim();
  // The innermost elements that hold all of the words, as a person would point at them.
  return (document) => {
    const holding = document.elements.filter((element) => wordsOf(element).toLowerCase().includes(words));
    const above = new Set(holding.map((element) => element.parentNode));
    return holding.filter((element) => !above.has(element));
  };
}

/** Single changes on any page come before pairs of changes on the first few. */
function nearMissesOn(
  pages: Page[],
  query: { selectors: Selector[]; text: string },
  open: (page: Page) => PageDocument,
  isLate: () => boolean,
  isName: (word: string) => boolean,
): FindReport['nearMisses'] {
  for (const depth of [1, 2] as const) {
    for (const page of depth === 1 ? pages : pages.slice(0, mostNearMissPages)) {
      if (isLate()) return [];
      const document = open(page);
      const found = query.selectors.flatMap(({ text }) =>
        nearMisses(selectorParts(text).element, document, depth, isName),
      );
      if (found.length > 0)
        return found.slice(0, 3).map(({ selector, elements, why }) => ({ selector, elements, why, page: page.path }));
    }
  }
  return [];
}
