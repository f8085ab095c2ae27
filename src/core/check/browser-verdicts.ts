import { byLevel, finding, levelCounts, type Finding } from '../finding.js';
import type { Cell, CheckReport, Verdict } from './verdict.js';

/** A cell that a browser judges otherwise than the static check. */
export interface Difference {
  rule: string;
  page: string;
  static: Verdict;
  browser: Verdict;
}

/** Findings that a verdict is; a browser's verdict comes in their place. */
const ofVerdict = ['overridden', 'partial', 'no-effect', 'missing-element'];
const levels: Partial<Record<Verdict, 'overridden' | 'partial' | 'no-effect' | 'missing-element'>> = {
  overridden: 'overridden',
  partial: 'partial',
  'no-effect': 'no-effect',
  'no-match': 'missing-element',
};

const failedInBrowser = 'what Chromium makes of the page';

/** Whether a cell was to be judged by a browser, which could not. */
export const isFailedInBrowser = ({ dependsOn = [] }: Cell): boolean => dependsOn.includes(failedInBrowser);

/**
 * A report with a browser's verdicts in place of the static ones, and where the two differ. `failed`: pages that the
 * browser could not judge; what the static check says of them is not sure.
 */
export function withBrowserVerdicts(
  report: CheckReport,
  judged: { cells: Cell[]; failed: { path: string }[] },
): CheckReport & { differences: Difference[] } {
  const key = ({ rule, page }: { rule: string | null; page: string | null }) => JSON.stringify([rule, page]);
  const known = new Map(judged.cells.map((cell) => [key(cell), cell]));
  const failed = new Set(judged.failed.map(({ path }) => path));
  const differences: Difference[] = [];
  const cells = report.cells.map((cell): Cell => {
    const own = known.get(key(cell));
    if (!own && failed.has(cell.page))
      return { ...cell, sure: false, dependsOn: [...(cell.dependsOn ?? []), failedInBrowser] };
    if (!own) return cell;
    if (own.verdict !== cell.verdict)
      differences.push({ rule: cell.rule, page: cell.page, static: cell.verdict, browser: own.verdict });
    // Where both agree, the static check also knows what beats what.
    return own.verdict === cell.verdict
      ? { rule: cell.rule, page: cell.page, verdict: cell.verdict, sure: true, actions: cell.actions }
      : own;
  });
  const differing = new Set(differences.map(key));
  const places = new Map(report.rules.map(({ rule, file, line }) => [rule, { file, line, column: 1 }]));
  const more = differences.flatMap(({ rule, page, static: before, browser }): Finding[] => {
    const code = levels[browser];
    if (!code) return [];
    const said = `In Chromium "${rule}" is ${browser} on ${page}; the static check said ${before}`;
    return [
      finding(code, said, {
        rule,
        page,
        at: places.get(rule) ?? null,
        hint: 'Check what the page’s scripts do there.',
      }),
    ];
  });
  const findings = [
    ...report.findings.filter((each) => !(ofVerdict.includes(each.code) && differing.has(key(each)))),
    ...more,
  ].sort(byLevel);
  return { ...report, cells, findings, totals: { ...report.totals, ...levelCounts(findings) }, differences };
}
