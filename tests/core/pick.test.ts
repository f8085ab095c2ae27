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
