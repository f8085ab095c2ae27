import type { CheckReport } from '../core/check/verdict.js';

/** A report as JSON; what was not tried is left out. */
export const reportJson = (report: CheckReport) =>
  JSON.stringify(report, (key, value: unknown) => (key === 'proposals' ? undefined : value), 2);
