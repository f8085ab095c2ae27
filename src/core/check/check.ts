import { Marks, scopeOf } from '../build/scope.js';
import { longhandsOf } from '../css/declaration.js';
import type { PageDocument } from '../page/document.js';
import { compileMatcher, type Matcher } from '../page/elements.js';
import { selectorParts, withoutStates } from '../css/selector.js';
import type { Page, Site } from '../page/page.js';
import type { Action, Rule } from '../rule/rule.js';
import { targetPages, targets } from '../rule/target.js';
import { finding, type Finding } from './finding.js';
import { noElement, type Elsewhere } from './element-hint.js';
import { applyState, type PageState } from '../page/state.js';
import type { View } from '../page/view.js';
import { targetFindings } from './target-findings.js';
import { weakHandles } from './weak-handle.js';
import type { ActionResult, Cell, CheckReport, Verdict } from './verdict.js';

/** Everything that a check needs; it reads nothing by itself. */
export interface CheckInput {
  rules: Rule[];
  /** The site as a visitor sees it; null where it was not captured so. The default visitor is null and always there. */
  view: (visitor: string | null) => View | null;
  /** Other sites of the project that are captured, for `weak-handle`. */
  others: Site[];
  /** Findings made while the project and the pages were read. */
  findings: Finding[];
  paths: 'handles' | 'run-time';
  viewport: string;
  /** How pages are looked at by rules that do not say so themselves. */
  state: string | null;
  visitor: string | null;
  states: Record<string, PageState>;
  /** Names of the visitors that the project knows, for hints. */
  visitors: string[];
  /** The day of the check, `2027-03-31`. */
  today: string;
}

/** A rule with the view that it is judged in. */
interface Judged {
  rule: Rule;
  view: View;
  pages: Page[];
  state: string | null;
  /** What the verdict hangs on that was not seen. */
  dependsOn: string[];
}

