import cssesc from 'cssesc';
import { selectorParts } from '../css/selector.js';
import { attribute, type PageDocument } from '../page/document.js';
import { compileMatcher } from '../page/elements.js';
import { currentPathOf } from '../page/location.js';
import type { Page } from '../page/page.js';
import type { MarkCurrentAction } from '../rule/rule.js';

/** What links say that lead to the page they stand on, with the pages where each does. */
export type CurrentLinks = Map<string, Page[]>;

/** Collects the current links that a `@mark-current` marks, page by page. */
export function currentLinksOf(action: MarkCurrentAction): {
  links: CurrentLinks;
  note: (page: Page, document: PageDocument) => void;
} {
  const links: CurrentLinks = new Map();
  const match = compileMatcher(action.selectors.map(({ text }) => selectorParts(text).element).join(', '));
  const note = (page: Page, document: PageDocument) => {
    for (const element of match(document)) {
      if (currentPathOf(document, element, action.sections) === null) continue;
      const href = attribute(element, 'href') ?? '';
      const pages = links.get(href) ?? [];
      if (!pages.includes(page)) links.set(href, [...pages, page]);
    }
  };
  return { links, note };
}

/** A selector limited to links that say so; it weighs what it did. */
export function linkSelector(text: string, href: string): string {
  const { element, pseudo } = selectorParts(text);
  return `${element}:where([href=${cssesc(href, { quotes: 'double', wrap: true })}])${pseudo}`;
}
