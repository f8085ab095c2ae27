import { hasEnded } from '../rule/ships.js';
import { SheetStore } from '../css/cascade/page-sheets.js';
import type { Viewport } from '../css/cascade/media.js';
import type { OurSheet } from '../css/cascade/cascade.js';
import type { PageDocument } from '../page/document.js';
import type { Page, Site } from '../page/page.js';
import type { PageState } from '../page/state.js';
import type { StyleText, View } from '../page/view.js';
import type { Expectation, Guard } from '../rule/guard.js';
import type { Rule } from '../rule/rule.js';
import { targetPages, targets } from '../rule/target.js';
import type { Elsewhere } from './element-hint.js';
import { expectedPages } from './expectations.js';
import { finding, type Finding } from './finding.js';
import { judgedGuard, mayHide } from './guards.js';
import { judgedRule, type JudgedRule } from './judge.js';
import { startLoading, type Loading, type PageLoading } from './loading.js';
import type { Memory } from './memory.js';
import { lookAt, type Look, type Way } from './look.js';
import { compileRule, type CompiledAction, type CompiledRule } from './our-rules.js';

/** Everything that a check needs; it reads nothing by itself. */
export interface CheckInput {
  rules: Rule[];
  guards: Guard[];
  expectations: Expectation[];
  /** The site as a visitor sees it; null where it was not captured so. The default visitor is null and always there. */
  view: (visitor: string | null) => View | null;
  /** Other sites of the project that are captured, for `weak-handle`. */
  others: Site[];
  /** Findings made while the project and the pages were read. */
  findings: Finding[];
  paths: 'handles' | 'run-time';
  /** Where the build's stylesheet stands on a page. */
  place: 'head-end' | 'body-end';
  /** How pages are looked at by rules that do not say so themselves; `viewport` is one of `viewports`. */
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
  /** Where the site serves the build; null where nobody said. */
  loading: Loading | null;
  /** What a build really brings to a page, in place of what its rules say; for `proveBuild`. */
  delivered?: (page: Page, document: PageDocument) => OurSheet | null;
  /** Results of earlier checks; left out, everything is judged anew. */
  memory?: Memory;
  /**
   * Whether this check judges the look at a page with this number, where several share the work; what it does not is
   * left out of its report. Not asked where the result is known or cannot be kept.
   */
  claim?: (index: number) => boolean;
}

/** A rule with the view that it is judged in. */
export interface Judged {
  rule: Rule;
  view: View;
  pages: Page[];
  way: Way;
  /** What the verdict hangs on that was not seen. */
  dependsOn: string[];
}

/** What there is to do on one page looked at in one way. */
export interface Work {
  way: Way;
  judged: { rule: JudgedRule; dependsOn: string[] }[];
  expectations: Expectation[];
}

/** What a check comes to before any page is opened. */
export interface Plan {
  /** All rules, in their order. */
  judged: Judged[];
  /** Those that ship: not paused, not past their day. */
  shipping: Judged[];
  findings: Finding[];
  /** What there is to do, page by page in the order of the site; a page is to be let go before the next. */
  steps: () => Iterable<Step>;
}

export interface Step {
  page: Page;
  work: Work;
  round: Round;
  /** Opens the page. */
  look: () => Look;
}

/** Decides which rules are judged on which pages, and how these are looked at. */
export function planCheck(input: CheckInput): Plan {
  const findings: Finding[] = [];
  const judged = input.rules.map((rule) => judgedIn(rule, input, findings));
  const active = judged.filter(({ rule }) => !rule.paused);
  const isExpired = ({ rule }: Judged) => hasEnded(rule, input.today);
  const shipping = active.filter((each) => !isExpired(each));
  const ready = new Map(active.map(({ rule }) => [rule, judgedRule(compileRule(rule))]));
  const compiledOf = (some: Judged[]) => some.flatMap(({ rule }) => ready.get(rule) ?? []);
  function* steps(): Iterable<Step> {
    for (const [view, pages] of workOf(shipping, input.expectations, ready, input))
      yield* stepsOf(pages, startRound(view, compiledOf(shipping), input));
    // A rule that ran out is judged as if it still shipped, and stands in nobody else's way.
    for (const expired of active.filter(isExpired)) {
      const rules = active.filter((each) => each === expired || !isExpired(each));
      for (const [view, pages] of workOf([expired], [], ready, input))
        yield* stepsOf(pages, { ...startRound(view, compiledOf(rules), input), guards: [], onlyHere: [] });
    }
  }
  return { judged, shipping, findings, steps };
}

function* stepsOf(pages: Map<Page, Map<string, Work>>, round: Round): Iterable<Step> {
  for (const [page, works] of pages)
    for (const work of works.values()) yield { page, work, round, look: () => round.look(page, work.way) };
}

/** The view that a rule is judged in: its own visitor, state and viewport come before those of the call. */
function judgedIn(rule: Rule, input: CheckInput, findings: Finding[]): Judged {
  const { view, dependsOn } = viewFor(rule, input, rule.paused ? [] : findings);
  return { rule, view, pages: targetPages(rule, view.site), way: wayFor(rule, input), dependsOn };
}

