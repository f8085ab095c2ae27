import { hasEnded } from '../rule/status.js';
import type { Rule } from '../rule/rule.js';
import { addressText } from '../target/run-time-addresses.js';
import { addressesOf } from '../target/scope.js';
import type { CheckInput } from './input.js';
import type { Judged } from './plan.js';
import { finding, type Finding } from '../finding.js';
import { targetFindings } from './target-findings.js';
import { weakHandles } from '../compare/site-specific.js';

/** What is wrong with a rule before any page is looked at. */
export function ruleFindings({ rule, pages, view: { site } }: Judged, { paths, today, others }: CheckInput): Finding[] {
  const findings = [...targetFindings(rule, pages, site), ...weakHandles(rule, site, others)];
  if (rule.until && hasEnded(rule, today)) {
    findings.push(
      finding('expired', `"${rule.name}" ran until ${rule.until.day} and no longer ships`, {
        rule: rule.name,
        at: rule.until.at,
        hint: 'Take the rule out, or give it a later day.',
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
  const addresses = addressesOf(rule, site, paths);
  if (addresses.length > 0) findings.push(needsScript(rule, addresses.map(addressText), paths));
  return findings;
}

/** Says that local-needle.js must tell these addresses. */
export function needsScript(rule: Rule, addresses: string[], paths: CheckInput['paths']): Finding {
  const atRunTime = paths === 'run-time';
  const why = atRunTime
    ? 'local-needle.yaml says `paths: run-time`'
    : 'no page ID, body ID or class of its own picks it';
  return finding('needs-script', `local-needle.js must tell ${addresses.join(', ')} by its path: ${why}`, {
    ...{ rule: rule.name, at: rule.at },
    hint: atRunTime
      ? null
      : "It works once local-needle.js is loaded in the head. A class of its own on the page's body would do without.",
  });
}
