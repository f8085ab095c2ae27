import fc from 'fast-check';
import { demoPages } from '../../demo/pages.js';
import { renderPage } from '../../demo/site.js';
import { expressionFor } from '../../src/core/target/expression.js';
import { readOpening } from '../../src/core/page/opening.js';
import { makePage, makeSite, type Page } from '../../src/core/page/page.js';
import { parseCondition } from '../../src/core/target/condition.js';
import { conditionPages } from '../../src/core/target/pages.js';

const forms = [
  { in: 'body-class' as const, like: 'page-{id}' },
  { in: 'body-class' as const, like: 'entry-{id}' },
];
const odd: [string, string][] = [
  ['/a(b)', 'class="odd"'],
  ['/x*y', 'class="odd it\'s"'],
  ['/:name', ''],
  ['/?p=12', 'class="odd"'],
  ['/q%22uote', ''],
];
const page = (path: string, html: string) => makePage(path, path, path, readOpening(html), forms);
const site = makeSite(
  'live',
  [
    ...demoPages.map((each) => page(each.path, renderPage(each, 'live'))),
    ...odd.map(([path, attributes]) => page(path, `<body ${attributes}>`)),
  ],
  forms,
);

const picked = (text: string) => {
  const { condition, faults } = parseCondition(text);
  expect(faults).toEqual([]);
  return [...conditionPages(condition, site)];
};
const pagesOf = (expression: { pages: string; except: string | null }) => {
  const except = new Set(expression.except === null ? [] : picked(expression.except));
  return picked(expression.pages).filter((each) => !except.has(each));
};

describe('The expression for a set of pages', () => {
  test.each([
    [(each: Page) => each.path === '/tickets/pay', { pages: 'page-id(46)', except: null }],
    [(each: Page) => each.path.startsWith('/winter/'), { pages: 'path("/winter/*")', except: null }],
    [(each: Page) => each.path.startsWith('/winter'), { pages: 'path("/winter{/*}?")', except: null }],
    [(each: Page) => each.bodyClasses.includes('season-winter'), { pages: 'body-class(season-winter)', except: null }],
    [
      (each: Page) => each.bodyClasses.includes('is-route') && each.bodyClasses.includes('layout-wide'),
      { pages: 'page-id(14)', except: null },
    ],
    [() => true, { pages: 'all', except: null }],
  ])('is short', (wanted, expected) => {
    expect(expressionFor(site.pages.filter(wanted), site)).toEqual(expected);
  });

  test('picks exactly these pages, whatever they are, by any handle and by path alone', () => {
    fc.assert(
      fc.property(
        fc.subarray(site.pages, { minLength: 1 }),
        fc.constantFrom('any' as const, 'path' as const),
        (pages, handles) => {
          const expression = expressionFor(pages, site, handles);
          expect(expression && pagesOf(expression)).toEqual(pages);
        },
      ),
      { numRuns: 150 },
    );
  });

  test('of no pages is none', () => {
    expect(expressionFor([], site)).toBeNull();
  });
});
