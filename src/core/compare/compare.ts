import { expressionFor, type Expression } from '../target/expression.js';
import { meansTheSame } from './site-specific.js';
import type { Page, Site } from '../page/page.js';
import type { Rule } from '../rule/rule.js';
import { ownPages, pageConditions, rulePages } from '../target/delivery.js';
import { alternativePages } from '../target/pages.js';
import { termKind } from '../target/terms/index.js';
import { compileMatcher } from '../page/elements.js';
import { selectorParts } from '../css/selector.js';
import type { View } from '../page/view.js';

/** How two copies of a site differ for the rules. */
export interface CompareReport {
  kind: 'compare';
  version: 1;
  sites: [string, string];
  /** Paths that only one of the two has. */
  onlyOnA: string[];
  onlyOnB: string[];
  /** Pages of one path with other page IDs. */
  otherIds: { path: string; here: string | null; there: string | null }[];
  /** Rules that pick other pages, or hit on one and miss on the other. */
  rules: DifferingRule[];
}

export interface DifferingRule {
  rule: string;
  file: string;
  line: number;
  /** Paths that the rule targets on one site and not on the other, whether the other has the page or not. */
  pagesOnA: string[];
  pagesOnB: string[];
  /** Those of them that the other site does not have. */
  missing: string[];
  /** Pages on both that the rule targets on both, where an action matches on one alone. */
  hits: { page: string; selector: string; here: number; there: number }[];
  /** A condition or selector that fits both sites, ready to paste; null if none was found. */
  instead: string | null;
}

/** Compares two sites and the verdicts of the rules on them. Pages are opened where a rule targets them on both. */
export function compare(here: View, there: View, rules: Rule[]): CompareReport {
  const [a, b] = [here.site, there.site];
  const shared = a.pages.flatMap((page): [Page, Page][] => {
    const other = b.byPath.get(page.path);
    return other ? [[page, other]] : [];
  });
  return {
    kind: 'compare',
    version: 1,
    sites: [a.name, b.name],
    onlyOnA: a.pages.filter(({ path }) => !b.byPath.has(path)).map(({ path }) => path),
    onlyOnB: b.pages.filter(({ path }) => !a.byPath.has(path)).map(({ path }) => path),
    otherIds: shared
      .filter(([page, other]) => page.pageId?.value !== other.pageId?.value)
      .map(([page, other]) => ({
        path: page.path,
        here: page.pageId?.value ?? null,
        there: other.pageId?.value ?? null,
      })),
    rules: differingRules(
      here,
      there,
      rules.filter((rule) => !rule.paused),
      shared,
    ),
  };
}

function differingRules(here: View, there: View, rules: Rule[], shared: [Page, Page][]): DifferingRule[] {
  const [a, b] = [here.site, there.site];
  const targeted = new Map(
    rules.map((rule) => [rule, { here: [...rulePages(rule, a)], there: [...rulePages(rule, b)] }]),
  );
  const hits = hitDifferences(here, there, rules, shared);
  return rules.flatMap((rule) => {
    const pages = targeted.get(rule) ?? { here: [], there: [] };
    const [inA, inB] = [new Set(pages.here.map(({ path }) => path)), new Set(pages.there.map(({ path }) => path))];
    const pagesOnA = limitedTo(rule, a) ? [] : [...inA].filter((path) => !inB.has(path));
    const pagesOnB = limitedTo(rule, b) ? [] : [...inB].filter((path) => !inA.has(path));
    const missing = [
      ...pagesOnA.filter((path) => !b.byPath.has(path)),
      ...pagesOnB.filter((path) => !a.byPath.has(path)),
    ];
    const own = hits.get(rule) ?? [];
    if (pagesOnA.length === 0 && pagesOnB.length === 0 && own.length === 0) return [];
    // If the page is missing, no other condition can help.
    const instead = pagesOnA.length + pagesOnB.length > missing.length ? insteadOf(pages.here, a, b) : null;
    return [
      { rule: rule.name, file: rule.at.file, line: rule.at.line, pagesOnA, pagesOnB, missing, hits: own, instead },
    ];
  });
}

/** Whether a rule says that it is for this site alone. */
const limitedTo = (rule: Rule, site: Site) => {
  const alternatives = pageConditions(rule).flatMap((condition) => condition.alternatives);
  return alternatives.every((terms) =>
    terms.some((term) => termKind(term).limitsToSite && alternativePages([term], site).size > 0),
  );
};

/** Conditions by path alone, if they pick the same pages on both sites. */
function insteadOf(pages: Page[], site: Site, other: Site): string | null {
  const found: Expression | null = expressionFor(pages, site, 'path');
  if (!found || !pages.some(({ path }) => other.byPath.has(path)) || !meansTheSame(found, pages, other)) return null;
  return `pages: ${found.pages};${found.except === null ? '' : ` except: ${found.except};`}`;
}

/** Actions that match elements on one site and none on the other, on pages that both target. */
function hitDifferences(
  here: View,
  there: View,
  rules: Rule[],
  shared: [Page, Page][],
): Map<Rule, DifferingRule['hits']> {
  const compiled = rules.flatMap((rule) =>
    rule.actions.flatMap((action) =>
      action.selectors.length === 0
        ? []
        : [
            {
              rule,
              action,
              match: compileMatcher(action.selectors.map(({ text }) => selectorParts(text).element).join(', ')),
            },
          ],
    ),
  );
  const found = new Map<Rule, DifferingRule['hits']>();
  for (const [page, other] of shared) {
    const work = compiled.filter(
      ({ rule, action }) =>
        ownPages(rule, action, here.site).has(page) && ownPages(rule, action, there.site).has(other),
    );
    if (work.length === 0) continue;
    const [documentHere, documentThere] = [here.open(page), there.open(other)];
    for (const { rule, action, match } of work) {
      const counts = [match(documentHere).length, match(documentThere).length] as const;
      if ((counts[0] === 0) === (counts[1] === 0)) continue;
      const list = found.get(rule) ?? [];
      list.push({ page: page.path, selector: action.selector, here: counts[0], there: counts[1] });
      found.set(rule, list);
    }
  }
  return found;
}
