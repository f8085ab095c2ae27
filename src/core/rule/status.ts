import type { Rule } from './rule.js';

/** Whether the last day of a rule is past; `today` is `2027-03-31`. */
export const hasEnded = ({ until }: Pick<Rule, 'until'>, today: string) => until !== null && until.day < today;

/** Whether a rule is in use: `active` rules ship; `expired` ones are past their `until`. */
export type RuleStatus = 'active' | 'paused' | 'expired';

/** The status of a rule; `today` is `2027-03-31`. */
export const statusOf = (rule: Pick<Rule, 'paused' | 'until'>, today: string): RuleStatus =>
  rule.paused ? 'paused' : hasEnded(rule, today) ? 'expired' : 'active';

/** Whether a rule ships: it is neither paused nor past its last day. */
export const ships = (rule: Pick<Rule, 'paused' | 'until'>, today: string) => !rule.paused && !hasEnded(rule, today);
