import fc from 'fast-check';
import type { Browser, Page as BrowserPage } from 'playwright-core';
import { selectorParts } from '../../src/core/css/selector.js';
import { readDocument } from '../../src/core/page/document.js';
import { compileMatcher } from '../../src/core/page/elements.js';
import { readOpening } from '../../src/core/page/opening.js';
import { makePage, makeSite } from '../../src/core/page/page.js';
import { ownPages } from '../../src/core/target/delivery.js';
import { readRuleFile } from '../../src/project/rule-file.js';
import { bundleOf, describeInBrowser, runsOf } from '../helpers.js';
import { launchBrowser } from './chromium.js';

const inside = `<header class="a"><p class="b">1</p><p class="a b">2</p></header><main><div class="a"><span class="c">3</span><span class="b c">4</span></div></main><p class="b">5</p>`;
const pages: [path: string, html: string, body: string][] = [
  ['/', 'class="dark"', 'id="front" class="page-1 home"'],
  ['/winter', '', 'class="page-2 winter wide"'],
  ['/winter/lights', 'class="dark"', 'class="page-3 winter"'],
  ['/winter/snow', '', 'class="winter a"'],
  ['/legal', '', ''],
  ['/legal/terms', 'class="dark"', 'class="b"'],
];
const sources = new Map(
  pages.map(([path, html, body]) => [
    path,
    `<!doctype html><html ${html}><head><title>t</title><!--head--></head><body ${body}>${inside}</body></html>`,
  ]),
);
const forms = [{ in: 'body-class' as const, like: 'page-{id}' }];
const site = makeSite(
  'live',
  pages.map(([path]) => makePage(path, path, path, readOpening(sources.get(path) ?? ''), forms)),
  forms,
);

const term = fc.constantFrom(
  'path("/winter")',
  'path("/winter/*")',
  'path("/legal{/*}?")',
  'path("/legal")',
  'path("/")',
  'path("/:one")',
  'page-id(1)',
  'page-id(3)',
  'body-id(front)',
  'body-class(winter)',
  'body-class(winter wide)',
  'body-class(b)',
  'all',
  'site(live)',
  'site(other) path("/")',
);
const alternative = fc.array(term, { minLength: 1, maxLength: 2 }).map((terms) => terms.join(' '));
const condition = fc.array(alternative, { minLength: 1, maxLength: 3 }).map((alternatives) => alternatives.join(', '));
const selector = fc.constantFrom(
  '.a',
  '.b',
  'p',
  'html',
  'body',
  ':root',
  '.dark .b',
  'html.dark .a > .b',
  'body > .b',
  '.a .b',
  '.a .c',
  '.winter .b',
  'body.b p',
  '.a, .c',
  ':is(.dark, .wide) p',
  'main :not(.c)',
  'div:has(.c)',
  '.a:nth-of-type(1) span',
  '.a::before',
  '* > p',
  ':not(.a)',
);
/** Sets a colour that nothing else has. */
const mark = 'outline-color: rgb(1, 2, 3);';
const content = fc.oneof(
  selector.map((each) => `${each} { ${mark} }`),
  fc
    .tuple(selector, fc.constantFrom('&', '.b', '.dark &', '& + p', '&:not(.c)', ':not(&)', '& > &'))
    .map(([outer, inner]) => `${outer.replace('::before', '')} { ${inner} { ${mark} } }`),
  fc.tuple(condition, selector).map(([on, each]) => `@on ${on} { ${each} { ${mark} } }`),
  selector.map((each) => `@media (min-width: 1px) { ${each} { ${mark} } }`),
);
const rule = fc.record({ pages: condition, except: fc.option(condition, { nil: undefined }), content });

