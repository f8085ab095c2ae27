import { expressionFor, type Expression } from '../target/expression.js';
import { replacing, type Proposal } from '../fix/proposal.js';
import type { Page, Site } from '../page/page.js';
import type { Place } from '../place.js';
import { parseCondition, type Term } from '../target/condition.js';
import type { Rule } from '../rule/rule.js';
import { allConditions } from '../target/delivery.js';
import { alternativePages, conditionPages } from '../target/pages.js';
import { termKind } from '../target/terms/index.js';
import { finding, type Finding } from '../finding.js';

const isHandle = (term: Term) => termKind(term).differsBetweenCopies(term) !== null;

/** `site-specific-id`: page IDs, body IDs and classes of a rule that pick other pages on another site of the project. */
export function weakHandles(rule: Rule, site: Site, others: Site[]): Finding[] {
  const findings: Finding[] = [];
  if (others.length === 0) return findings;
  for (const condition of allConditions(rule)) {
    for (const terms of condition.alternatives) {
      if (!terms.some(isHandle) || terms.some((term) => termKind(term).limitsToSite)) continue;
      const here = [...alternativePages(terms, site)];
      for (const other of others) {
        const there = [...alternativePages(terms, other)];
        if (here.length === 0 || samePages(here, there, site, other, terms)) continue;
        const text = terms.map((term) => term.text).join(' ');
        const at = condition.placeAt?.(terms[0]?.offset ?? 0) ?? rule.at;
        findings.push(
          finding(
            'site-specific-id',
            `${text} matches ${named(here)} on ${site.name}, and ${there.length === 0 ? 'no page' : named(there)} on ${other.name}`,
            {
              rule: rule.name,
              at,
              ...holdsOnBoth(here, site, other, { text, there, at }),
            },
          ),
        );
      }
    }
  }
  return findings;
}

/** Whether a condition means the same on two sites, as far as they have the same pages. */
export function samePages(here: Page[], there: Page[], site: Site, other: Site, terms: Term[]): boolean {
  const [herePaths, therePaths] = [new Set(here.map(({ path }) => path)), new Set(there.map(({ path }) => path))];
  const single = terms.some((term) => termKind(term).differsBetweenCopies(term) === 'id');
  return (
    [...herePaths].every((path) => therePaths.has(path) || !hasPage(other, path)) &&
    [...therePaths].every((path) => herePaths.has(path) || (!site.byPath.has(path) && !single))
  );
}

/** Whether a site has a page at a path; at one with a query, at its path with any query. */
function hasPage(site: Site, path: string): boolean {
  const [bare = '', query] = path.split('?');
  return site.byPath.has(path) || (query !== undefined && site.pages.some((page) => page.path.split('?')[0] === bare));
}

const named = (pages: Page[]) => (pages.length === 1 ? (pages[0]?.path ?? '') : `${pages.length} pages`);

/** Whether a condition for pages of a site means on another one those of them that it has, and no others. */
export function meansTheSame({ pages, except }: Expression, here: Page[], other: Site): boolean {
  const on = (text: string | null) =>
    text === null ? new Set<Page>() : conditionPages(parseCondition(text).condition, other);
  const excluded = on(except);
  const found = [...on(pages)].filter((page) => !excluded.has(page)).map(({ path }) => path);
  const wanted = new Set(here.map(({ path }) => path).filter((path) => other.byPath.has(path)));
  return found.length === wanted.size && found.every((path) => wanted.has(path));
}

/** A condition that picks the same pages on both sites: by path where their paths are the same, else one for each site. */
function holdsOnBoth(
  here: Page[],
  site: Site,
  other: Site,
  { text, there, at }: { text: string; there: Page[]; at: Place },
): { hint: string; proposals: Proposal[] } | null {
  const byPath = expressionFor(here, site, 'path');
  const onOther = here.flatMap(({ path }) => other.byPath.get(path) ?? []);
  if (byPath && byPath.except === null && onOther.length > 0 && meansTheSame(byPath, here, other))
    return { hint: `pages: ${byPath.pages}; works on both.`, proposals: [replacing(at, text, byPath.pages)] };
  const otherText = expressionFor(there, other)?.pages;
  if (!otherText) return null;
  const both = `site(${site.name}) ${text}, site(${other.name}) ${otherText}`;
  return { hint: `${both} works on both.`, proposals: [replacing(at, text, both)] };
}
