import { actionKind } from '../action/index.js';
import type { CompiledAction, CompiledRule, Owner } from '../action/compiled.js';
import { compileRule, ourSheet } from '../action/compile.js';
import { SharedSheets } from '../action/shared-sheets.js';
import type { OurSheet } from '../css/cascade/cascade.js';
import { SheetStore } from '../css/cascade/page-sheets.js';
import type { StyleSets } from '../css/cascade/style-set.js';
import { startLoading, type PageLoading } from '../deployment/deployment.js';
import { finding, type Finding } from '../finding.js';
import type { Page, Site } from '../page/page.js';
import type { StyleText, View } from '../page/view.js';
import type { Expectation } from '../rule/keep-visible-and-expect.js';
import type { Rule } from '../rule/rule.js';
import { ships } from '../rule/status.js';
import { deliver, reachedPages, rulePages } from '../target/delivery.js';
import { expectedPages } from './expectations.js';
import { judgedKeptVisible, type JudgedKeptVisible } from './hidden-elements.js';
import type { CheckInput, ViewSettings } from './input.js';
import { openPage, type OpenedPage, type Shipped } from './opened-page.js';

/** A rule with the view that it is judged in. */
export interface Judged {
  rule: Rule;
  view: View;
  pages: ReadonlySet<Page>;
  settings: ViewSettings;
  /** Uncaptured stylesheets that could change the verdict. */
  dependsOn: string[];
}

/** The work on one page at one viewport, in one state. */
export interface Work {
  settings: ViewSettings;
  judged: { rule: CompiledRule; dependsOn: string[] }[];
  expectations: Expectation[];
}

/** What a check does, planned before any page is opened. */
export interface Plan {
  /** All rules, in their order. */
  judged: Judged[];
  /** Those that ship: not paused, not past their day. */
  shipping: Judged[];
  findings: Finding[];
  /** The work, page by page in site order. */
  tasks: PageTask[];
}

/** The work on one page, with what all pages of its view share. */
export interface PageTask {
  page: Page;
  work: Work;
  context: ViewContext;
  /** Opens the page. */
  look: () => OpenedPage;
}

/** Decides which rules are judged on which pages, at which viewport, in which state and for which visitor. */
export function planCheck(input: CheckInput): Plan {
  const findings: Finding[] = [];
  const judged = input.rules.map((rule) => judgedIn(rule, input, findings));
  const shipping = judged.filter(({ rule }) => ships(rule, input.today));
  const tasks: PageTask[] = [];
  for (const [view, pages] of workOf(shipping, input.expectations, input))
    tasks.push(...tasksOf(pages, viewContext(view, rulesOf(shipping), input), input));
  return { judged, shipping, findings, tasks };
}

const rulesOf = (some: Judged[]) => some.map(({ rule }) => rule);

function tasksOf(
  pages: Map<Page, Map<string, Work>>,
  context: ViewContext,
  { isKnown = () => false }: CheckInput,
): PageTask[] {
  return [...pages].flatMap(([page, works]) =>
    [...works.values()]
      .filter(({ settings }) => !isKnown(page, settings))
      .map((work) => ({ page, work, context, look: () => context.look(page, work.settings) })),
  );
}

/** The view in which a rule is judged: its own visitor, state and viewport override those of the call. */
function judgedIn(rule: Rule, input: CheckInput, findings: Finding[]): Judged {
  const { view, dependsOn } = viewFor(rule, input, rule.paused ? [] : findings);
  return { rule, view, pages: rulePages(rule, view.site), settings: settingsFor(rule, input), dependsOn };
}

/** Viewport, state and visitor for a rule or an expectation. */
export const settingsFor = ({ state, viewport }: Pick<Rule, 'state' | 'viewport'>, input: CheckInput): ViewSettings => {
  const name = viewport ?? input.viewport;
  return {
    state: state ?? input.state,
    viewport: input.viewports.find((each) => each.name === name) ?? { name, width: 1280, height: 800 },
  };
};

/** The pages, as one visitor sees them, on which a rule or an expectation is judged. */
export function viewFor(
  { name, at, visitor: own }: Pick<Rule, 'name' | 'at' | 'visitor'>,
  input: CheckInput,
  findings: Finding[],
): { view: View; dependsOn: string[] } {
  const visitor = own ?? input.visitor;
  const seen = input.view(visitor);
  const view = seen ?? input.view(null);
  if (!view) throw new Error('The site was not read.');
  if (seen) return { view, dependsOn: [] };
  findings.push(
    finding(
      'missing-visitor',
      `${view.site.name} was not captured as ${visitor} sees it; "${name}" is checked as for everybody`,
      {
        rule: name,
        at,
        hint: `Run local-needle capture ${view.site.name} --visitor ${visitor}.`,
      },
    ),
  );
  return { view, dependsOn: [`pages as the visitor ${visitor} sees them`] };
}

