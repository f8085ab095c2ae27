import { readDocument, attribute, type Element } from '../page/document.js';
import { compileMatcher, compileTest, TooLate, withinTime } from '../page/elements.js';
import type { Page } from '../page/page.js';
import type { View } from '../page/view.js';
import { describe, type Description } from './describe.js';
import { propose, type Proposal } from './propose.js';

/** An element that someone pointed at, with selectors for it. */
export interface Picked extends Description {
  proposals: PickedProposal[];
  /** Pages on which they were counted; fewer than all if the time limit ended the count. */
  counted: number;
  pages: number;
}

export interface PickedProposal extends Proposal {
  /** Elements on the same page as it was captured; null if it was not. None: a script makes the element. */
  captured: number | null;
  otherPages: number;
}

/**
 * Proposes selectors for one element of a page as it is in someone's browser. `mark`: the attribute that the element
 * carries there. `page`: the same page as captured. Null where no element carries the mark.
 */
export function pick(html: string, mark: string, page: Page | null, view: View, isLate: () => boolean): Picked | null {
  const document = readDocument(html);
  const element = document.elements.find((each) => attribute(each, mark) !== undefined);
  if (!element) return null;
  unmark(element, mark);
  const found: PickedProposal[] = propose(element, document).map((each) => ({
    ...each,
    captured: page && compileMatcher(each.selector)(view.open(page)).length,
    otherPages: 0,
  }));
  const others = view.site.pages.filter((each) => each !== page);
  const picked: Picked = { ...describe(element), proposals: found, counted: 0, pages: others.length };
  const tests = found.map((each) => ({ each, test: compileTest(each.selector) }));
  try {
    withinTime(isLate, () => {
      for (const other of others) {
        if (isLate()) return;
        const opened = view.open(other);
        for (const { each, test } of tests) if (test(opened)) each.otherPages++;
        picked.counted++;
      }
    });
  } catch (error) {
    if (!(error instanceof TooLate)) throw error;
  }
  return picked;
}

function unmark(element: Element, mark: string): void {
  element.attrs = element.attrs.filter(({ name }) => name !== mark);
}
