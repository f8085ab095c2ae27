import { Marks, scopeOf } from '../build/scope.js';
import { longhandsOf } from '../css/declaration.js';
import { compileMatcher, type Matcher, type PageDocument } from '../page/elements.js';
import { selectorParts, withoutStates } from '../css/selector.js';
import type { Page, Site } from '../page/page.js';
import type { Action, Rule } from '../rule/rule.js';
import { targetPages, targets } from '../rule/target.js';
import { finding, type Finding } from './finding.js';
import { nearMiss } from './near-miss.js';
import { targetFindings } from './target-findings.js';
import type { ActionResult, Cell, CheckReport, Verdict } from './verdict.js';

/** Everything that a check needs; it reads nothing by itself. */
export interface CheckInput {
  site: Site;
  rules: Rule[];
  /** Findings made while the project and the pages were read. */
  findings: Finding[];
  open: (page: Page) => PageDocument;
  paths: 'handles' | 'run-time';
  viewport: string;
  /** The day of the check, `2027-03-31`. */
  today: string;
}

/** Judges every rule on every page that it targets. A page is opened only if a rule targets it, once, and then let go. */
export function check(input: CheckInput): CheckReport {
  const { site, rules } = input;
  const active = rules.filter((rule) => !rule.paused);
  const pagesOf = new Map(rules.map((rule) => [rule, targetPages(rule, site)]));
  const work = new Map<Page, CompiledRule[]>();
  for (const rule of active) {
    const compiled = compileRule(rule);
    for (const page of pagesOf.get(rule) ?? []) work.set(page, [...(work.get(page) ?? []), compiled]);
  }
  const cells: Cell[] = [];
  const findings: Finding[] = [...input.findings];
  for (const rule of active) findings.push(...ruleFindings(rule, pagesOf.get(rule) ?? [], input));
  for (const page of site.pages) {
    const compiled = work.get(page);
    if (!compiled) continue;
    const document = input.open(page);
    for (const each of compiled) {
      const judged = judge(each, page, site, document);
      cells.push(judged.cell);
      findings.push(...judged.findings);
    }
  }
  const order = new Map(rules.map((rule, index) => [rule.name, index]));
  cells.sort((a, b) => (order.get(a.rule) ?? 0) - (order.get(b.rule) ?? 0));
  const kept = accepted(findings, rules);
  return {
    kind: 'local-needle.check',
    version: 1,
    site: site.name,
    viewport: input.viewport,
    state: null,
    visitor: null,
    rules: rules.map((rule) => ({
      rule: rule.name,
      file: rule.at.file,
      line: rule.at.line,
      paused: rule.paused,
      pages: (pagesOf.get(rule) ?? []).map((page) => page.path),
    })),
    cells,
    findings: kept,
    totals: {
      rules: rules.length,
      pages: site.pages.length,
      cells: cells.length,
      errors: kept.filter(({ level }) => level === 'error').length,
      warnings: kept.filter(({ level }) => level === 'warning').length,
    },
  };
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
  actions: { action: Action; match: Matcher | null; longhands: number }[];
}

function compileRule(rule: Rule): CompiledRule {
  return {
    rule,
    actions: rule.actions.map((action) => ({ action, match: compileAction(action), longhands: longhandCount(action) })),
  };
}

/** Matches the elements of an action's selectors, pseudo-elements counted as the elements they belong to. */
function compileAction(action: Action): Matcher | null {
  if (action.selectors.length === 0) return null;
  return compileMatcher(action.selectors.map(({ text }) => selectorParts(text).element).join(', '));
}

function longhandCount(action: Action): number {
  if (action.kind === 'hide') return 1;
  return action.kind === 'restyle' ? new Set(action.declarations.flatMap(({ prop }) => longhandsOf(prop))).size : 0;
}

function ruleFindings(rule: Rule, pages: Page[], { site, paths, today }: CheckInput): Finding[] {
  const findings = targetFindings(rule, pages, site);
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
  { rule, actions }: CompiledRule,
  page: Page,
  site: Site,
  document: PageDocument,
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
      findings.push(noElement(rule, action, page, document));
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
  const cell: Cell = {
    rule: rule.name,
    page: page.path,
    verdict: verdictOf(results, rule.arrivesLate),
    sure: !styled,
    actions: results,
  };
  if (styled) cell.dependsOn = ['the cascade, which this version does not compute'];
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

function noElement(rule: Rule, action: Action, page: Page, document: PageDocument): Finding {
  const single = action.selectors.length === 1 ? action.selectors[0] : undefined;
  const near = single ? nearMiss(selectorParts(single.text).element, document) : null;
  return finding('no-element', `${action.selector} matches nothing on ${page.path}`, {
    rule: rule.name,
    page: page.path,
    at: action.at,
    hint: near ? `${near.selector} matches ${near.elements} there.` : null,
  });
}
