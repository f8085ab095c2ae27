import type { PageDocument } from '../page/document.js';
import { compileMatcher } from '../page/elements.js';
import type { Page } from '../page/page.js';
import type { View } from '../page/view.js';

/** Pages on which a selector is tried, and the longest of their texts: an index of everything takes too long to open. */
const [mostTried, mostText] = [12, 500_000];

interface Tried {
  page: Page;
  document: PageDocument;
}

const triedOf = new WeakMap<View, Tried[]>();

/** A few pages from all over a site. */
function open(view: View): Tried[] {
  const { pages } = view.site;
  const every = Math.max(1, pages.length / mostTried);
  return pages
    .filter((_, index) => Math.floor(index / every) !== Math.floor((index - 1) / every))
    .filter((page) => view.html(page).length <= mostText)
    .map((page) => ({ page, document: view.open(page) }));
}

/**
 * Whether a selector matches several elements of another page, as told by a few: one that names a single element here and a
 * list of them elsewhere says less than it seems to. The pages are opened once a view, when the first selector is asked for.
 */
export function severalElsewhere(view: View, page: Page | null): (selector: string) => boolean {
  return (selector) => {
    let tried = triedOf.get(view);
    if (!tried) triedOf.set(view, (tried = open(view)));
    const match = compileMatcher(selector);
    return tried.some((each) => each.page !== page && match(each.document).length > 1);
  };
}
