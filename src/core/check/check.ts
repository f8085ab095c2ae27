import type { Page } from '../page/page.js';
import type { Rule } from '../rule/rule.js';
import { brokenExpectations } from './expectations.js';
import { finding, type Finding } from './finding.js';
import { brokenGuards } from './guards.js';
import { judge, onlyHereElsewhere, shownAddress } from './judge.js';
import { planCheck, type CheckInput, type Judged } from './plan.js';
import { ruleFindings } from './rule-findings.js';
import type { Cell, CheckReport } from './verdict.js';

/** Judges every rule on every page that it targets. A page is opened only if a rule targets it, once a way, and then let go. */
export function check(input: CheckInput): CheckReport {
  const plan = planCheck(input);
  const findings: Finding[] = [...input.findings, ...plan.findings];
  for (const each of plan.judged) if (!each.rule.paused) findings.push(...ruleFindings(each, input));
  const cells: Cell[] = [];
  const unseen = new Map<string, Page[]>();
  for (const { page, work, round, look } of plan.steps()) {
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
  findings.push(...unseenSheets(unseen, input));
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
