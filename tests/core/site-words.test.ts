import fc from 'fast-check';
import { readDocument } from '../../src/core/page/document.js';
import { compileMatcher } from '../../src/core/page/elements.js';
import { readWords, SiteWords } from '../../src/core/page/site-words.js';
import { runsOf, siteOf } from '../helpers.js';

const attribute = fc.constantFrom(
  ...[
    'class="a"',
    "class='a b'",
    'class=c',
    'CLASS="B  d"',
    'id="one"',
    'id=two',
    'ID="Three"',
    'data-x="<p class=z>"',
  ],
  ...['class=""', 'class', 'id=" one "', 'title="a > b"', 'class="a\tb\nc"', 'class="&#97;b"', 'hidden', 'class="é"'],
);
const tag = fc.constantFrom('p', 'div', 'DIV', 'section', 'a', 'svg', 'h1', 'x-boat', 'span');
const piece = fc.oneof(
  fc.tuple(tag, fc.array(attribute, { maxLength: 3 })).map(([name, all]) => `<${[name, ...all].join(' ')}>`),
  fc.constantFrom(
    '</div>',
    '</p>',
    'words',
    '<!-- <p class="c"> -->',
    '<br/>',
    '<p',
    '< p>',
    '<script>"<i class=q>"</script>',
  ),
);
const selector = fc.constantFrom(
  ...['.a', '.b', '.c', '.d', 'p', 'div', 'section.a', '#one', '#two', '.a.b', 'p.a', 'div .a', 'svg', 'x-boat', '.é'],
  ...['div > p', 'h1 + p', '[class]', '[data-x]', 'a:not(.a)', ':is(.a, #one)', '#Three', '.q', '*', 'span.c#two'],
);

describe('The words of a site', () => {
  test('leave out no page that a selector matches', () => {
    fc.assert(
      fc.property(
        fc.array(fc.array(piece, { maxLength: 12 }), { minLength: 1, maxLength: 4 }),
        selector,
        (pages, wanted) => {
          const bodies = Object.fromEntries(pages.map((pieces, index) => [`/${index}`, `<body>${pieces.join('')}`]));
          const { site, view } = siteOf(bodies, '');
          const words = new SiteWords(site, (page) => readWords(view.html(page)));
          const found = words.pagesFor(wanted);
          const match = compileMatcher(wanted);
          for (const page of site.pages) {
            expect(words.mayMatch(page, wanted)).toBe(found.includes(page));
            if (match(readDocument(view.html(page))).length > 0)
              expect([wanted, view.html(page), found.includes(page)]).toEqual([wanted, view.html(page), true]);
          }
        },
      ),
      { numRuns: runsOf(400, 20_000) },
    );
  });

  test.each([
    ['<p class="A b">', ' p .a .b '],
    ["<P ID='One'>", ' p #one '],
    ['<p class=a id=b>', ' p .a #b '],
    ['<p class="a"><p class="a">', ' p .a '],
    ['<p title="<i class=x>">', ' p '],
    ['no tags', '  '],
    ['<p class="a', ' p .a '],
    ['<br/><x-y>', ' br x-y '],
    ['<p class="&#97;b">', ' p & .&#97;b '],
    ['<p id=a&amp;b>', ' p & #a&amp;b '],
    ['<p class="[&_svg]:block [&>p]:m-0">', ' p .[&_svg]:block .[&>p]:m-0 '],
  ])('of %s are %j', (html, words) => {
    expect(readWords(html)).toBe(words);
  });
});
