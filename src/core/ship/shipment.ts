import { actionKind } from '../action/index.js';
import type { Action } from '../action/action.js';
import { scopeSelector, type Scope } from '../css/scope.js';
import type { Page } from '../page/page.js';
import type { Rule } from '../rule/rule.js';
import { hasEnded } from '../rule/status.js';
import { RunTimeAddresses } from '../target/run-time-addresses.js';
import { scopeOf, scopeOfPages, type ScopeTarget } from '../target/scope.js';
import { linkSelector, type CurrentLinks } from './current-links.js';
import { Survey, type Measured, type SurveyInput } from './survey.js';

export interface ShipmentInput extends SurveyInput {
  rules: Rule[];
  paths: 'handles' | 'run-time';
  /** The day of the build, `2027-03-31`: a rule whose `until` is past does not ship. */
  today: string;
  /** A survey of the shipped rules that a check began when it opened the pages. */
  survey?: Survey;
}

/** An action with its scoped selectors. */
export interface ShippedAction {
  action: Action;
  scope: Scope;
  selectors: string[];
}

/** A rule to ship; an action that marks links is split into one for each address. */
export interface ShippedRule {
  rule: Rule;
  actions: ShippedAction[];
}

/** What ships to the pages of a site, or to one of them. */
export interface Shipment {
  rules: ShippedRule[];
  addresses: RunTimeAddresses;
}

/** A site's rules, ready to ship. */
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

/** The rules that ship on a day: neither paused nor past their last. */
export const shippingRules = (rules: readonly Rule[], today: string) =>
  rules.filter((rule) => !rule.paused && !hasEnded(rule, today));

/**
 * Scopes every selector of a site's rules to the pages of its rule. Throws Error if an action or its pages cannot be
 * written: then nothing ships.
 */
export function prepareShipments(input: ShipmentInput): Shipments {
  const { site, today } = input;
  const shipping = shippingRules(input.rules, today);
  const left = input.rules
    .filter((rule) => !shipping.includes(rule))
    .map((rule) => ({ rule: rule.name, reason: rule.paused ? 'paused' : `ran until ${rule.until?.day}` }));
  const measured = (input.survey ?? new Survey(shipping, input)).finish();
  const target = (only: Page | null): ScopeTarget => ({ site, addresses: new RunTimeAddresses(input.paths), only });
  const whole = shipmentFor(shipping, measured, target(null));
  const shipped = new Set(whole.rules.map(({ rule }) => rule));
  for (const rule of shipping.filter((each) => !shipped.has(each))) {
    const reason = rule.actions.length === 0 ? 'does nothing' : `matches no page of ${site.name}`;
    left.push({ rule: rule.name, reason });
  }
  return {
    whole,
    toPage: (only) => shipmentFor(shipping, measured, target(only)),
    left,
    pages: site.pages.filter((page) => measured.pages.has(page)),
  };
}

function shipmentFor(rules: Rule[], measured: Measured, target: ScopeTarget): Shipment {
  const shipped = rules.flatMap((rule): ShippedRule[] => {
    const actions = rule.actions.flatMap((action) => shippedActions(rule, action, measured, target));
    return actions.length > 0 ? [{ rule, actions }] : [];
  });
  return { rules: shipped, addresses: target.addresses };
}

function shippedActions(rule: Rule, action: Action, measured: Measured, target: ScopeTarget): ShippedAction[] {
  const kind = actionKind(action);
  // Only actions that ship by the rule's conditions need the addresses in these conditions.
  const own =
    kind.scope === 'conditions' ? target : { ...target, addresses: new RunTimeAddresses(target.addresses.paths) };
  const scope = scopeOf(rule, action, own);
  if (!scope) return [];
  const inScope = action.within.some(({ name }) => name.toLowerCase() === 'scope');
  const scoped = (text: string, by: Scope, as = text) => scopeSelector(as, by, measured.reach(action, text), inScope);
  switch (kind.scope) {
    case 'none':
      return [{ action, scope, selectors: [] }];
    case 'conditions':
      return [{ action, scope, selectors: action.selectors.map(({ text }) => scoped(text, scope)) }];
    case 'links':
      return partsOf(measured.links(action), scope, target).map(({ href, scope: part }) => ({
        action,
        scope: part,
        selectors: action.selectors.map(({ text }) => scoped(text, part, linkSelector(text, href))),
      }));
  }
}

/** For each address that links give: the pages on which it is their own. */
function partsOf(links: CurrentLinks, whole: Scope, target: ScopeTarget): { href: string; scope: Scope }[] {
  return [...links].flatMap(([href, pages]) => {
    const { only } = target;
    if (only) return pages.includes(only) ? [{ href, scope: whole }] : [];
    const scope = scopeOfPages(pages, target);
    return scope ? [{ href, scope }] : [];
  });
}
