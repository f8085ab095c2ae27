import { isToldAtRunTime } from '../build/scope.js';
import { TooLate, withinTime } from '../page/elements.js';
import type { Page } from '../page/page.js';
import type { Rule } from '../rule/rule.js';
import { brokenExpectations } from './expectations.js';
import { finding, type Finding } from './finding.js';
import { brokenGuards } from './guards.js';
import { judge, onlyHereElsewhere, shownAddress } from './judge.js';
import { loadingFindings, type PageLoading } from './loading.js';
import { promiseSignature, ruleSignature, type PageResult } from './memory.js';
import { planCheck, type CheckInput, type Judged, type Step } from './plan.js';
import { needsScript, ruleFindings } from './rule-findings.js';
import type { Cell, CheckReport } from './verdict.js';

/** Judges every rule on every page that it targets. A page is opened only if a rule targets it, once a way, and then let go. */
export function check(input: CheckInput): CheckReport {
  const plan = planCheck(input);
  const findings: Finding[] = [...input.findings, ...plan.findings];
  for (const each of plan.judged) if (!each.rule.paused) findings.push(...ruleFindings(each, input));
  const cells: Cell[] = [];
  const unseen = new Map<string, Page[]>();
  const loading = new Map<Page, PageLoading>();
  const keyOf = input.memory ? keysFor(input) : null;
  let index = -1;
  for (const step of plan.steps()) {
    index++;
    const key = keyOf?.(step) ?? null;
    const kept = key === null ? undefined : input.memory?.get(key);
    const known = kept && stillHolds(kept, step) ? kept : undefined;
    if (!known && key !== null && input.claim?.(index) === false) continue;
    const result = known ?? judgeInTime(step, input);
    // Hints on what is missing name other pages, which may change meanwhile.
    const lasts = result === known || !result.findings.some(({ code }) => code === 'no-element' || code === 'too-slow');
    if (key !== null && lasts) input.memory?.set(key, result);
    cells.push(...result.cells);
    findings.push(...result.findings);
    if (result.loading) loading.set(step.page, result.loading);
    for (const address of result.unseen) {
      const list = unseen.get(address) ?? [];
      if (!list.includes(step.page)) list.push(step.page);
      unseen.set(address, list);
    }
  }
  if (input.loading) findings.push(...loadingFindings(loading, input.loading, input.view(null)?.style ?? (() => null)));
  findings.push(...nothingMarked(input.rules, cells), ...markedAtRunTime(input, cells), ...unseenSheets(unseen, input));
  return reportOf(input, plan.judged, cells, findings);
}

/** A report with further findings. */
export function withFindings<T extends CheckReport>(report: T, more: Finding[]): T {
  if (more.length === 0) return report;
  const findings = [...report.findings, ...more].sort((a, b) => a.level.localeCompare(b.level));
  return { ...report, findings, totals: { ...report.totals, ...levelCounts(findings) } };
}

/** How many findings are errors and how many warnings. */
export const levelCounts = (findings: Finding[]) => ({
  errors: findings.filter(({ level }) => level === 'error').length,
  warnings: findings.filter(({ level }) => level === 'warning').length,
});

/** `@mark-current` actions that mark no link on any page. */
function nothingMarked(rules: Rule[], cells: Cell[]): Finding[] {
  const marking = rules.filter(({ actions }) => actions.some(({ kind }) => kind === 'mark-current'));
  return marking.flatMap((rule) => {
    const results = cells
      .filter((cell) => cell.rule === rule.name)
      .flatMap(({ actions }) => actions.filter(({ action }) => action === 'mark-current'));
    if (results.length === 0 || results.some(({ elements }) => elements > 0)) return [];
    return [
      finding('no-element', `"${rule.name}" marks no link: none of ${results[0]?.selector} leads to its own page`, {
        rule: rule.name,
        at: rule.actions.find(({ kind }) => kind === 'mark-current')?.at ?? rule.at,
        hint: 'Point at the links themselves, such as .menu a; sections: yes marks the section of a page too.',
      }),
    ];
  });
}

/** `@mark-current` rules with links on pages that only needle.js can tell. */
function markedAtRunTime({ rules, view, paths }: CheckInput, cells: Cell[]): Finding[] {
  const site = view(null)?.site;
  return rules.flatMap((rule) => {
    const pages = cells.flatMap(({ rule: name, page: path, actions }) => {
      const page = name === rule.name ? site?.byPath.get(path) : undefined;
      const marks = actions.some(({ action, elements }) => action === 'mark-current' && elements > 0);
      return page && site && marks && isToldAtRunTime({ kind: 'mark-current' }, page, site, paths) ? [path] : [];
    });
    return pages.length > 0 ? [needsScript(rule, pages, paths)] : [];
  });
}

