import cssesc from 'cssesc';
import { selectorParts } from '../css/selector.js';
import { attribute, type PageDocument } from '../page/document.js';
import { compileMatcher } from '../page/elements.js';
import { currentPathOf } from '../page/location.js';
import type { Page } from '../page/page.js';
import type { MarkCurrentAction } from '../rule/rule.js';

/** What links say that lead to the page they stand on, with the pages where each does. */
export type CurrentLinks = Map<string, Page[]>;

/** What the links that a `@mark-current` marks on a page say, each once. */
export function currentLinksOf(action: MarkCurrentAction): (document: PageDocument) => string[] {
  const match = compileMatcher(action.selectors.map(({ text }) => selectorParts(text).element).join(', '));
  return (document) => {
    const current = match(document).filter((element) => currentPathOf(document, element, action.sections) !== null);
    return [...new Set(current.map((element) => attribute(element, 'href') ?? ''))];
  };
}

/** A selector limited to links that say so; it weighs what it did. */
export function linkSelector(text: string, href: string): string {
  const { element, pseudo } = selectorParts(text);
  return `${element}:where([href=${cssesc(href, { quotes: 'double', wrap: true })}])${pseudo}`;
}