/** For each view, the work on each of its pages, in site order. */
function workOf(
  judged: Judged[],
  expectations: Expectation[],
  input: CheckInput,
): Map<View, Map<Page, Map<string, Work>>> {
  const views = new Map<View, Map<Page, Map<string, Work>>>();
  const work = (view: View, page: Page, settings: ViewSettings): Work => {
    const pages = views.get(view) ?? new Map<Page, Map<string, Work>>();
    views.set(view, pages);
    const works = pages.get(page) ?? new Map<string, Work>();
    pages.set(page, works);
    const key = `${settings.state ?? ''} ${settings.viewport.name}`;
    const known = works.get(key) ?? { settings, judged: [], expectations: [] };
    works.set(key, known);
    return known;
  };
  for (const { rule, view, pages, settings, dependsOn } of judged) {
    const compiled = compileRule(rule);
    for (const page of pages) work(view, page, settings).judged.push({ rule: compiled, dependsOn });
    // Actions on other pages are judged there too.
    for (const page of elsewhereOf(rule, view.site)) work(view, page, settings);
  }
  for (const expectation of expectations) {
    const { view } = viewFor(expectation, input, []);
    for (const page of expectedPages(expectation, view.site))
      work(view, page, settingsFor(expectation, input)).expectations.push(expectation);
  }
  return views;
}

/** The pages, not its own, that a rule acts on. */
function elsewhereOf(rule: Rule, site: Site): Page[] {
  const acting = rule.actions.filter((action) => actionKind(action).reaches === 'other-pages');
  return acting.flatMap((action) => [...reachedPages(rule, action, site)]);
}

/** What all pages of one view share. */
export interface ViewContext {
  view: View;
  keptVisible: JudgedKeptVisible[];
  /** Rules that act on pages that are not their own. */
  elsewhere: CompiledRule[];
  shippedTo: (page: Page) => CompiledAction[];
  /** Our sheet on a page as it is planned; null where nothing ships to it, and where what was built is judged. */
  sheetOf: (page: Page) => OurSheet<Owner> | null;
  /** What pages share that load the stylesheets with a signature; undefined where none of them was opened. */
  styleSet: StyleSets<Owner>['known'];
  look: (page: Page, settings: ViewSettings) => OpenedPage;
  /** How a page loads the build. */
  loading: {
    of: (page: Page, look: OpenedPage) => PageLoading;
    /** Everything in what ships to the page on which that depends. */
    signature: (page: Page) => string;
  } | null;
  /** A stylesheet of the site, read once. */
  style: (address: string) => StyleText | null;
}

/** Prepares what all pages of one view share. */
export function viewContext(view: View, rules: Rule[], input: CheckInput): ViewContext {
  const store = input.sheets?.(view) ?? new SheetStore<Owner>(view, input.place);
  const shippedTo = shipment(rules, view.site);
  const sheets = new SharedSheets<CompiledAction>(ourSheet);
  const shipped = (page: Page): Shipped => {
    const actions = shippedTo(page);
    return { actions, sheet: sheets.of(actions) };
  };
  // Only the default visitor's pages are checked for how they load the build.
  const loads =
    input.loading && view === input.view(null) ? startLoading(view, rules, input.loading.address, input.paths) : null;
  const hides = rules.some(({ actions }) => actions.some((action) => actionKind(action).mayHide(action)));
  return {
    view,
    keptVisible: hides ? input.keptVisible.map(judgedKeptVisible) : [],
    elsewhere: rules.filter((rule) => elsewhereOf(rule, view.site).length > 0).map(compileRule),
    shippedTo,
    // What was built may be another one, so nothing may follow from the plan.
    sheetOf: (page) => (input.delivered ? null : sheets.of(shippedTo(page))),
    styleSet: store.styleSets.known,
    loading: loads && {
      of: (page, look) => loads.loadingOf(page, look, shippedTo(page)),
      signature: (page) => loads.signature(page, shippedTo(page)),
    },
    look: (page, settings) => openPage(page, view, store, settings, input, shipped(page)),
    style: (address) => store.style(address),
  };
}

/** The compiled actions that ship to each page, in shipping order. */
export function shipment(rules: Rule[], site: Site): (page: Page) => CompiledAction[] {
  const ready = new Map(rules.flatMap((rule) => compileRule(rule).actions.map((each) => [each.action, each])));
  const delivered = deliver(rules, site);
  const known = new WeakMap<Page, CompiledAction[]>();
  return (page) => {
    let shipped = known.get(page);
    if (!shipped) known.set(page, (shipped = delivered(page).flatMap(({ action }) => ready.get(action) ?? [])));
    return shipped;
  };
}
