import { finding, type Finding } from '../finding.js';
import type { Page, Site } from '../page/page.js';
import { adding, replacing, type Proposal } from '../fix/proposal.js';
import { isPart } from '../page/page-id.js';
import type { Place } from '../place.js';
import type { Rule } from '../rule/rule.js';
import type { Condition, Term } from '../target/condition.js';
import { allConditions } from '../target/delivery.js';
import { extensionHint } from '../target/near-path.js';
import { alternativePages } from '../target/pages.js';
import { indexOf } from '../target/site-index.js';
import { termKind } from '../target/terms/index.js';

/** The site as a captured visitor sees it. */
export interface VisitorSite {
  name: string;
  site: Site;
}

/**
 * `missing-page` and `page-count`: a page ID or a literal path must pick exactly one page, any other condition at least one,
 * unless `page-count` gives the number for the whole rule.
 */
export function targetFindings(
  rule: Rule,
  pages: ReadonlySet<Page>,
  site: Site,
  visitors: VisitorSite[] = [],
): Finding[] {
  const narrowing = new Set(rule.pages ? rule.actions.flatMap(({ on }) => on) : []);
  const findings = allConditions(rule).flatMap((condition) =>
    condition.alternatives.flatMap((terms): Finding[] => {
      if (isForAnotherSite(terms, site)) return [];
      const picked = alternativePages(terms, site);
      const about = { rule: rule.name, at: placeOf(rule, condition, terms) };
      const text = terms.map((term) => term.text).join(' ');
      if (picked.size === 0 && terms.some((term) => !termKind(term).sameForAllVisitors)) {
        const [first] = visitors.flatMap((visitor) => {
          const { size } = alternativePages(terms, visitor.site);
          return size > 0 ? [{ ...visitor, size }] : [];
        });
        if (first)
          return [
            finding(
              'visitor-page',
              `${text} matches no page that everybody sees, and ${first.size} as ${first.name} sees the site`,
              {
                ...about,
                hint: `Add visitor: ${first.name}; to check the rule on these pages.`,
                proposals: [adding(rule.at, `visitor: ${first.name}`)],
              },
            ),
          ];
        // Visitors may have the class: an exception that matches nobody here excludes nobody.
        if (condition === rule.except)
          return [
            finding('unused-except', `except ${text} matches no captured page of ${site.name}`, {
              ...about,
              hint: 'Check its spelling, or capture the site as a visitor who has such pages.',
            }),
          ];
      }
      if (picked.size === 0)
        return [
          finding('missing-page', `${text} matches no page of ${site.name}`, {
            ...about,
            ...nearHint(terms, site, about.at),
          }),
        ];
      if (narrowing.has(condition) && pages.size > 0 && ![...picked].some((page) => pages.has(page)))
        return [
          finding('missing-page', `${text} matches none of the pages that "${rule.name}" targets`, {
            ...about,
            hint: '@on narrows the pages of the rule. Add these pages to pages, or remove pages.',
          }),
        ];
      const wholes = [...picked].filter(({ bodyAttributes }) => !isPart(bodyAttributes));
      if (
        picked.size === 1 ||
        wholes.length === 1 ||
        rule.pageCount ||
        !terms.some((term) => termKind(term).meansOnePage(term))
      )
        return [];
      return [
        finding('page-count', `${text} matches ${picked.size} pages, not one: ${firstPaths(picked)}`, {
          ...about,
          hint: `If that is intended, write page-count: ${pages.size};`,
          proposals: [adding(rule.at, `page-count: ${pages.size}`)],
        }),
      ];
    }),
  );
  if (rule.pageCount && rule.pageCount.pages !== pages.size) {
    const list = firstPaths(pages);
    findings.push(
      finding(
        'page-count',
        `"${rule.name}" says page-count: ${rule.pageCount.pages} and targets ${pages.size} of ${site.name}${list && `: ${list}`}`,
        {
          rule: rule.name,
          at: rule.pageCount.at,
          hint: `Change its conditions, or write page-count: ${pages.size};`,
          proposals: [replacing(rule.pageCount.at, String(rule.pageCount.pages), String(pages.size))],
        },
      ),
    );
  }
  return findings;
}

function placeOf(rule: Rule, condition: Condition, terms: Term[]): Place {
  return condition.placeAt?.(terms[0]?.offset ?? 0) ?? rule.at;
}

/** Whether an alternative names another site. */
const isForAnotherSite = (terms: Term[], site: Site) =>
  terms.some((term) => termKind(term).limitsToSite && alternativePages([term], site).size === 0);

const firstPaths = (pages: ReadonlySet<Page>) =>
  `${[...pages]
    .slice(0, 3)
    .map(({ path }) => path)
    .join(', ')}${pages.size > 3 ? ', …' : ''}`;

function nearHint(terms: Term[], site: Site, at: Place): { hint: string; proposals: Proposal[] } | null {
  for (const term of terms) {
    const near = termKind(term).near(term, site, indexOf(site));
    if (near) {
      const extension = 'path' in term ? extensionHint(term.path, near.page) : '';
      return {
        hint: `${near.text} matches ${near.page.path}.${extension}${near.more ?? ''}`,
        proposals: [replacing(at, term.text, near.text)],
      };
    }
  }
  return null;
}
