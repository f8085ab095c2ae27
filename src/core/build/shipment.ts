import { hasEnded } from '../rule/ships.js';
import { scopeSelector, type Reach, type Scope } from '../css/scope.js';
import { selectorParts } from '../css/selector.js';
import type { PageDocument } from '../page/document.js';
import { compileMatcher, type Matcher } from '../page/elements.js';
import type { Page, Site } from '../page/page.js';
import type { Action, MarkCurrentAction, Rule } from '../rule/rule.js';
import { targets } from '../rule/target.js';
import { currentLinksOf, linkSelector, type CurrentLinks } from './current-links.js';
import { elsewhereOf, Marks, scopeOf, scopeOfPages, type ScopeTarget } from './scope.js';

export interface ShipmentInput {
  site: Site;
  rules: Rule[];
  open: (page: Page) => PageDocument;
  paths: 'handles' | 'run-time';
  /** The day of the build, `2027-03-31`: a rule whose `until` is past does not ship. */
  today: string;
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

/** Opens each page that something ships to, once. */
function measure(rules: Rule[], { site, open }: ShipmentInput): Measured {
  const work = new Map<Page, ((page: Page, document: PageDocument) => void)[]>();
  const reaches = new Map<Action, Map<string, Reach>>();
  const links = new Map<Action, CurrentLinks>();
  for (const rule of rules) {
    for (const action of rule.actions) {
      const notes = action.selectors.map(({ text }) => reachNote(text, action, reaches));
      if (action.kind === 'mark-current') {
        const current = currentLinksOf(action);
        links.set(action, current.links);
        notes.push(current.note);
      }
      const isOwn = (page: Page) => targets(rule, action, page, site);
      const here = site.pages.filter(isOwn);
      const elsewhere = action.kind === 'only-here' && here.length > 0;
      for (const page of elsewhere
        ? site.pages.filter((each) => !isOwn(each))
        : action.kind === 'only-here'
          ? []
          : here)
        work.set(page, [...(work.get(page) ?? []), ...notes]);
    }
  }
  for (const [page, notes] of work) {
    if (notes.length === 0) continue;
    const document = open(page);
    for (const note of notes) note(page, document);
  }
  const none: Reach = { elements: 0, belowBody: 0, html: 0 };
  return { reach: (action, text) => reaches.get(action)?.get(text) ?? none, links, pages: new Set(work.keys()) };
}

/** Counts what a selector matches, page by page. */
function reachNote(text: string, action: Action, reaches: Map<Action, Map<string, Reach>>) {
  const { element } = selectorParts(text);
  const [all, below]: Matcher[] = [compileMatcher(element), compileMatcher(`body ${element}`)];
  const reach: Reach = { elements: 0, belowBody: 0, html: 0 };
  const own = reaches.get(action) ?? new Map<string, Reach>();
  reaches.set(action, own.set(text, reach));
  return (_page: Page, document: PageDocument) => {
    const elements = all?.(document) ?? [];
    reach.elements += elements.length;
    reach.belowBody += (below?.(document) ?? []).length;
    reach.html += elements.filter(({ tagName }) => tagName === 'html').length;
  };
}
