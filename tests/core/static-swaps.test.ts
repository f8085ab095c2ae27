import fc from 'fast-check';
import { serialize } from 'parse5';
import { editBytes } from '../../src/capture/decode.js';
import { readDocument } from '../../src/core/page/document.js';
import { locationOf } from '../../src/core/page/location.js';
import { edited, staticSwaps } from '../../src/core/ship/static-swaps.js';
import { prepareShipments } from '../../src/core/ship/shipment.js';
import { runsOf, siteOf } from '../helpers.js';

/** A page's source with the swaps of a rule for it, and whether the script has nothing left to do. */
function swapped(body: string, rule: string, ascii = false) {
  const { input, site, view } = siteOf(
    { '/': body, '/winter': '<body class="page-2">' },
    `@needle a { pages: path("/"); ${rule} }`,
    'a.css',
    (url) => new TextEncoder().encode(url.endsWith('.html') ? '<b>New</b> boat & <i>crew</i>' : 'svg'),
  );
  const [page] = site.pages;
  if (!page) throw new Error('no page');
  const { rules } = prepareShipments({ ...input, ...view }).toPage(page);
  const html = view.html(page);
  const { edits, done } = staticSwaps(
    html,
    rules,
    (document) => locationOf(page, document, {}),
    ({ url }) => `/files/${url}`,
    ascii,
  );
  const head = html.length - body.length;
  return {
    body: edited(html, edits).slice(head),
    done: done.size,
    head: edited(html, edits).slice(0, head) === html.slice(0, head),
  };
}

