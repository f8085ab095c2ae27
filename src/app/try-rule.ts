import { check } from '../core/check/check.js';
import type { CheckReport } from '../core/check/verdict.js';
import type { NewRule } from '../core/rule/write.js';
import { prepareAddition, type Addition } from '../project/addition.js';
import type { OpenedCheck } from './check-input.js';

/** A new rule as it would be written, and its verdicts when no other rule ships. Throws ProblemError. */
export function tryRule(
  { project, input }: OpenedCheck,
  rule: NewRule,
  file: string,
): { addition: Addition; report: CheckReport } {
  const addition = prepareAddition(project, rule, file);
  // Findings about loading the build do not concern a single rule.
  const own = { rules: [addition.rule], expectations: [], findings: addition.findings, loading: null };
  return { addition, report: check({ ...input, ...own, results: undefined }) };
}
