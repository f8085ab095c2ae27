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
  const addresses = addressesOf(rule, site, paths);
  if (addresses.length > 0) findings.push(needsScript(rule, addresses.map(addressText), paths));
  return findings;
}

/** Says that local-needle.js must tell these addresses. */
export function needsScript(rule: Rule, addresses: string[], paths: CheckInput['paths']): Finding {
  const atRunTime = paths === 'run-time';
  const why = atRunTime ? 'local-needle.yaml says `paths: run-time`' : 'it has no unique page ID, body ID or class';
  return finding('needs-script', `local-needle.js matches ${addresses.join(', ')} by path: ${why}`, {
    ...{ rule: rule.name, at: rule.at },
    hint: atRunTime ? null : "Load local-needle.js in the head, or add a unique class to the page's <body>.",
  });
}
