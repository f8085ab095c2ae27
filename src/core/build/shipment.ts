import { hasEnded } from '../rule/ships.js';
import { scopeSelector, type Reach, type Scope } from '../css/scope.js';
import { selectorParts } from '../css/selector.js';
import type { PageDocument } from '../page/document.js';
import { compileMatcher, type Matcher } from '../page/elements.js';
import type { Page, Site } from '../page/page.js';
import type { Action, MarkCurrentAction, Rule } from '../rule/rule.js';
import { targetPages, targets } from '../rule/target.js';
import { currentLinksOf, linkSelector, type CurrentLinks } from './current-links.js';
import { elsewhereOf, Marks, scopeOf, scopeOfPages, type ScopeTarget } from './scope.js';

export interface ShipmentInput {
  site: Site;
  rules: Rule[];
  open: (page: Page) => PageDocument;
  paths: 'handles' | 'run-time';
  /** The day of the build, `2027-03-31`: a rule whose `until` is past does not ship. */
  today: string;
  /** Differs whenever a page's source does; null where that is not known. */
  identity?: (page: Page) => string | null;
  /** What earlier calls learnt from pages; left out, each is opened. */
  learnt?: Learnt;
}

/** Keeps what was learnt from a page, by its path and identity. */
export interface Learnt {
  get: (key: string) => Record<string, unknown> | undefined;
  set: (key: string, found: Record<string, unknown>) => void;
}

/** One rule on its way out, with each action's scope; `@mark-current` comes apart into one for each address. */
export interface ShippedRule {
  rule: Rule;
  actions: { action: Action; scope: Scope; selectors: string[] }[];
}

/** What ships to the pages of a site, or to one of them. */
export interface Shipment {
  rules: ShippedRule[];
  marks: Marks;
}

/** A site's rules made ready to ship: each page was opened once. */
export interface Shipments {
  /** What ships for all pages together. */
  whole: Shipment;
  /** What ships to one page alone, whose address is then known. */
  toPage: (page: Page) => Shipment;
  /** Rules left out, with the reason. */
  left: { rule: string; reason: string }[];
  /** Pages that something ships to. */
  pages: Page[];
}

/** Makes a site's rules ready to ship, every selector limited to the pages of its rule. */
export function prepareShipments(input: ShipmentInput): Shipments {
  const { site, today } = input;
  const left: Shipments['left'] = [];
  const shipping = input.rules.filter((rule) => {
    const reason = rule.paused ? 'paused' : hasEnded(rule, today) ? `ran until ${rule.until?.day}` : null;
    if (reason) left.push({ rule: rule.name, reason });
    return !reason;
  });
  const measured = measure(shipping, input);
  const whole = shipmentFor(shipping, measured, { site, marks: new Marks(input.paths), only: null });
  for (const rule of shipping.filter((each) => !whole.rules.some((shipped) => shipped.rule === each))) {
    const reason = rule.actions.length === 0 ? 'does nothing' : `picks no page of ${site.name}`;
    left.push({ rule: rule.name, reason });
  }
  return {
    whole,
    toPage: (only) => shipmentFor(shipping, measured, { site, marks: new Marks(input.paths), only }),
    left,
    pages: site.pages.filter((page) => measured.pages.has(page)),
  };
}

function shipmentFor(rules: Rule[], { reach, links }: Measured, target: ScopeTarget): Shipment {
  const shipped = rules.flatMap((rule): ShippedRule[] => {
    const actions = rule.actions.flatMap((action): ShippedRule['actions'] => {
      const scope = scopeFor(rule, action, target);
      if (!scope || scope.branches.length === 0) return [];
      const inScope = 'within' in action && action.within.some(({ name }) => name.toLowerCase() === 'scope');
      const scoped = (text: string, by: Scope, as = text) => scopeSelector(as, by, reach(action, text), inScope);
      if (action.kind !== 'mark-current')
        return [{ action, scope, selectors: action.selectors.map(({ text }) => scoped(text, scope)) }];
      return partsOf(action, links.get(action) ?? new Map(), scope, target).map(({ href, scope: own }) => ({
        action,
        scope: own,
        selectors: action.selectors.map(({ text }) => scoped(text, own, linkSelector(text, href))),
      }));
    });
    return actions.length > 0 ? [{ rule, actions }] : [];
  });
  return { rules: shipped, marks: target.marks };
}

function scopeFor(rule: Rule, action: Action, target: ScopeTarget): Scope | null {
  if (action.kind === 'only-here') return elsewhereOf(rule, action, target);
  // What an at-rule defines has no selector; no page need be told apart for it.
  const marks = action.kind === 'definition' || action.kind === 'mark-current';
  return scopeOf(rule, action, marks ? { ...target, marks: new Marks(target.marks.paths) } : target);
}

