import { SheetStore } from '../css/cascade/page-sheets.js';
import type { Viewport } from '../css/cascade/media.js';
import type { Page, Site } from '../page/page.js';
import type { PageState } from '../page/state.js';
import type { View } from '../page/view.js';
import type { Expectation, Guard } from '../rule/guard.js';
import type { Rule } from '../rule/rule.js';
import { targetPages, targets } from '../rule/target.js';
import type { Elsewhere } from './element-hint.js';
import { brokenExpectations, expectedPages } from './expectations.js';
import { finding, type Finding } from './finding.js';
import { brokenGuards, judgedGuard, mayHide } from './guards.js';
import { judge, judgedRule, onlyHereElsewhere, shownAddress, type JudgedRule } from './judge.js';
import { lookAt, type Look, type Way } from './look.js';
import { compileRule, type CompiledAction, type CompiledRule } from './our-rules.js';
import { ruleFindings } from './rule-findings.js';
import type { Cell, CheckReport } from './verdict.js';

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
interface Work {
  way: Way;
  judged: { rule: JudgedRule; dependsOn: string[] }[];
  expectations: Expectation[];
}

/** Judges every rule on every page that it targets. A page is opened only if a rule targets it, once a way, and then let go. */
export function check(input: CheckInput): CheckReport {
  const { rules } = input;
  const findings: Finding[] = [...input.findings];
  const judged = rules.map((rule) => judgedIn(rule, input, findings));
  const active = judged.filter(({ rule }) => !rule.paused);
  for (const each of active) findings.push(...ruleFindings(each, input));
  const shipping = active.filter(({ rule }) => !rule.until || rule.until.day >= input.today);
  const compiled = new Map(shipping.map(({ rule }) => [rule, judgedRule(compileRule(rule))]));
  const cells: Cell[] = [];
  const unseen = new Map<string, Page[]>();
  for (const [view, pages] of workOf(shipping, compiled, input)) {
    const round = startRound(view, [...compiled.values()], input);
    for (const [page, works] of pages) {
      for (const work of works.values()) {
        const look = round.look(page, work.way);
        for (const { rule, dependsOn } of work.judged) {
          const result = judge(rule, look, dependsOn, { ...round.elsewhere, state: work.way.state });
          cells.push(result.cell);
          findings.push(...result.findings);
        }
        for (const expectation of work.expectations) findings.push(...brokenExpectations(expectation, look));
        for (const rule of round.onlyHere) findings.push(...onlyHereElsewhere(rule, look));
        if (round.guards.length > 0) findings.push(...brokenGuards(round.guards, round.shippedTo(page), look));
        for (const address of look.sheets.unseen) {
          const shown = shownAddress(address, look);
          const list = unseen.get(shown) ?? [];
          if (!list.includes(page)) list.push(page);
          unseen.set(shown, list);
        }
      }
    }
  }
  findings.push(...unseenSheets(unseen, input));
  return reportOf(input, judged, cells, findings);
}

/** The view that a rule is judged in: its own visitor, state and viewport come before those of the call. */
function judgedIn(rule: Rule, input: CheckInput, findings: Finding[]): Judged {
  const { view, dependsOn } = viewFor(rule, input, rule.paused ? [] : findings);
  return { rule, view, pages: targetPages(rule, view.site), way: wayFor(rule, input), dependsOn };
}

const wayFor = ({ state, viewport }: Pick<Rule, 'state' | 'viewport'>, input: CheckInput): Way => {
  const name = viewport ?? input.viewport;
  return {
    state: state ?? input.state,
    viewport: input.viewports.find((each) => each.name === name) ?? { name, width: 1280, height: 800 },
  };
};

function viewFor(
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
  shipping: Judged[],
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
  for (const { rule, view, pages, way, dependsOn } of shipping) {
    const ready = compiled.get(rule);
    if (ready) for (const page of pages) work(view, page, way).judged.push({ rule: ready, dependsOn });
    // What is hidden elsewhere is looked at there too.
    if (pages.length > 0 && rule.actions.some(({ kind }) => kind === 'only-here'))
      for (const page of view.site.pages) work(view, page, way);
  }
  for (const expectation of input.expectations) {
    const { view } = viewFor(expectation, input, []);
    for (const page of expectedPages(expectation, view.site))
      work(view, page, wayFor(expectation, input)).expectations.push(expectation);
  }
  return views;
}

