import cssesc from 'cssesc';
import { actionKind } from '../action/index.js';
import type { Action } from '../action/action.js';
import { compileSelector } from '../css/cascade/sheet.js';
import { selectorParts } from '../css/selector.js';
import { attribute, type PageDocument } from '../page/document.js';
import type { Page } from '../page/page.js';

/** The `href` values of links to the page itself, with the pages of each. */
export type CurrentLinks = Map<string, Page[]>;

/** The distinct `href` values of the links that an action acts on. */
export function currentLinksOf(action: Action): (document: PageDocument) => string[] {
  const kind = actionKind(action);
  const selectors = action.selectors.flatMap(({ text }) => {
    const selector = compileSelector(selectorParts(text).element);
    return selector ? [kind.narrowed(action, selector)] : [];
  });
  return (document) => {
    const current = document.elements.filter((element) => selectors.some((each) => each.matches(document, element)));
    return [...new Set(current.map((element) => attribute(element, 'href') ?? ''))];
  };
}

/** A selector limited to links with these `href` values; its specificity stays the same. */
export function linkSelector(text: string, href: string): string {
  const { element, pseudo } = selectorParts(text);
  return `${element}:where([href=${cssesc(href, { quotes: 'double', wrap: true })}])${pseudo}`;
}
