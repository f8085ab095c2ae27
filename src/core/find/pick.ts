import { selectorParts } from '../css/selector.js';
import { readDocument, attribute, type Element } from '../page/document.js';
import { compileMatcher, compileTest } from '../page/elements.js';
import { TooLate, withinTime } from '../page/query.js';
import type { Page } from '../page/page.js';
import type { SheetStore } from '../css/cascade/page-sheets.js';
import type { View } from '../page/view.js';
import { lookClasses } from './look-classes.js';
import { severalElsewhere } from './elsewhere.js';
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
 * carries there. `page`: the same page as captured; `sheets`: its
 * stylesheets, to tell classes that name a look. Null where no element carries the mark.
 */
export function pick(
  html: string,
  mark: string,
  page: Page | null,
  view: View,
  isLate: () => boolean,
  sheets?: SheetStore,
): Picked | null {
  const document = readDocument(html);
  const element = document.elements.find((each) => attribute(each, mark) !== undefined);
  if (!element) return null;
  unmark(element, mark);
  const before = page && view.open(page);
  const isLook = page && before && sheets ? lookClasses(sheets.sheetsOf(page, before), before) : undefined;
  const found: PickedProposal[] = propose(element, document, isLook, severalElsewhere(view, page)).map((each) => ({
    ...each,
    captured: before && compileMatcher(each.selector)(before).length,
    otherPages: 0,
  }));
  // A name that the page's scripts set is not there when rules are checked.
  const isThere = ({ captured }: PickedProposal) => captured !== 0;
  if (found.some(isThere)) found.sort((a, b) => Number(isThere(b)) - Number(isThere(a)));
  const others = view.site.pages.filter((each) => each !== page);
  const picked: Picked = { ...describe(element), proposals: found, counted: 0, pages: others.length };
  // Pages that do not name the words of a selector need not be opened for it.
  const tests = found.map((each) => {
    const named = new Set(view.words().pagesFor(selectorParts(each.selector).element));
    return { each, named, test: compileTest(each.selector) };
  });
  try {
    withinTime(isLate, () => {
      for (const other of others) {
        if (isLate()) return;
        const asked = tests.filter(({ named }) => named.has(other));
        const opened = asked.length > 0 ? view.open(other) : null;
        for (const { each, test } of asked) if (opened && test(opened)) each.otherPages++;
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
