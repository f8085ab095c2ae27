import { selectorParts } from '../css/selector.js';
import { nearMisses, type NearMiss } from '../fix/near-selector.js';
import { compileMatcher, compileTest } from '../page/elements.js';
import { TooLate, withinTime } from '../page/query.js';
import type { Page } from '../page/page.js';
import type { View } from '../page/view.js';

/** How often a selector matches on a page and on how many others. */
export interface SelectorCount {
  elements: number;
  otherPages: number;
  /** Other pages that were looked at; fewer than all if the time limit ended the count. */
  counted: number;
  pages: number;
  /** Where it matches nothing on the page: what would. */
  near: NearMiss[];
}

/** Maximum number of near misses. */
const mostNear = 3;

/** Counts a selector on a page of a site and on the others; only pages that name its words are opened. */
export function countSelector(selector: string, page: Page, view: View, isLate: () => boolean): SelectorCount {
  const { element } = selectorParts(selector);
  const words = view.words();
  const document = view.open(page);
  const elements = compileMatcher(element)(document).length;
  const pages = view.site.pages.length - 1;
  const others = words.pagesFor(element).filter((other) => other !== page);
  const count: SelectorCount = { elements, otherPages: 0, counted: pages - others.length, pages, near: [] };
  try {
    withinTime(isLate, () => {
      if (elements === 0) count.near = nearMisses(element, document, 2, words.isNamed).slice(0, mostNear);
      const test = compileTest(element);
      for (const other of others) {
        if (isLate()) return;
        if (test(view.open(other))) count.otherPages++;
        count.counted++;
      }
    });
  } catch (error) {
    if (!(error instanceof TooLate)) throw error;
  }
  return count;
}