/** For each address that links give: the pages on which it is their own. */
function partsOf(
  action: MarkCurrentAction,
  links: CurrentLinks,
  whole: Scope,
  target: ScopeTarget,
): { href: string; scope: Scope }[] {
  return [...links].flatMap(([href, pages]) => {
    const { only } = target;
    if (only) return pages.includes(only) ? [{ href, scope: whole }] : [];
    const scope = scopeOfPages(pages, target);
    return scope ? [{ href, scope }] : [];
  });
}

/** What was learnt from the pages. */
interface Measured {
  /** What a selector of an action matches on the pages that it ships to. */
  reach: (action: Action, text: string) => Reach;
  links: Map<Action, CurrentLinks>;
  pages: Set<Page>;
}

/** Something to learn from a page; `key` says what, so that no two look for the same. */
interface Question<Found = unknown> {
  key: string;
  look(document: PageDocument): Found;
  take(page: Page, found: Found): void;
}

/** Asks each page that something ships to; opens it at most once, and not at all where all of it is known. */
function measure(rules: Rule[], input: ShipmentInput): Measured {
  const { site } = input;
  const work = new Map<Page, Question[]>();
  const reaches = new Map<Action, Map<string, Reach>>();
  const links = new Map<Action, CurrentLinks>();
  for (const rule of rules) {
    for (const action of rule.actions) {
      const questions: Question[] = action.selectors.map(({ text }) => reachQuestion(text, action, reaches));
      if (action.kind === 'mark-current') questions.push(linkQuestion(action, links));
      for (const page of shippedTo(rule, action, site)) work.set(page, [...(work.get(page) ?? []), ...questions]);
    }
  }
  for (const [page, questions] of work) askPage(page, questions, input);
  const none: Reach = { elements: 0, belowBody: 0, html: 0 };
  return { reach: (action, text) => reaches.get(action)?.get(text) ?? none, links, pages: new Set(work.keys()) };
}

/** The pages that an action ships to. */
function shippedTo(rule: Rule, action: Action, site: Site): Page[] {
  const own = targetPages(rule, site);
  const here = action.on.length === 0 ? own : own.filter((page) => targets(rule, action, page, site));
  if (action.kind !== 'only-here') return here;
  const ours = new Set(here);
  return here.length > 0 ? site.pages.filter((page) => !ours.has(page)) : [];
}

function askPage(page: Page, questions: Question[], { open, identity, learnt }: ShipmentInput): void {
  const mark = identity?.(page) ?? null;
  const key = mark === null ? null : `${page.path} ${mark}`;
  const found = { ...(key === null ? undefined : learnt?.get(key)) };
  let document: PageDocument | null = null;
  for (const question of questions) {
    if (!Object.hasOwn(found, question.key)) found[question.key] = question.look((document ??= open(page)));
    question.take(page, found[question.key]);
  }
  if (document && key !== null) learnt?.set(key, found);
}

/** Counts what a selector matches, page by page. */
function reachQuestion(text: string, action: Action, reaches: Map<Action, Map<string, Reach>>): Question<Reach> {
  const { element } = selectorParts(text);
  const reach: Reach = { elements: 0, belowBody: 0, html: 0 };
  const own = reaches.get(action) ?? new Map<string, Reach>();
  reaches.set(action, own.set(text, reach));
  let matchers: Matcher[] | null = null;
  return {
    key: `reach ${element}`,
    look: (document) => {
      const [all, below] = (matchers ??= [compileMatcher(element), compileMatcher(`body ${element}`)]);
      const elements = all?.(document) ?? [];
      const html = elements.filter(({ tagName }) => tagName === 'html').length;
      return { elements: elements.length, belowBody: (below?.(document) ?? []).length, html };
    },
    take: (_page, found) => {
      for (const part of ['elements', 'belowBody', 'html'] as const) reach[part] += found[part];
    },
  };
}

/** Collects the current links that a `@mark-current` marks. */
function linkQuestion(action: MarkCurrentAction, links: Map<Action, CurrentLinks>): Question<string[]> {
  const own: CurrentLinks = new Map();
  links.set(action, own);
  return {
    key: `links ${action.sections} ${action.selectors.map(({ text }) => text).join(', ')}`,
    look: currentLinksOf(action),
    take: (page, found) => {
      for (const href of found) own.set(href, [...(own.get(href) ?? []), page]);
    },
  };
}
