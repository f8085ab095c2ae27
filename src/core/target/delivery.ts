import { actionKind } from '../action/index.js';
import type { Action } from '../action/action.js';
import type { Page, Site } from '../page/page.js';
import type { Rule } from '../rule/rule.js';
import type { Condition } from './condition.js';
import { conditionPages, union } from './pages.js';
import { indexOf } from './site-index.js';

/** The conditions that say which pages a rule is for: `pages`, or else those of its outer `@on` blocks, each once. */
export function pageConditions(rule: Pick<Rule, 'pages' | 'actions'>): Condition[] {
  if (rule.pages) return [rule.pages];
  return [...new Set(rule.actions.flatMap(({ on }) => on.slice(0, 1)))];
}

/** Every condition of a rule, each once. */
export const allConditions = (rule: Rule): Condition[] => [
  ...new Set([...pageConditions(rule), ...rule.actions.flatMap(({ on }) => on), ...(rule.except ? [rule.except] : [])]),
];

/** Where each action of a rule acts on a site. */
interface RuleDelivery {
  /** The pages that the rule is for. */
  pages: ReadonlySet<Page>;
  own: Map<Action, ReadonlySet<Page>>;
}

const known = new WeakMap<Site, WeakMap<Rule, RuleDelivery>>();

function deliveryOf(rule: Rule, site: Site): RuleDelivery {
  let rules = known.get(site);
  if (!rules) known.set(site, (rules = new WeakMap()));
  let delivery = rules.get(rule);
  if (!delivery) {
    const pages = without(union(pageConditions(rule).map((condition) => conditionPages(condition, site))), rule, site);
    rules.set(rule, (delivery = { pages, own: new Map() }));
  }
  return delivery;
}

function without(pages: ReadonlySet<Page>, { except }: Pick<Rule, 'except'>, site: Site): ReadonlySet<Page> {
  const excepted = except ? conditionPages(except, site) : null;
  if (!excepted || excepted.size === 0) return pages;
  return new Set([...pages].filter((page) => !excepted.has(page)));
}

/** The pages that a rule targets, in site order. */
export const rulePages = (rule: Rule, site: Site): ReadonlySet<Page> => deliveryOf(rule, site).pages;

/** The author's own pages for an action: those of its rule that fulfil every `@on` around it. */
export function ownPages(rule: Rule, action: Action, site: Site): ReadonlySet<Page> {
  const { pages, own } = deliveryOf(rule, site);
  if (action.on.length === 0) return pages;
  let found = own.get(action);
  if (!found) {
    const groups = action.on.map((condition) => conditionPages(condition, site));
    own.set(action, (found = indexOf(site).inAll([pages, ...groups])));
  }
  return found;
}

/**
 * The pages whose visitors get an action: the author's own, or all others for an action that acts there (`@only-here`).
 * Where the author has no page at all, nobody gets anything. Throws Error for a kind of action that is not in the table.
 */
export function reachedPages(rule: Rule, action: Action, site: Site): ReadonlySet<Page> {
  const own = ownPages(rule, action, site);
  if (actionKind(action).reaches === 'own-pages' || own.size === 0) return own;
  return new Set(site.pages.filter((page) => !own.has(page)));
}

/** An action on its way to a page. */
export interface Delivered {
  rule: Rule;
  action: Action;
}

/** What each page of a site gets, in the order in which it ships. The only place that decides it. */
export function deliver(rules: readonly Rule[], site: Site): (page: Page) => readonly Delivered[] {
  const byPage = new Map<Page, Delivered[]>();
  for (const rule of rules)
    for (const action of rule.actions) {
      const delivered = { rule, action };
      for (const page of reachedPages(rule, action, site)) {
        const list = byPage.get(page);
        if (list) list.push(delivered);
        else byPage.set(page, [delivered]);
      }
    }
  const nothing: readonly Delivered[] = [];
  return (page) => byPage.get(page) ?? nothing;
}