describeInBrowser('What is built reaches just what is counted, in Chromium', () => {
  let browser: Browser;
  let page: BrowserPage;
  let built = { css: '', js: '' };
  beforeAll(async () => {
    browser = await launchBrowser();
    page = await browser.newPage();
    await page.route('**/*', (route) => {
      const html = sources.get(new URL(route.request().url()).pathname.replace(/(.)\/$/, '$1')) ?? '';
      return route.fulfill({
        contentType: 'text/html',
        body: html.replace('<!--head-->', `<style>${built.css}</style><script>${built.js}</script>`),
      });
    });
  });
  afterAll(() => browser?.close());

  /** The numbers of the marked elements on each page, as Chromium has them. */
  async function inChromium(): Promise<Record<string, number[]>> {
    const found: Record<string, number[]> = {};
    for (const [path] of pages) {
      await page.goto(`http://saltmere.example${path}`, { waitUntil: 'domcontentloaded' });
      found[path] = await page.evaluate(() => {
        const marked = (element: Element, pseudo?: string) =>
          getComputedStyle(element, pseudo).outlineColor === 'rgb(1, 2, 3)';
        return [...document.querySelectorAll('html, body, body *')].flatMap((element, index) =>
          marked(element) || marked(element, '::before') ? [index] : [],
        );
      });
    }
    return found;
  }

  /** The same by what check counts: each action's elements on the pages that it targets. */
  function counted(text: string, paths: 'handles' | 'run-time'): Record<string, number[]> {
    const { rules, problems, findings } = readRuleFile(text, 'a.css', 'a.css', () => ({
      use: { url: '', at: { file: '', line: 1, column: 1 }, path: null, content: null },
      fault: null,
    }));
    expect([problems, findings]).toEqual([[], []]);
    const documents = new Map(site.pages.map((each) => [each, readDocument(sources.get(each.path) ?? '')]));
    const open = (each: (typeof site.pages)[number]) => documents.get(each) ?? readDocument('');
    const bundle = bundleOf({ site, rules, open, paths, today: '2026-11-23' });
    built = { css: bundle.css.text, js: bundle.js?.text ?? '' };
    return Object.fromEntries(
      site.pages.map((each) => {
        const document = open(each);
        const elements = new Set(
          rules.flatMap((one) =>
            one.actions
              .filter((action) => ownPages(one, action, site).has(each))
              .flatMap((action) =>
                compileMatcher(action.selectors.map((one) => selectorParts(one.text).element).join(', '))(document),
              ),
          ),
        );
        return [each.path, document.elements.flatMap((element, index) => (elements.has(element) ? [index] : []))];
      }),
    );
  }

  test('for generated conditions, exceptions, nesting and selectors, by handle and at run time', async () => {
    await fc.assert(
      fc.asyncProperty(
        rule,
        fc.constantFrom('handles' as const, 'run-time' as const),
        async ({ pages: own, except, content: body }, paths) => {
          const text = `@needle r { pages: ${own}; ${except ? `except: ${except};` : ''} ${body} }`;
          const expected = counted(text, paths);
          expect(await inChromium()).toEqual(expected);
        },
      ),
      { numRuns: runsOf(25, 500) },
    );
  });

  test.each([
    ['a rule for all pages', '@needle r { pages: all; .a { outline-color: rgb(1, 2, 3) } }', 6],
    ['a path without a handle', '@needle r { pages: path("/legal"); p { outline-color: rgb(1, 2, 3) } }', 1],
    [
      'two paths that must both hold',
      '@needle r { pages: path("/legal{/*}?") path("/:one"); p { outline-color: rgb(1, 2, 3) } }',
      1,
    ],
    [
      'an exception of two paths that must both hold',
      '@needle r { pages: all; except: path("/legal{/*}?") path("/:one"); p { outline-color: rgb(1, 2, 3) } }',
      5,
    ],
    [
      'an exception without a handle',
      '@needle r { pages: all; except: path("/legal/*"); p { outline-color: rgb(1, 2, 3) } }',
      5,
    ],
    ['a class on html', '@needle r { pages: page-id(3); .dark .b { outline-color: rgb(1, 2, 3) } }', 1],
    ['a nested :not(&)', '@needle r { pages: page-id(1); .a { :not(&) .c { outline-color: rgb(1, 2, 3) } } }', 1],
  ])('%s', async (_name, text, pagesReached) => {
    const expected = counted(text, 'handles');
    const found = await inChromium();
    expect(found).toEqual(expected);
    expect(Object.values(found).filter((list) => list.length > 0)).toHaveLength(pagesReached);
  });
});