describe('Swaps in the page itself', () => {
  test.each<[what: string, body: string, rule: string, after: string]>([
    [
      'a text',
      '<body><p class="x">Old <b>words</b></p> end',
      '@swap .x { text: "<New> & old"; }',
      '<body><p class="x">&lt;New&gt; &amp; old</p> end',
    ],
    [
      'a text where the end tag is left out',
      '<body><ul><li class=x>One<li>Two</ul>',
      '@swap .x { text: "A"; }',
      '<body><ul><li class=x>A<li>Two</ul>',
    ],
    [
      'a fragment',
      "<body><div class='x' >Old</div>",
      '@swap .x { html: url("f.html"); }',
      "<body><div class='x' ><b>New</b> boat & <i>crew</i></div>",
    ],
    [
      'a picture',
      '<body><img class=x src=a.png srcset="a.png 1x, b.png 2x" alt="Old">',
      '@swap .x { image: url("l.svg"); alt: "Winter"; }',
      '<body><img class=x src="/files/l.svg" alt="Winter">',
    ],
    [
      'a picture without a source or words',
      '<body><img class="x"/>',
      '@swap .x { image: url("l.svg"); alt: "W"; }',
      '<body><img src="/files/l.svg" alt="W" class="x"/>',
    ],
    [
      'the sources of a picture',
      '<body><picture><source srcset="w.webp" media="print"><img class="x" src="a.png"></picture>',
      '@swap .x { image: url("l.svg"); }',
      '<body><picture><source media="print"><img class="x" src="/files/l.svg"></picture>',
    ],
    [
      'the words of a picture alone',
      '<body><IMG CLASS="x" ALT = Old >',
      '@swap .x { alt: "New"; }',
      '<body><IMG CLASS="x" alt="New" >',
    ],
    [
      'a picture in place of a drawing',
      '<body><a class="x"><svg></svg></a>',
      '@swap .x { image: url("l.svg"); alt: "S & F"; }',
      '<body><a class="x"><img src="/files/l.svg" alt="S &amp; F"></a>',
    ],
    [
      'links to the page itself',
      '<body><a class=x href="/">Home</a><a class=x href="/winter">Winter</a>',
      '@mark-current .x { color: teal; }',
      '<body><a aria-current="page" class=x href="/">Home</a><a class=x href="/winter">Winter</a>',
    ],
    [
      'the outer of two',
      '<body><div class="x"><p class="y">One</p></div>',
      '@swap .y { text: "Two"; } @swap .x { text: "All"; }',
      '<body><div class="x">All</div>',
    ],
    [
      'what comes last',
      '<body><p class="x">One</p>',
      '@swap .x { text: "Two"; } @swap p { text: "Three"; }',
      '<body><p class="x">Three</p>',
    ],
  ])('%s', (_what, body, rule, after) => {
    const result = swapped(body, rule);
    expect([result.body, result.done > 0, result.head]).toEqual([after, true, true]);
  });

  test.each<[what: string, body: string, rule: string]>([
    ['what a script adds', '<body><p class="x">Old</p>', 'added-by: script; @swap .x { text: "New"; }'],
    ['what is not there', '<body><p>Old</p>', '@swap .x { text: "New"; }'],
    ['an element without tags', '<body><table><tr><td>1</table>', '@swap tbody { text: "New"; }'],
    ['an area for text', '<body><textarea class="x">Old</textarea>', '@swap .x { text: "New"; }'],
    [
      'a part of a table put before it',
      '<body><table><p class="x">Old</p></table>',
      '@swap table { html: url("f.html"); }',
    ],
    ['a script', '<body><p class="x">Old</p>', '@script url("x.js");'],
  ])('leave %s to the script', (_what, body, rule) => {
    expect(swapped(body, rule)).toEqual({ body, done: 0, head: true });
  });

  test('are ASCII where the page may have nothing else', () =>
    expect(swapped('<body><p class="x" title="é">Öld</p>', '@swap .x { text: "Fähre 🚢"; }', true).body).toBe(
      '<body><p class="x" title="é">F&#xe4;hre &#x1f6a2;</p>',
    ));

  test('change nothing else, whatever the page is like', () => {
    const piece = fc.constantFrom(
      ...[
        '<p class="x">One</p>',
        '<p class=x>',
        '<div><img class="x" src=a>',
        '</div>',
        '<table><td class="x">',
        '</table>',
        '<li class=x>a',
        '<svg class=x><p class="x">',
      ],
      ...[
        '<!-- <p class="x"> -->',
        '<b class=x><i>',
        '</b>',
        '<a class="x" href="/">',
        'words & more',
        '<select class=x><option>',
        '<pre class="x">\n\na</pre>',
        '<img class=x alt=a/>',
        '\r\n',
        '<x',
      ],
    );
    const rule = fc.constantFrom(
      '@swap .x { text: "New <b>"; }',
      '@swap p.x { html: url("f.html"); }',
      '@swap .x { image: url("l.svg"); alt: "A\'b"; }',
      '@swap img.x { alt: ""; }',
      '@mark-current a.x { color: teal; }',
    );
    /** A page without what these rules write. */
    const rest = (html: string) => {
      const { elements, root } = readDocument(`<!doctype html>${html}`);
      for (const element of elements) {
        if (!element.attrs.some(({ name, value }) => name === 'class' && value === 'x')) continue;
        element.childNodes = [];
        element.attrs = element.attrs.filter(({ name }) => name === 'class' || name === 'href');
      }
      return serialize(root);
    };
    fc.assert(
      fc.property(
        fc.array(piece, { maxLength: 10 }),
        fc.array(rule, { minLength: 1, maxLength: 3 }),
        (pieces, rules) => {
          const body = `<body>${pieces.join('')}`;
          const result = swapped(body, rules.join(' '));
          if (result.done === 0) return expect(result.body).toBe(body);
          expect([body, rest(result.body)]).toEqual([body, rest(body)]);
        },
      ),
      { numRuns: runsOf(300, 10_000) },
    );
  });

  test.each(['UTF-8', 'windows-1252', 'UTF-16LE'])('leave every other byte of %s', (encoding) => {
    const text = 'Fähre <b>alt</b> Öl';
    const bytes =
      encoding === 'UTF-8'
        ? Buffer.from(text)
        : encoding === 'UTF-16LE'
          ? Buffer.from(text, 'utf16le')
          : Buffer.from(text, 'latin1');
    const at = text.indexOf('alt');
    const done = editBytes(bytes, encoding, [
      { start: 0, end: 0, text: '!' },
      { start: at, end: at + 3, text: 'neu' },
    ]);
    expect(new TextDecoder(encoding).decode(done)).toBe('!Fähre <b>neu</b> Öl');
  });
});