/** How pages are looked at for a rule or an expectation. */
export const wayFor = ({ state, viewport }: Pick<Rule, 'state' | 'viewport'>, input: CheckInput): Way => {
  const name = viewport ?? input.viewport;
  return {
    state: state ?? input.state,
    viewport: input.viewports.find((each) => each.name === name) ?? { name, width: 1280, height: 800 },
  };
};

/** Whose pages a rule or an expectation is judged on. */
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
      'no-visitor',
      `${view.site.name} was not captured as ${visitor} sees it; "${name}" is judged as for everybody`,
      {
        rule: name,
        at,
        hint: `Run local-needle gather ${view.site.name} --visitor ${visitor}.`,
      },
    ),
  );
  return { view, dependsOn: [`pages as the visitor ${visitor} sees them`] };
}

/** For each view, what there is to do on each of its pages, pages in the order of the site. */
function workOf(
  judged: Judged[],
  expectations: Expectation[],
  compiled: Map<Rule, JudgedRule>,
  input: CheckInput,
): Map<View, Map<Page, Map<string, Work>>> {
  const views = new Map<View, Map<Page, Map<string, Work>>>();
  const work = (view: View, page: Page, way: Way): Work => {
    const pages = views.get(view) ?? new Map<Page, Map<string, Work>>();
    views.set(view, pages);
    const works = pages.get(page) ?? new Map<string, Work>();
    pages.set(page, works);
    const key = `${way.state ?? ''} ${way.viewport.name}`;
    const known = works.get(key) ?? { way, judged: [], expectations: [] };
    works.set(key, known);
    return known;
  };
  for (const { rule, view, pages, way, dependsOn } of judged) {
    const ready = compiled.get(rule);
    if (ready) for (const page of pages) work(view, page, way).judged.push({ rule: ready, dependsOn });
    // What is hidden elsewhere is looked at there too.
    if (pages.length > 0 && rule.actions.some(({ kind }) => kind === 'only-here'))
      for (const page of view.site.pages) work(view, page, way);
  }
  for (const expectation of expectations) {
    const { view } = viewFor(expectation, input, []);
    for (const page of expectedPages(expectation, view.site))
      work(view, page, wayFor(expectation, input)).expectations.push(expectation);
  }
  return views;
}

/** What all pages of one view have in common. */
export interface Round {
  elsewhere: Omit<Elsewhere, 'state'>;
  guards: ReturnType<typeof judgedGuard>[];
  onlyHere: JudgedRule[];
  shippedTo: (page: Page) => CompiledAction[];
  look: (page: Page, way: Way) => Look;
  /** How a page loads the build. */
  loading: ((page: Page, look: Look) => PageLoading) | null;
  /** A stylesheet of the site, read once. */
  style: (address: string) => StyleText | null;
}

/** Pages that may be opened for hints alone in one check. */
const hintPages = 200;

/** Makes ready what all pages of one view share. */
export function startRound(view: View, rules: JudgedRule[], input: CheckInput): Round {
  const store = new SheetStore(view, input.place);
  const visitors = input.visitors.flatMap((name): [string, View][] => {
    const other = input.view(name);
    return other && name !== input.visitor ? [[name, other]] : [];
  });
  const shippedTo = shipment(
    rules.map(({ compiled }) => compiled),
    view.site,
  );
  // Only the site as everybody sees it is asked whether it loads the build.
  const loads =
    input.loading && view === input.view(null)
      ? startLoading(
          view,
          rules.map(({ compiled }) => compiled.rule),
          input.loading.address,
          input.paths,
        )
      : null;
  const hides = rules.some(({ compiled }) => compiled.actions.some(mayHide));
  return {
    elsewhere: { view, visitors, states: input.states, budget: { pages: hintPages } },
    guards: hides ? input.guards.map(judgedGuard) : [],
    onlyHere: rules.filter(
      ({ compiled }) =>
        compiled.actions.some(({ action }) => action.kind === 'only-here') &&
        targetPages(compiled.rule, view.site).length > 0,
    ),
    shippedTo,
    loading: loads && ((page, look) => loads(page, look, shippedTo(page))),
    look: (page, way) => lookAt(page, view, store, way, input.states, shippedTo(page), input.delivered),
    style: (address) => store.style(address),
  };
}

/** What ships to each page of a site, in the order in which it ships. */
export function shipment(rules: CompiledRule[], site: Site): (page: Page) => CompiledAction[] {
  const byPage = new Map<Page, CompiledAction[]>();
  const add = (page: Page, action: CompiledAction) => {
    const list = byPage.get(page);
    if (list) list.push(action);
    else byPage.set(page, [action]);
  };
  for (const { rule, actions } of rules) {
    const own = targetPages(rule, site);
    for (const action of actions) {
      if (action.action.kind !== 'only-here') {
        for (const page of own)
          if (action.action.on.length === 0 || targets(rule, action.action, page, site)) add(page, action);
      } else if (own.length > 0) {
        for (const page of site.pages) if (!targets(rule, action.action, page, site)) add(page, action);
      }
    }
  }
  return (page) => byPage.get(page) ?? [];
}
