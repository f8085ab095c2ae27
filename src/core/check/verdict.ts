import type { CascadeStep } from '../css/cascade/weight.js';
import type { Finding } from '../finding.js';
import type { RuleStatus } from '../rule/status.js';

/** Every verdict with what it means. */
export const verdictMeanings = {
  hit: 'The rule wins everything that it sets, and the page looks different with it.',
  partial: 'Something else wins over a part of what the rule sets.',
  overridden: 'Something else wins over everything that the rule sets.',
  'no-effect': 'The page looks the same without the rule, or nothing of the rule applies at this viewport.',
  'no-match': 'No selector of the rule matches an element of the page.',
  pending: 'No selector matches yet; the rule says that a script adds the element (added-by: script).',
  unjudged: 'Only a browser can tell, such as what a script does: local-needle check --browser.',
} as const;

/** What one rule does on one page. */
export type Verdict = keyof typeof verdictMeanings;

/** An element and a longhand for which another declaration wins. */
export interface OverriddenPair {
  element: string;
  property: string;
  by: {
    file: string;
    line: number;
    selector: string;
    /** The step of the cascade at which it wins; null if nothing of ours competes with it. */
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
  /** False if an uncaptured stylesheet could change the verdict; `dependsOn` names it. */
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
  rules: {
    rule: string;
    file: string;
    line: number;
    paused: boolean;
    status: RuleStatus;
    pages: string[];
    /** Why the rule is there; null if it does not say. */
    note: string | null;
  }[];
  cells: Cell[];
  /** Errors and warnings. */
  findings: Finding[];
  /** What is worth knowing and nothing to fix. */
  notes: Finding[];
  /** How many findings and notes are accepted, by `allow` in a rule or in local-needle.yaml. */
  accepted: number;
  totals: { rules: number; pages: number; cells: number; errors: number; warnings: number };
}

/** A cell's verdict at each viewport, if they differ. */
export interface Variation {
  rule: string;
  page: string;
  verdicts: Record<string, Verdict>;
}
