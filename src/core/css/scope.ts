import { holdsNesting, holdsScope } from './selector-text.js';
import { selectorParts } from './selector.js';

/**
 * The pages that a rule's selectors are limited to, as CSS on `body`. Each branch has specificity (0,1,1), whatever it
 * selects: a scope never changes which of two rules wins (docs/verdicts.md, Scope).
 */
export interface Scope {
  branches: Branch[];
}

/** `root body`: one of the two weighs (0,1,0), `body` itself (0,0,1); everything else about it is in `:where()`. */
export interface Branch {
  /** A condition on `html`: `:root` for all pages, `[data-local-needle~="x"]` for a page told at run time, else empty. */
  root: string;
  /** A condition on `body`: `body.page-73`, or `body` alone where `root` has the weight. */
  body: string;
}

const oneOf = (list: string[]) => (list.length === 1 ? (list[0] ?? '') : `:is(${list.join(', ')})`);

/** The scope as a selector for `body`. */
export const bodyScope = (scope: Scope) =>
  oneOf(scope.branches.map(({ root, body }) => (root ? `${root} ${body}` : body)));

/** The scope as a condition on `html`. */
export const htmlScope = (scope: Scope) => oneOf(scope.branches.map(({ root, body }) => `${root}:has(> ${body})`));

/** What a selector matches on the captured pages of its rule, which decides how it can be scoped. */
export interface Reach {
  /** Elements matched, over all pages. */
  elements: number;
  /** Of these, elements that `body SELECTOR` matches too. */
  belowBody: number;
  /** Of these, `html` elements. */
  html: number;
}

/**
 * Limits a selector to a scope without changing what it means on the page: `S X` where `X` means the same below `body`
 * on all captured pages, else with the scope on its subject. A selector that matches nothing yet (a state, a late
 * element) is read by what it names. `inScope`: it is inside of `@scope`, so that it is relative to that one's root.
 */
export function scopeSelector(selector: string, scope: Scope, reach: Reach, inScope = false): string {
  const { element, pseudo, namesRoot, subjectIsRoot } = selectorParts(selector);
  if (inScope) {
    // Inside @scope, `S X` would look for S below the scoping root.
    const html = namesRoot || holdsScope(selector) || holdsNesting(selector) ? [htmlScope(scope)] : [];
    return `${element}:is(${[...html, bodyScope(scope), `${bodyScope(scope)} *`].join(', ')})${pseudo}`;
  }
  const unseen = reach.elements === 0;
  if (unseen ? !namesRoot : reach.belowBody === reach.elements) return `${bodyScope(scope)} ${selector}`;
  const onHtml = unseen ? subjectIsRoot : reach.html > 0;
  const onBody = unseen ? !subjectIsRoot : reach.html < reach.elements;
  const body = bodyScope(scope);
  const limits = [...(onHtml ? [htmlScope(scope)] : []), ...(onBody ? [body, `${body} *`] : [])];
  return `${element}${onHtml && !onBody ? htmlScope(scope) : `:is(${limits.join(', ')})`}${pseudo}`;
}