/** Judges a page, or says that its selectors took too long: no page may keep a check from its end. */
function judgeInTime(step: Step, { startTime }: CheckInput): PageResult {
  if (!startTime) return judgeStep(step);
  try {
    return withinTime(startTime(), () => judgeStep(step));
  } catch (error) {
    if (!(error instanceof TooLate)) throw error;
    const { path } = step.page;
    const dependsOn = ['selectors that took too long to try'];
    return {
      styles: [],
      unseen: [],
      loading: null,
      cells: step.work.judged.map(({ rule }): Cell => ({
        rule: rule.compiled.rule.name,
        page: path,
        verdict: 'unseen',
        sure: false,
        dependsOn,
        actions: [],
      })),
      findings: [
        finding('too-slow', `Selectors took too long on ${path}; its rules are not judged there`, {
          page: path,
          hint: 'Look for :has() and :not() around long selectors, in the rules and in the stylesheets of the page; check --browser judges it all the same.',
        }),
      ],
    };
  }
}

/** Judges what there is to judge on one page. */
function judgeStep({ page, work, round, look: open }: Step): PageResult {
  const look = open();
  const result: PageResult = { styles: look.sheets.loaded, cells: [], findings: [], unseen: [], loading: null };
  for (const { rule, dependsOn } of work.judged) {
    const judged = judge(rule, look, dependsOn, { ...round.elsewhere, state: work.way.state });
    result.cells.push(judged.cell);
    result.findings.push(...judged.findings);
  }
  for (const expectation of work.expectations) result.findings.push(...brokenExpectations(expectation, look));
  for (const rule of round.onlyHere) result.findings.push(...onlyHereElsewhere(rule, look));
  if (round.guards.length > 0) result.findings.push(...brokenGuards(round.guards, round.shippedTo(page), look));
  if (round.shippedTo(page).length > 0) result.loading = round.loading?.(page, look) ?? null;
  result.unseen = look.sheets.unseen.map((address) => shownAddress(address, look));
  return result;
}

/** The key of what is to be judged on a page: everything that the result depends on but its stylesheets. */
function keysFor(input: CheckInput): (step: Step) => string | null {
  const signatures = new Map<Rule, string>();
  const signed = (rule: Rule) => {
    const known = signatures.get(rule) ?? ruleSignature(rule);
    signatures.set(rule, known);
    return known;
  };
  const settings = JSON.stringify([input.states, input.place, input.loading?.address, input.paths]);
  const guards = promiseSignature(input.guards, []);
  return ({ page, work, round }) => {
    const identity = round.elsewhere.view.identity(page);
    if (identity === null) return null;
    const shipped = round
      .shippedTo(page)
      .map(({ owner, action }) => `${signed(owner.rule)} ${owner.rule.actions.indexOf(action)}`);
    const judged = work.judged.map(({ rule, dependsOn }) => [rule.compiled.rule.name, dependsOn]);
    return JSON.stringify([
      page.path,
      identity,
      input.loading ? round.elsewhere.view.policy(page) : null,
      work.way,
      settings,
      round.guards.length > 0 ? guards : '',
      promiseSignature([], work.expectations),
      judged,
      [...new Set(work.judged.map(({ rule }) => signed(rule.compiled.rule)))],
      shipped,
      round.onlyHere.map(({ compiled }) => signed(compiled.rule)),
    ]);
  };
}

/** Whether the stylesheets that a result came from are as they were. */
const stillHolds = ({ styles }: PageResult, { round }: Step) =>
  styles.every(([address, identity]) => (round.style(address)?.identity ?? null) === identity);

function unseenSheets(unseen: Map<string, Page[]>, input: CheckInput): Finding[] {
  const site = input.view(null)?.site;
  return [...unseen].map(([address, pages]) => {
    const [first] = pages;
    const others = pages.length > 1 ? ` and ${pages.length - 1} more` : '';
    return finding(
      'unseen-stylesheet',
      `${first?.path}${others} ${others === '' ? 'loads' : 'load'} ${address}, which was not captured: verdicts there are less sure`,
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
      ...levelCounts(kept),
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
