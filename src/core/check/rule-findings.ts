import { hasEnded } from '../rule/status.js';
import type { CheckInput } from './input.js';
import type { Judged } from './plan.js';
import { finding, type Finding } from '../finding.js';
import { targetFindings, type VisitorSite } from './target-findings.js';
import { weakHandles } from '../compare/site-specific.js';

/** Findings about a rule that need no page. */
export function ruleFindings(
  { rule, pages, view: { site } }: Judged,
  { today, others, visitors, visitor, view }: CheckInput,
): Finding[] {
  const ofVisitors = visitors.flatMap((name): VisitorSite[] => {
    const own = rule.visitor === null && visitor === null ? view(name) : null;
    return own ? [{ name, site: own.site }] : [];
  });
  const findings = [...targetFindings(rule, pages, site, ofVisitors), ...weakHandles(rule, site, others)];
  if (rule.until && hasEnded(rule, today)) {
    findings.push(
      finding('expired', `"${rule.name}" expired after ${rule.until.day} and no longer ships`, {
        rule: rule.name,
        at: rule.until.at,
        hint: 'Remove the rule, or set a later day.',
      }),
    );
  }
  if (rule.actions.length === 0 && findings.length === 0) {
    findings.push(
      finding('missing-action', `"${rule.name}" does nothing`, {
        rule: rule.name,
        at: rule.at,
        hint: 'Add @hide, @swap, a style rule or @script.',
      }),
    );
  }
  return findings;
}
