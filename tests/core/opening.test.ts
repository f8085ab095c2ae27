import fc from 'fast-check';
import { parse, type DefaultTreeAdapterTypes as Tree } from 'parse5';
import { openingEnd, readOpening } from '../../src/core/page/opening.js';
import { noteFigure, runsOf } from '../helpers.js';

/** Title and attributes of the body, by parsing all of it. */
function parsedWhole(html: string) {
  const root = parse(html).childNodes.find((node): node is Tree.Element => node.nodeName === 'html');
  const child = (parent: Tree.Element | undefined, name: string) =>
    parent?.childNodes.find((node): node is Tree.Element => node.nodeName === name);
  const title = child(child(root, 'head'), 'title')?.childNodes ?? [];
  return {
    title: title
      .map((node) => ('value' in node ? node.value : ''))
      .join('')
      .replace(/\s+/g, ' ')
      .trim(),
    body: (child(root, 'body')?.attrs ?? []).map(({ name, value }) => [name, value]),
  };
}

const told = (html: string) => {
  const { title, body } = readOpening(html);
  return { title, body: [...body] };
};

/** What pages begin with, well-formed and not: in any order and number. */
const piece = fc.constantFrom(
  ...['<!doctype html>', '<html lang="en">', '<head>', '</head>', '<meta charset="utf-8">', '<base href="/a/">'],
  ...['<title>Saltmere  Ferries</title>', '<title>a &amp; b', '</title>', '<title></title>', 'words', ' ', '\n'],
  ...['<body>', '<body class="page-7 wide">', "<body id='pay' class=page-2>", '<BODY CLASS="x" class="y">', '</body>'],
  ...['<body data-a="1 > 0" class="page-3">', '<body class="', '<body\nid=a\n>', '<body/>', '<bodyguard>', '<body'],
  ...['<script>"<body class=page-9>"</script>', '<!-- <body class="page-8"> -->', '<style>body { }</style>', '<!--'],
  ...['<noscript><img src="/p.png"></noscript>', '<noscript>', '<template><body class="t"></template>', '<svg>', '-->'],
  ...['<p>', '<div class="masthead">', '</html>', '<frameset>', '<table><body class="u">', '<link rel=stylesheet>'],
  ...[
    '<textarea><body class="v">',
    '</textarea>',
    '&amp;',
    '\u0000',
    '<![CDATA[<body class="w">]]>',
    '<svg><title>t</title>',
  ],
);

describe('What the start of a page tells', () => {
  test('is what the whole page tells, however it is written', () => {
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 14 }), (pieces) => {
        const html = pieces.join('');
        expect(told(html)).toEqual(parsedWhole(html));
      }),
      { numRuns: runsOf(3000, 100_000) },
    );
    noteFigure('opening', `${runsOf(3000, 100_000)} generated openings`);
  });

  test('is known without what follows the tag', () => {
    const tag = fc.constantFrom('<body>', '<body class="page-7" id=x>', "<body data-a='<p>' class=a>");
    const head = fc.array(fc.constantFrom('<!doctype html>', '<title>t</title>', '<meta name=a>', '\n'), {
      maxLength: 4,
    });
    fc.assert(
      fc.property(head, tag, fc.string(), (before, body, after) => {
        const start = before.join('') + body;
        fc.pre(!/<body/i.test(after));
        expect(openingEnd(start + after)).toBe(start.length);
        expect(told(start + after)).toEqual(told(start));
      }),
      { numRuns: runsOf(200, 5000) },
    );
  });
});
