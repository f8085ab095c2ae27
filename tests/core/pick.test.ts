import { SheetStore } from '../../src/core/css/cascade/page-sheets.js';
import { pick } from '../../src/core/find/pick.js';
import { siteOf } from '../helpers.js';

const body = (more: string) => `<body><header class="masthead"><a class="logo"></a></header>${more}</body>`;
const { view, site } = siteOf(
  { '/': body('<p class="x">a</p>'), '/tickets': body('<p class="x">a</p><p class="x">b</p>'), '/legal': body('') },
  '',
);
const front = site.byPath.get('/') ?? null;
const never = () => false;
const picked = (html: string, page = front, isLate = never) =>
  pick(`<!doctype html><html><head></head>${html}</html>`, 'data-mark', page, view, isLate);

describe('An element that was pointed at', () => {
  test('has selectors with their counts here and on other pages, and loses its mark', () => {
    const found = picked(body('<p class="x" data-mark="">a</p>'));
    expect(found).toMatchObject({ place: 'body > p.x', words: 'a', counted: 2, pages: 2 });
    expect(found?.proposals[0]).toMatchObject({ selector: '.x', here: 1, captured: 1, otherPages: 1 });
    expect(JSON.stringify(found)).not.toContain('data-mark');
  });

  test('is told where only a script makes it', () => {
    const found = picked(body('<p class="x">a</p><aside id="chat" data-mark></aside>'));
    expect(found?.proposals[0]).toMatchObject({ selector: '#chat', here: 1, captured: 0, otherPages: 0 });
  });

  test('may be on a page that was not captured', () => {
    expect(picked(body('<p class="x" data-mark>a</p>'), null)?.proposals[0]).toMatchObject({
      captured: null,
      otherPages: 2,
    });
  });

  test('is none in head, where rules do not reach, or without a mark', () => {
    expect(picked('<head><title data-mark>a</title></head><body></body>')).toBeNull();
    expect(picked(body(''))).toBeNull();
  });

  test('is counted on as many pages as there is time for', () => {
    let asked = 0;
    const found = picked(body('<p class="x" data-mark>a</p>'), front, () => asked++ > 0);
    expect([found?.counted, found?.pages]).toEqual([1, 2]);
  });
});

describe('A proposed selector', () => {
  const css =
    '.mx-3 { margin: 0 1rem !important } .text-pale { color: #ccc } .sidebar .brand-words { font-weight: bold } .legal { font-size: 13px }';
  const page = (content: string) => `<style>${css}</style><body>${content}</body>`;
  test.each<[what: string, content: string, best: string]>([
    ['a word before a look', '<nav class="sidebar"><b class="mx-3 brand-words" data-mark>x</b></nav>', '.brand-words'],
    [
      'a word before a look that stands on unlike elements',
      '<p class="text-pale">a</p><b class="text-pale b">a</b><i class="text-pale">c</i><u class="text-pale season" data-mark>x</u>',
      '.season',
    ],
    ['a class of one or two declarations that is no look', '<p class="legal" data-mark>x</p>', '.legal'],
    [
      'any stable attribute',
      '<a class="mx-3" data-target="#islands" data-mark>x</a><a class="mx-3">y</a>',
      'a[data-target="#islands"]',
    ],
    [
      'what it controls',
      '<button aria-controls="menu" data-mark>x</button><button>y</button>',
      'button[aria-controls="menu"]',
    ],
    ['where a form goes', '<form action="/pay" data-mark></form><form action="/find"></form>', 'form[action="/pay"]'],
    [
      'the end of a long address',
      '<img src="/assets/pictures/season/winter/boat.svg" data-mark><img src="/a.svg">',
      'img[src$="/boat.svg"]',
    ],
    ['what is inside', '<div><i id="promo"></i></div><div data-mark><i id="fare"></i></div>', 'div:has(#fare)'],
    [
      'what is inside at its place, where one around it holds it too',
      '<div><div data-mark><i id="fare"></i></div></div>',
      'div:has(> #fare)',
    ],
    [
      'what stands under a heading with an ID',
      '<h2 id="fares">a</h2><div><table data-mark></table></div><h2 id="piers">b</h2><div><table></table></div>',
      '#fares + div table',
    ],
    [
      'no more steps by position than are needed',
      '<ul><li><p><b>a</b><b>b</b></p></li></ul>'.repeat(2) + '<ul><li><p><b>a</b><b data-mark>b</b></p></li></ul>',
      'ul:nth-of-type(3) b:nth-of-type(2)',
    ],
    ['a part of the page', '<footer><p>a</p><p data-mark>b</p></footer><p>c</p><p>d</p>', 'footer p:nth-of-type(2)'],
  ])('takes %s', (_what, content, best) => {
    const plain = page(content.replace(' data-mark', ''));
    const { view, site } = siteOf({ '/': plain }, '');
    const sheets = new SheetStore(view, 'head-end');
    const own = site.byPath.get('/') ?? null;
    expect(pick(page(content), 'data-mark', own, view, never, sheets)?.proposals[0]?.selector).toBe(best);
  });

  test('is right on other pages too: a name that stands there several times comes after one that does not', () => {
    const own = '<body><main id="fares"><p class="note">a</p></main></body>';
    const other = '<body><main id="piers"><p class="note">a</p><p class="note">b</p></main></body>';
    const { view, site } = siteOf({ '/': own, '/piers': other }, '');
    const found = pick(own.replace('<p ', '<p data-mark '), 'data-mark', site.byPath.get('/') ?? null, view, never);
    expect(found?.proposals.map(({ selector }) => selector).slice(0, 2)).toEqual(['#fares .note', '#fares p']);
    const plain = found?.proposals.find(({ selector }) => selector === '.note');
    expect(plain?.reason).toBe('its class; several on other pages');
  });

  test('prefers names that scripts do not set', () => {
    const { view, site } = siteOf(
      { '/': '<body><table><tr><th class="fares">a</th><th>b</th></tr></table></body>' },
      '',
    );
    const live = '<body><table><tr><th class="fares sorting" id="dt-1" data-mark>a</th><th>b</th></tr></table></body>';
    const found = pick(live, 'data-mark', site.byPath.get('/') ?? null, view, never);
    expect(found?.proposals[0]?.selector).toBe('.fares');
  });
});
