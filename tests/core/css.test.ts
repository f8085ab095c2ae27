import { declarationFault, longhandsOf } from '../../src/core/css/declaration.js';
import { scopeSelector, type Scope } from '../../src/core/css/scope.js';
import { TextError } from '../../src/core/place.js';
import { parseSelectorList, resolveNested, selectorParts } from '../../src/core/css/selector.js';

const texts = (list: string) => parseSelectorList(list).map(({ text }) => text);

describe('A selector list', () => {
  test('is split at its own commas, with the place of each part', () => {
    expect(parseSelectorList(' .a,  b:is(.c, .d)')).toEqual([
      { text: '.a', offset: 1 },
      { text: 'b:is(.c, .d)', offset: 6 },
    ]);
  });

  test.each([
    ['..a', /not a valid selector/, /one \./, 1],
    ['##a', /not a valid selector/, /one #/, 0],
    ['#73', /may not begin with a digit/, /\[id="73"\]/, 0],
    ['.a:hoover', /not a known pseudo-class/, /hover/, 2],
    ['.a::befor', /not a known pseudo-element/, /before/, 2],
    ['.a, ', /not a valid selector/, /^$/, 3],
    ['a:has(b:has(c))', /nested in another :has/, /^$/, 0],
    ['', /selector is empty/, /^$/, 0],
  ])('%s is refused at its place', (text, message, hint, offset) => {
    const error = (() => {
      try {
        return parseSelectorList(text);
      } catch (thrown) {
        return thrown;
      }
    })() as TextError;
    expect(error).toBeInstanceOf(TextError);
    expect(error.message).toMatch(message);
    expect(error.hint ?? '').toMatch(hint);
    if (offset > 0) expect(error.offset).toBe(offset);
  });

  test.each([
    ['.a::before', '.a', '::before'],
    ['.a:before', '.a', ':before'],
    ['::marker', '*', '::marker'],
    ['ul > ::marker', 'ul > *', '::marker'],
    ['.a:hover::after', '.a:hover', '::after'],
    ['.a .b', '.a .b', ''],
  ])('%s belongs to the elements %s', (text, element, pseudo) => {
    expect(selectorParts(text)).toMatchObject({ element, pseudo });
  });
});

describe('Nesting', () => {
  test.each([
    ['.b', '.a', ['.a .b']],
    ['> .b', '.a', ['.a > .b']],
    ['&:hover', '.a', ['.a:hover']],
    ['.x &', '.a', ['.x .a']],
    ['.x &', '.a .c', ['.x :is(.a .c)']],
    ['& .b', '.a, #c', [':is(.a, #c) .b']],
    ['div&', 'p', ['div:is(p)']],
    ['&, .b &', '.a', ['.a', '.b .a']],
    ['.c:not(&)', '.a', ['.c:not(.a)']],
  ])('%s inside %s', (child, parent, expected) => {
    expect(resolveNested(parseSelectorList(child, true), parseSelectorList(parent)).map(({ text }) => text)).toEqual(
      expected,
    );
  });
});

describe('A scoped selector', () => {
  const page: Scope = { branches: [{ root: '', body: 'body.page-73' }] };
  const two: Scope = { branches: [...page.branches, { root: '[data-local-needle~="x"]', body: 'body' }] };
  const below = { elements: 2, belowBody: 2, html: 0 };
  test.each([
    ['.a .b', page, below, 'body.page-73 .a .b'],
    ['.a', two, below, ':is(body.page-73, [data-local-needle~="x"] body) .a'],
    ['.theme .a', page, { elements: 1, belowBody: 0, html: 0 }, '.theme .a:is(body.page-73, body.page-73 *)'],
    ['body', page, { elements: 1, belowBody: 0, html: 0 }, 'body:is(body.page-73, body.page-73 *)'],
    [
      'html',
      two,
      { elements: 1, belowBody: 0, html: 1 },
      'html:is(:has(> body.page-73), [data-local-needle~="x"]:has(> body))',
    ],
    ['.a::before', page, { elements: 1, belowBody: 0, html: 0 }, '.a:is(body.page-73, body.page-73 *)::before'],
    ['.menu.is-open', page, { elements: 0, belowBody: 0, html: 0 }, 'body.page-73 .menu.is-open'],
    [
      'body.is-open .menu',
      page,
      { elements: 0, belowBody: 0, html: 0 },
      'body.is-open .menu:is(body.page-73, body.page-73 *)',
    ],
    [':root', page, { elements: 0, belowBody: 0, html: 0 }, ':root:has(> body.page-73)'],
  ])('%s', (selector, scope, reach, expected) => {
    expect(scopeSelector(selector, scope, reach)).toBe(expected);
    expect(texts(expected)).toHaveLength(1);
  });
});

describe('A declaration', () => {
  test.each([
    ['color', 'teal', null],
    ['--any', '{ thing }', null],
    ['color', 'var(--x)', null],
    ['color', 'color-mix(in oklch, red, blue)', null],
    ['width', 'calc(100% - 2px)', null],
    ['-webkit-line-clamp', '2', null],
    ['colour', 'red', /Did you mean color\?/],
    ['color', 'redd', /not a valid value for color/],
    ['margin', '', /no value/],
  ])('%s: %s', (property, value, fault) => {
    const found = declarationFault(property, value);
    if (fault === null) expect(found).toBeNull();
    else expect(`${found?.message} ${found?.hint}`).toMatch(fault);
  });

  test('stands for its longhands', () => {
    expect(longhandsOf('margin')).toEqual(['margin-top', 'margin-right', 'margin-bottom', 'margin-left']);
    expect([longhandsOf('display'), longhandsOf('--x'), longhandsOf('constructor')]).toEqual([
      ['display'],
      ['--x'],
      ['constructor'],
    ]);
  });
});
