import type { Page, Site } from '../page/page.js';
import type { Condition, Term } from '../rule/condition.js';
import type { Rule } from '../rule/rule.js';
import { pageConditions, pagesFor } from '../rule/target.js';
import type { Place } from '../place.js';
import { finding, type Finding } from './finding.js';
import { nearTerm } from '../near-miss/condition.js';

/**
 * `no-page` and `page-count`: a page ID or a literal path must pick exactly one page, any other condition at least one,
 * unless `expects` gives the number for the whole rule.
 */
export function targetFindings(rule: Rule, pages: Page[], site: Site): Finding[] {
  const findings: Finding[] = [];
  const conditions = new Set([
    ...pageConditions(rule),
    ...rule.actions.flatMap((action) => action.on),
    ...(rule.except ? [rule.except] : []),
  ]);
  for (const condition of conditions) {
    for (const terms of condition.alternatives) {
      if (terms.some((term) => term.kind === 'site' && term.value !== site.name)) continue;
      const picked = pagesFor(terms, site);
      const at = placeOf(rule, condition, terms);
      const text = terms.map((term) => term.text).join(' ');
      const single = terms.find((term) => term.kind === 'page-id' || (term.kind === 'path' && !term.pattern));
      if (picked.length === 0) {
        findings.push(
          finding('no-page', `${text} picks no page of ${site.name}`, {
            rule: rule.name,
            at,
            hint: nearHint(terms, site),
          }),
        );
      } else if (single && picked.length > 1 && !rule.expects) {
        const shown = picked
          .slice(0, 3)
          .map((page) => page.path)
          .join(', ');
        findings.push(
          finding(
            'page-count',
            `${text} picks ${picked.length} pages, not one: ${shown}${picked.length > 3 ? ', …' : ''}`,
            {
              rule: rule.name,
              at,
              hint: `If that is meant, say expects: ${pages.length} pages.`,
            },
          ),
        );
      }
    }
  }
  if (rule.expects && rule.expects.pages !== pages.length) {
    const list = pages
      .slice(0, 3)
      .map((page) => page.path)
      .join(', ');
    findings.push(
      finding(
        'page-count',
        `"${rule.name}" expects ${rule.expects.pages} and targets ${pages.length} of ${site.name}${list && `: ${list}`}${pages.length > 3 ? ', …' : ''}`,
        {
          rule: rule.name,
          at: rule.expects.at,
          hint: `Look at its conditions, or say expects: ${pages.length} pages.`,
        },
      ),
    );
  }
  return findings;
}

function placeOf(rule: Rule, condition: Condition, terms: Term[]): Place {
  return condition.placeAt?.(terms[0]?.offset ?? 0) ?? rule.at;
}

function nearHint(terms: Term[], site: Site): string | null {
  for (const term of terms) {
    const near = nearTerm(term, site);
    if (near) return `${near.text} picks ${near.page.path}.`;
  }
  return null;
}
