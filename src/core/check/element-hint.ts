import { selectorParts } from '../css/selector.js';
import { nearMisses } from '../near-miss/selector.js';
import type { PageDocument } from '../page/document.js';
import { compileMatcher, type Matcher } from '../page/elements.js';
import type { Page } from '../page/page.js';
import { applyState, type PageState } from '../page/state.js';
import type { Action, Rule } from '../rule/rule.js';
import { finding, type Finding } from './finding.js';
import type { View } from '../page/view.js';

/** Where else an element could be that a page lacks. */
export interface Elsewhere {
  /** The site as the rule is judged. */
  view: View;
  state: string | null;
  /** Other visitors as whom the site was captured. */
  visitors: [name: string, view: View][];
  states: Record<string, PageState>;
  /** Further pages that may be opened for hints in this check; counted down. */
  budget: { pages: number };
}

/** Pages looked at for one selector. */
const mostPages = 12;

/** `no-element` with the likeliest mend: a change to the selector, or the state, visitor or page where it does match. */
export function noElement(
  rule: Rule,
  action: Action,
  page: Page,
  document: PageDocument,
  elsewhere: Elsewhere,
): Finding {
  return finding('no-element', `${action.selector} matches nothing on ${page.path}`, {
    rule: rule.name,
    page: page.path,
    at: action.at,
    hint: hintFor(rule, action, page, document, elsewhere),
  });
}

function hintFor(rule: Rule, action: Action, page: Page, document: PageDocument, elsewhere: Elsewhere): string | null {
  const [single] = action.selectors;
  if (!single || action.selectors.length > 1) return null;
  const { element } = selectorParts(single.text);
  const [near] = nearMisses(element, document);
  if (near) return `${near.selector} matches ${near.elements} there${near.why ? ` (${near.why})` : ''}.`;
  const match = compileMatcher(element);
  return (
    inAnotherState(match, page, elsewhere) ??
    forAnotherVisitor(match, page, elsewhere) ??
    otherAlternative(rule, action, document) ??
    onAnotherPage(match, page, elsewhere)
  );
}

function inAnotherState(match: Matcher, page: Page, { view, state, states }: Elsewhere): string | null {
  for (const [name, change] of Object.entries(states)) {
    if (name === state) continue;
    const document = view.open(page);
    applyState(document, change);
    if (match(document).length > 0) return `It matches in the state ${name}: say state: ${name}; in the rule.`;
  }
  return null;
}

function forAnotherVisitor(match: Matcher, page: Page, { visitors }: Elsewhere): string | null {
  for (const [name, view] of visitors) {
    const same = view.site.byPath.get(page.path);
    if (same && match(view.open(same)).length > 0)
      return `It is there for the visitor ${name}: say visitor: ${name}; in the rule.`;
  }
  return null;
}

/** Where a rule lists alternatives and another of them matches, the list should be one selector. */
function otherAlternative(rule: Rule, action: Action, document: PageDocument): string | null {
  const others = rule.actions.filter(
    (other) =>
      other !== action && other.kind === action.kind && other.at.line === action.at.line && other.selectors.length > 0,
  );
  const matching = others.find(
    (other) =>
      compileMatcher(other.selectors.map(({ text }) => selectorParts(text).element).join(', '))(document).length > 0,
  );
  return matching
    ? `${matching.selector} of the same list matches; :is(${matching.selector}, ${action.selector}) takes whichever is there.`
    : null;
}

function onAnotherPage(match: Matcher, page: Page, { view, budget }: Elsewhere): string | null {
  const others = view.site.pages.filter((other) => other !== page).slice(0, Math.min(mostPages, budget.pages));
  budget.pages -= others.length;
  const found = others.find((other) => match(view.open(other)).length > 0);
  return found ? `It is on other pages, such as ${found.path}.` : null;
}
