import type { CascadeStep } from '../css/cascade/weight.js';
import type { Finding } from '../finding.js';
import type { RuleStatus } from '../rule/status.js';

/** What one rule does on one page. docs/verdicts.md says what each means. */
export type Verdict = 'hit' | 'partial' | 'overridden' | 'no-effect' | 'no-match' | 'pending' | 'unjudged';

/** A pair of one element and one longhand that something else wins. */
export interface OverriddenPair {
  element: string;
  property: string;
  by: {
    file: string;
    line: number;
    selector: string;
    /** The step of the cascade at which it wins; null where nothing of ours stands against it. */
    reason: CascadeStep | null;
  };
}

/** What one action of a rule does on a page. */
export interface ActionResult {
  action: string;
  selector: string;
  /** Elements matched. */
  elements: number;
  /** One for each element and longhand. */
  pairs: number;
  /** Pairs that ours wins, or whose winner computes to the same. */
  won: number;
  /** At most 20. */
  overridden: OverriddenPair[];
}

/** One rule on one page that it targets. */
export interface Cell {
  rule: string;
  page: string;
  verdict: Verdict;
  /** False where something unseen could change the verdict; `dependsOn` says what. */
  sure: boolean;
  dependsOn?: string[];
  actions: ActionResult[];
}

/** The report of `check`; its JSON form is read by others and keeps its shape. */
export interface CheckReport {
  kind: 'local-needle.check';
  version: 2;
  site: string;
  viewport: string;
  state: string | null;
  visitor: string | null;
  rules: { rule: string; file: string; line: number; paused: boolean; status: RuleStatus; pages: string[] }[];
  cells: Cell[];
  findings: Finding[];
  totals: { rules: number; pages: number; cells: number; errors: number; warnings: number };
}

/** How a cell comes out at each viewport, where it is not the same at all of them. */
export interface Variation {
  rule: string;
  page: string;
  verdicts: Record<string, Verdict>;
}
