import type { CheckReport, Verdict } from '../check/verdict.js';
import type { Finding } from '../finding.js';
import { applyEdits, editsOf, type Edit, type Proposal } from './proposal.js';

/** A change that mends a finding: the whole project was judged with it. */
export interface Fix {
  title: string;
  edits: Edit[];
  /** What the rule is on the finding's page then, and the elements that it acts on there; null where it has no verdict. */
  result: { verdict: Verdict; elements: number } | null;
}

/** A finding with its fixes: one that is certain, or those to choose from. */
export interface Mended {
  finding: Finding;
  fixes: Fix[];
}

/** What a fix is compared by. */
export type Judged = Pick<CheckReport, 'findings' | 'cells'>;

/** The project with other texts of some of its files, judged; null if it cannot be read so. */
export type Judge = (texts: ReadonlyMap<string, string>) => Judged | null;

/** Maximum number of changes that are tried in one run: each takes as long as a check after an edit. */
export const mostTried = 100;

/** How many changes may still be tried. */
export interface Budget {
  left: number;
}

/** What a finding is about, without the lines that an edit may move. */
export const findingKey = ({ code, rule, page, message }: Finding) =>
  JSON.stringify([code, rule, page, message.replace(/:\d+\b/g, '')]);

const cellKey = ({ rule, page }: Finding) => JSON.stringify([rule, page]);

/** What a finding's rule is on its page; null where it has no verdict. */
export function resultIn({ cells }: Pick<Judged, 'cells'>, { rule, page }: Finding): Fix['result'] {
  const cell = cells.find((each) => each.rule === rule && each.page === page);
  return cell
    ? { verdict: cell.verdict, elements: cell.actions.reduce((sum, { elements }) => sum + elements, 0) }
    : null;
}

/**
 * The fixes of each finding, likeliest first: changes after which the finding is gone and no other one is new. A change that
 * several findings propose is tried once.
 */
export function fixesOf(
  report: Judged,
  findings: readonly Finding[],
  textOf: (file: string) => string | null,
  judge: Judge,
  budget: Budget = { left: mostTried },
): Map<Finding, Fix[]> {
  const before = new Set(report.findings.map(findingKey));
  // A rule that loses a part where it lost everything is better than it was.
  const lost = new Set(report.findings.filter(({ code }) => code === 'overridden').map(cellKey));
  const isNew = (finding: Finding) =>
    !before.has(findingKey(finding)) && !(finding.code === 'partial' && lost.has(cellKey(finding)));
  const tried = new Map<string, { judged: Judged; keys: Set<string>; isWorse: boolean } | null>();
  const tryOut = (edits: Edit[]) => {
    const key = JSON.stringify(edits);
    if (!tried.has(key)) {
      if (budget.left === 0) return null;
      budget.left--;
      const judged = judge(applyEdits(edits, textOf));
      const keys = new Set(judged?.findings.map(findingKey));
      tried.set(key, judged && { judged, keys, isWorse: judged.findings.some(isNew) });
    }
    return tried.get(key) ?? null;
  };
  const mending = (finding: Finding, { title, rank }: Proposal, edits: Edit[]): (Fix & { rank: number }) | null => {
    const outcome = tryOut(edits);
    if (!outcome || outcome.isWorse || outcome.keys.has(findingKey(finding))) return null;
    return { title, edits, rank, result: resultIn(outcome.judged, finding) };
  };
  const found = new Map<Finding, Fix[]>();
  for (const finding of findings) {
    const fixes: (Fix & { rank: number })[] = [];
    for (const proposal of [...(finding.proposals ?? [])].sort((a, b) => a.rank - b.rank)) {
      // What is less likely is not asked for once something helps.
      if (fixes.some(({ rank }) => rank < proposal.rank)) break;
      const edits = editsOf(proposal, textOf);
      const fix = edits && mending(finding, proposal, edits);
      if (fix) fixes.push(fix);
    }
    if (fixes.length > 0)
      found.set(
        finding,
        fixes.map(({ title, edits, result }) => ({ title, edits, result })),
      );
  }
  return found;
}