/** What all pages of one view have in common. */
interface Round {
  elsewhere: Omit<Elsewhere, 'state'>;
  guards: ReturnType<typeof judgedGuard>[];
  onlyHere: JudgedRule[];
  shippedTo: (page: Page) => CompiledAction[];
  look: (page: Page, way: Way) => Look;
}

/** Pages that may be opened for hints alone in one check. */
const hintPages = 200;

function startRound(view: View, rules: JudgedRule[], input: CheckInput): Round {
  const store = new SheetStore(view, input.place);
  const visitors = input.visitors.flatMap((name): [string, View][] => {
    const other = input.view(name);
    return other && name !== input.visitor ? [[name, other]] : [];
  });
  const shippedTo = shipment(
    rules.map(({ compiled }) => compiled),
    view.site,
  );
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
    look: (page, way) => lookAt(page, view, store, way, input.states, shippedTo(page)),
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

function unseenSheets(unseen: Map<string, Page[]>, input: CheckInput): Finding[] {
  const site = input.view(null)?.site;
  return [...unseen].map(([address, pages]) => {
    const [first] = pages;
    const others = pages.length > 1 ? ` and ${pages.length - 1} more` : '';
    return finding(
      'unseen-stylesheet',
      `${first?.path}${others} load ${address}, which was not captured: verdicts there are less sure`,
      {
        page: first?.path,
        hint: address.startsWith('/')
          ? `Check that it is there; local-needle gather ${site?.name ?? ''} fetches it.`
          : 'Only a browser sees it: local-needle check --browser.',
      },
    );
  });
}

function reportOf(input: CheckInput, judged: Judged[], cells: Cell[], findings: Finding[]): CheckReport {
  const { rules } = input;
  const order = new Map(rules.map((rule, index) => [rule.name, index]));
  cells.sort((a, b) => (order.get(a.rule) ?? 0) - (order.get(b.rule) ?? 0) || (a.page < b.page ? -1 : 1));
  const kept = accepted(findings, rules);
  const main = (input.view(input.visitor) ?? input.view(null))?.site;
  return {
    kind: 'local-needle.check',
    version: 1,
    site: main?.name ?? '',
    viewport: input.viewport,
    state: input.state,
    visitor: input.visitor,
    rules: judged.map(({ rule, pages }) => ({
      rule: rule.name,
      file: rule.at.file,
      line: rule.at.line,
      paused: rule.paused,
      pages: pages.map((page) => page.path),
    })),
    cells,
    findings: kept,
    totals: {
      rules: rules.length,
      pages: main?.pages.length ?? 0,
      cells: cells.length,
      errors: kept.filter(({ level }) => level === 'error').length,
      warnings: kept.filter(({ level }) => level === 'warning').length,
    },
  };
}

/** Leaves out what a rule's `allow` accepts, and doubles; errors first, then in the order of their places. */
function accepted(findings: Finding[], rules: Rule[]): Finding[] {
  const allowed = new Set(rules.flatMap((rule) => rule.allow.map(({ code }) => `${rule.name} ${code}`)));
  const place = ({ at }: Finding) =>
    `${at?.file ?? ''} ${String(at?.line ?? 0).padStart(8)} ${String(at?.column ?? 0).padStart(8)}`;
  const byPlace = (a: Finding, b: Finding) => (place(a) < place(b) ? -1 : place(a) > place(b) ? 1 : 0);
  const seen = new Set<string>();
  const isNew = ({ code, rule, page, message, at }: Finding) => {
    const key = JSON.stringify([code, rule, page, message, at]);
    return !seen.has(key) && seen.add(key);
  };
  return findings
    .filter(({ rule, code }) => !allowed.has(`${rule} ${code}`))
    .filter(isNew)
    .sort((a, b) => a.level.localeCompare(b.level) || byPlace(a, b));
}
