// node dist/bench/selectors.js FOLDER… [--seed 1] [--show]: elements of real pages, and how often the first proposed selector is
// one that a careful person would write: it matches this element alone, names no look where there is another name, is short,
// and matches at most one element on the site's other pages.
import { basename } from 'node:path';
import { parseArgs } from 'node:util';
import { readFolder } from '../src/capture/folder.js';
import { classesOf } from '../src/core/find/describe.js';
import { lookClasses } from '../src/core/find/look-classes.js';
import { severalElsewhere } from '../src/core/find/elsewhere.js';
import { looksGenerated, propose } from '../src/core/find/propose.js';
import { SheetStore } from '../src/core/css/cascade/page-sheets.js';
import type { Element } from '../src/core/page/document.js';
import { compileMatcher } from '../src/core/page/elements.js';
import { drawsOf } from './random.js';

const { values, positionals: folders } = parseArgs({
  options: { seed: { type: 'string', default: '1' }, show: { type: 'boolean', default: false } },
  allowPositionals: true,
});
const elementsEach = 30;
const otherPagesEach = 12;
const mostLetters = 60;

/** What rules are written for, rather than a word in a text or a cell among hundreds. */
const tags =
  /^(a|img|svg|button|input|select|textarea|label|form|nav|header|footer|aside|main|section|article|h[1-4]|ul|ol|dl|table|figure|video|iframe)$/;
const isPointedAt = (element: Element) =>
  tags.test(element.tagName) || (element.tagName === 'div' && classesOf(element).length > 0);

const { pick } = drawsOf(Number(values.seed));

const totals = { elements: 0, right: 0, none: 0, look: 0, long: 0, elsewhere: 0 };
for (const folder of folders) {
  const content = readFolder(basename(folder), folder, folder, {}, null);
  const store = new SheetStore(content, 'head-end');
  for (let count = 0; count < elementsEach; count++) {
    const page = pick(content.site.pages);
    if (!page) break;
    const document = content.open(page);
    const element = pick(document.elements.filter(isPointedAt));
    if (!element) continue;
    totals.elements++;
    const isLook = lookClasses(store.sheetsOf(page, document), document);
    const [first] = propose(element, document, isLook, severalElsewhere(content, page));
    const words = classesOf(element).filter((name) => !isLook(name) && !looksGenerated(name));
    const named = [...(first?.selector ?? '').matchAll(/\.([\w-]+)/g)].map(([, name = '']) => name);
    const others = Array.from({ length: otherPagesEach }, () => pick(content.site.pages)).filter(
      (each) => each !== page,
    );
    const fault = !first
      ? 'none'
      : words.length > 0 && named.some(isLook)
        ? 'look'
        : first.selector.length > mostLetters
          ? 'long'
          : others.some((other) => other && compileMatcher(first.selector)(content.open(other)).length > 1)
            ? 'elsewhere'
            : 'right';
    totals[fault]++;
    if (values.show && fault !== 'right') console.log(fault, page.path, classesOf(element).join('.'), first?.selector);
  }
}
const share = ((100 * totals.right) / Math.max(1, totals.elements)).toFixed(1);
console.log(
  `${totals.elements} elements: the first selector is right for ${share} %; none ${totals.none}, a look ${totals.look}, too long ${totals.long}, several elsewhere ${totals.elsewhere}.`,
);
