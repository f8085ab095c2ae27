import { suggestion } from '../core/nearest.js';
import { ProblemError } from '../core/place.js';
import type { Rule } from '../core/rule/rule.js';

/** The rule of this name. Throws ProblemError with the nearest name. */
export function ruleNamed(name: string, rules: Rule[]): Rule {
  const rule = rules.find((each) => each.name === name);
  if (rule) return rule;
  const names = rules.map((each) => each.name);
  throw new ProblemError([
    {
      message: `There is no rule "${name}"`,
      hint: names.length === 0 ? 'local-needle add NAME writes one.' : suggestion(name, names),
    },
  ]);
}
