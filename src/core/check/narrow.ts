import { levelCounts, type Finding } from '../finding.js';
import type { CheckReport } from './verdict.js';

/** What a report is narrowed to; empty lists leave it whole. */
export interface Narrowing {
  rules: string[];
  pages: string[];
}

/** A report of these rules and pages alone, with the totals of what is left. Findings about neither are left out. */
export function narrowed<T extends CheckReport>(report: T, { rules, pages }: Narrowing): T {
  if (rules.length === 0 && pages.length === 0) return report;
  const isOwnRule = (rule: string | null) => rules.length === 0 || (rule !== null && rules.includes(rule));
  const isOwnPage = (page: string | null) => pages.length === 0 || (page !== null && pages.includes(page));
  const cells = report.cells.filter(({ rule, page }) => isOwnRule(rule) && isOwnPage(page));
  const targeting = (each: CheckReport['rules'][number]) => pages.length === 0 || each.pages.some(isOwnPage);
  const left = report.rules
    .filter((each) => isOwnRule(each.rule) && targeting(each))
    .map((each) => ({ ...each, pages: each.pages.filter(isOwnPage) }));
  const isOwn = ({ rule, page }: Finding) => isOwnRule(rule) && isOwnPage(page);
  const findings = report.findings.filter(isOwn);
  return {
    ...report,
    rules: left,
    cells,
    findings,
    notes: report.notes.filter(isOwn),
    totals: { ...report.totals, rules: left.length, cells: cells.length, ...levelCounts(findings) },
  };
}
