import type { Page, Site } from '../page/page.js';
import { pagesWithId } from '../page/handles.js';
import type { Condition, Term } from './condition.js';
import type { Action, Rule } from './rule.js';

/** Whether a page fulfils one term; `terms` are those of its alternative. */
function holds(term: Term, page: Page, site: Site, terms: Term[]): boolean {
  switch (term.kind) {
    case 'all':
      return true;
    case 'path': {
      // A literal path beside a query means the path alone, for the query says the rest.
      const beside = !term.pattern && terms.some((other) => other.kind === 'query');
      return term.test(beside ? page.path.replace(/\?.*$/, '') : page.path);
    }
    case 'query':
      return new URLSearchParams(page.path.split('?')[1] ?? '').getAll(term.key).includes(term.value);
    case 'page-id':
      return page.pageId?.value === term.value;
    case 'body-id':
      return page.bodyId === term.value;
    case 'body-class':
      return term.classes.every((name) => page.bodyClasses.includes(name));
    case 'site':
      return site.name === term.value;
  }
}

/** Whether a page fulfils every term of an alternative. */
export const alternativeHolds = (terms: Term[], page: Page, site: Site) =>
  terms.every((term) => holds(term, page, site, terms));

/** Whether a page fulfils a condition. */
export function conditionHolds(condition: Condition, page: Page, site: Site): boolean {
  return condition.alternatives.some((terms) => alternativeHolds(terms, page, site));
}

/** Whether a rule, and of it this action, is meant for a page. */
export function targets(rule: Rule, action: Pick<Action, 'on'>, page: Page, site: Site): boolean {
  if (rule.except && conditionHolds(rule.except, page, site)) return false;
  if (rule.pages && !conditionHolds(rule.pages, page, site)) return false;
  return action.on.every((condition) => conditionHolds(condition, page, site));
}

/** The conditions that say which pages a rule is for: `pages`, or else those of its `@on` blocks, each once. */
export function pageConditions(rule: Rule): Condition[] {
  if (rule.pages) return [rule.pages];
  return [...new Set(rule.actions.flatMap((action) => action.on.slice(0, 1)))];
}

/** The pages of the site that fulfil every term of an alternative; by page ID they are looked up rather than searched. */
export function pagesFor(terms: Term[], site: Site): Page[] {
  const [id] = terms.flatMap((term) => (term.kind === 'page-id' ? [term.value] : []));
  return (id === undefined ? site.pages : pagesWithId(site, id)).filter((page) => alternativeHolds(terms, page, site));
}

/** The pages that a rule targets, in the order of the site. */
export function targetPages(rule: Rule, site: Site): Page[] {
  const picked = new Set(
    pageConditions(rule).flatMap(({ alternatives }) => alternatives.flatMap((terms) => pagesFor(terms, site))),
  );
  const kept = [...picked].filter((page) => !(rule.except && conditionHolds(rule.except, page, site)));
  return kept.sort((a, b) => (a.path < b.path ? -1 : 1));
}
