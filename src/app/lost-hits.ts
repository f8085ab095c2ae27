import { noLongerHitSince } from '../core/check/accepted.js';
import { withFindings } from '../core/check/check.js';
import type { CheckInput } from '../core/check/input.js';
import type { CheckReport } from '../core/check/verdict.js';
import { readAccepted } from '../project/accepted.js';

/** A report with the rules that do not hit any more what they hit when verdicts were accepted. Throws ProblemError. */
export function withLostHits(directory: string, input: CheckInput, report: CheckReport): CheckReport {
  const accepted = readAccepted(directory);
  return withFindings(report, accepted ? noLongerHitSince(accepted, report, input.viewports[0]?.name ?? '') : []);
}