/** Judges every rule on every page that it targets. A page is opened only if a rule targets it, once a state, and then let go. */
export function check(input: CheckInput): CheckReport {
  const { rules } = input;
  const findings: Finding[] = [...input.findings];
  const judged = rules.map((rule) => viewOf(rule, input, findings));
  const active = judged.filter(({ rule }) => !rule.paused);
  for (const each of active) findings.push(...ruleFindings(each, input));
  const visitors = input.visitors.flatMap((name): [string, View][] => {
    const view = input.view(name);
    return view && name !== input.visitor ? [[name, view]] : [];
  });
  const budget = { pages: hintPages };
  const cells: Cell[] = [];
  for (const [{ open, site }, work] of byPage(active)) {
    for (const [page, compiled] of work) {
      for (const state of new Set(compiled.map((each) => each.state))) {
        const document = open(page);
        const change = state === null ? undefined : input.states[state];
        if (change) applyState(document, change);
        for (const each of compiled.filter((other) => other.state === state)) {
          const result = judge(each, page, site, document, {
            view: { open, site },
            state,
            visitors,
            states: input.states,
            budget,
          });
          cells.push(result.cell);
          findings.push(...result.findings);
        }
      }
    }
  }
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

/** Pages that may be opened for hints alone in one check. */
const hintPages = 200;

/** The view that a rule is judged in: its own visitor and state come before those of the call. */
function viewOf(rule: Rule, input: CheckInput, findings: Finding[]): Judged {
  const visitor = rule.visitor ?? input.visitor;
  const own = input.view(visitor);
  const view = own ?? input.view(null);
  if (!view) throw new Error('The site was not read.');
  const dependsOn = own ? [] : [`pages as the visitor ${visitor} sees them`];
  if (!own && !rule.paused) {
    findings.push(
      finding(
        'no-visitor',
        `${view.site.name} was not captured as ${visitor} sees it; "${rule.name}" is judged as for everybody`,
        {
          rule: rule.name,
          at: rule.at,
          hint: `Run local-needle gather ${view.site.name} --visitor ${visitor}.`,
        },
      ),
    );
  }
  return { rule, view, pages: targetPages(rule, view.site), state: rule.state ?? input.state, dependsOn };
}

/** For each view, the rules of each of its pages, pages in the order of the site. */
function byPage(judged: Judged[]): Map<View, Map<Page, CompiledRule[]>> {
  const views = new Map<View, Map<Page, CompiledRule[]>>();
  for (const each of judged) {
    const compiled = compileRule(each);
    const work = views.get(each.view) ?? new Map<Page, CompiledRule[]>();
    views.set(each.view, work);
    for (const page of each.pages) {
      const list = work.get(page);
      if (list) list.push(compiled);
      else work.set(page, [compiled]);
    }
  }
  return views;
}

/** Leaves out what a rule's `allow` accepts; errors first, then in the order of their places. */
function accepted(findings: Finding[], rules: Rule[]): Finding[] {
  const allowed = new Set(rules.flatMap((rule) => rule.allow.map(({ code }) => `${rule.name} ${code}`)));
  const place = ({ at }: Finding) =>
    `${at?.file ?? ''} ${String(at?.line ?? 0).padStart(8)} ${String(at?.column ?? 0).padStart(8)}`;
  const byPlace = (a: Finding, b: Finding) => (place(a) < place(b) ? -1 : place(a) > place(b) ? 1 : 0);
  return findings
    .filter(({ rule, code }) => !allowed.has(`${rule} ${code}`))
    .sort((a, b) => a.level.localeCompare(b.level) || byPlace(a, b));
}

interface CompiledRule {
  rule: Rule;
  state: string | null;
  dependsOn: string[];
  actions: { action: Action; match: Matcher | null; longhands: number }[];
}

function compileRule({ rule, state, dependsOn }: Judged): CompiledRule {
  return {
    rule,
    state,
    dependsOn,
    actions: rule.actions.map((action) => ({ action, match: compileAction(action), longhands: longhandCount(action) })),
  };
}

/** Matches the elements of an action's selectors, pseudo-elements counted as the elements they belong to. */
function compileAction(action: Action): Matcher | null {
  if (action.selectors.length === 0) return null;
  return compileMatcher(action.selectors.map(({ text }) => selectorParts(text).element).join(', '));
}

function longhandCount(action: Action): number {
  if (action.kind === 'hide' || action.kind === 'only-here') return 1;
  return action.kind === 'restyle' ? new Set(action.declarations.flatMap(({ prop }) => longhandsOf(prop))).size : 0;
}

function ruleFindings({ rule, pages, view: { site } }: Judged, { paths, today, others }: CheckInput): Finding[] {
  const findings = [...targetFindings(rule, pages, site), ...weakHandles(rule, site, others)];
  if (rule.until && rule.until.day < today) {
    findings.push(
      finding('expired', `"${rule.name}" ran until ${rule.until.day} and no longer ships`, {
        rule: rule.name,
        at: rule.until.at,
        hint: 'Take the rule out, or give it a later day.',
      }),
    );
  }
  if (rule.actions.length === 0 && findings.length === 0) {
    findings.push(
      finding('no-action', `"${rule.name}" does nothing`, {
        rule: rule.name,
        at: rule.at,
        hint: 'Add @hide, @swap, a style rule or @script.',
      }),
    );
  }
  const marks = new Marks(paths);
  for (const action of rule.actions) if (action.kind !== 'definition') scopeOf(rule, action, site, marks);
  if (marks.list.length > 0) {
    const names = marks.list.map((mark) => mark.path ?? mark.pattern ?? 'a query').join(', ');
    const why =
      paths === 'run-time'
        ? 'local-needle.yaml says `paths: run-time`'
        : 'no page ID, body ID or class of its own picks it';
    findings.push(
      finding('needs-script', `needle.js must tell ${names} by its path: ${why}`, {
        rule: rule.name,
        at: rule.at,
        hint:
          paths === 'run-time'
            ? null
            : "It works once needle.js is loaded in the head. A class of its own on the page's body would do without.",
      }),
    );
  }
  return findings;
}

function judge(
  { rule, actions, dependsOn }: CompiledRule,
  page: Page,
  site: Site,
  document: PageDocument,
  elsewhere: Elsewhere,
): { cell: Cell; findings: Finding[] } {
  const results: ActionResult[] = [];
  const findings: Finding[] = [];
  for (const { action, match, longhands } of actions) {
    if (action.kind === 'definition' || !targets(rule, action, page, site)) continue;
    const elements = match?.(document) ?? [];
    results.push({
      action: action.kind,
      selector: action.selector,
      elements: elements.length,
      pairs: elements.length * longhands,
      won: null,
      beaten: [],
    });
    if (match && elements.length === 0 && !rule.arrivesLate && !waitsForState(action, document))
      findings.push(noElement(rule, action, page, document, elsewhere));
    const wrong =
      action.kind === 'swap' && action.image
        ? elements.find(({ tagName }) => tagName !== 'img' && tagName !== 'input')
        : undefined;
    if (wrong) {
      findings.push(
        finding('bad-swap', `${action.selector} matches a <${wrong.tagName}> on ${page.path}, which takes no image`, {
          rule: rule.name,
          page: page.path,
          at: action.at,
          hint: `Point at the img itself: ${action.selector} img.`,
        }),
      );
    }
  }
  const styled = results.some(({ pairs }) => pairs > 0);
  const unsure = [...dependsOn, ...(styled ? ['the cascade, which this version does not compute'] : [])];
  const cell: Cell = {
    rule: rule.name,
    page: page.path,
    verdict: verdictOf(results, rule.arrivesLate),
    sure: unsure.length === 0,
    actions: results,
  };
  if (unsure.length > 0) cell.dependsOn = unsure;
  return { cell, findings };
}

/** Whether the action would match if the page were in a state that its selectors name, such as `:hover`. */
function waitsForState(action: Action, document: PageDocument): boolean {
  return action.selectors.some(({ text }) => {
    const { element } = selectorParts(text);
    const atRest = withoutStates(element);
    return atRest !== element && compileMatcher(atRest)(document).length > 0;
  });
}

function verdictOf(results: ActionResult[], arrivesLate: boolean): Verdict {
  if (results.some(({ elements }) => elements > 0)) return 'hit';
  return results.some(({ action }) => action === 'script') ? 'unseen' : arrivesLate ? 'late' : 'empty';
}
