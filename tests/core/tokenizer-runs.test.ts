import fc from 'fast-check';
import { serialize } from 'parse5';
import type { Element } from '../../src/core/page/document.js';
import { madeAt, parseHtml } from '../../src/core/page/parse-html.js';
import { runsOf } from '../helpers.js';

/** A page's tree, and where its elements begin, read with runs taken at once. */
const quick = (html: string) => told(html, false);
/** The same as parse5 reads it by itself: with places, nothing is taken at once. */
const plain = (html: string) => told(html, true);

function told(html: string, sourceCodeLocationInfo: boolean) {
  const root = parseHtml(html, { sourceCodeLocationInfo });
  const elements: Element[] = [];
  const visit = (node: { childNodes: unknown[] }) => {
    for (const child of node.childNodes as Element[]) {
      if (!('tagName' in child)) continue;
      elements.push(child);
      visit(child);
      if ('content' in child) visit(child.content as never);
    }
  };
  visit(root);
  return { markup: serialize(root), mode: root.mode, places: elements.map((each) => [each.tagName, madeAt(each)]) };
}

const cases: Record<string, string> = {
  'line breaks of every kind':
    'a\r\nb\rc\n\r\n\r d\r  \n\te\r\n\n<pre>\r\n\r\nx</pre><textarea>\n y</textarea><p title="a\r\nb\rc">',
  'white space where it means something':
    ' \n<!doctype html> \n<html> \n<head> \n<title> a b </title> \n</head> \n<body> a',
  'text before and between the parts of a table':
    '<table> a b <tr> c <td> d e </td> f </tr> g <caption> h i </caption></table>',
  'rows and columns with white space alone':
    '<table> \n<colgroup> \n<col> x </colgroup> \n<tbody> \n<tr> \n</tr></table>',
  'characters beyond the first plane':
    'ferry \u{1F6A2} at \u{1F305}\u{1F305} <b title="\u{1F6A2} x">\u{1F6A2}</b> \ud800 z \udc00',
  'null characters': 'a\0b <p title="a\0b" da\0ta>\0 \0x</p><svg>\0 a\0</svg><script>\0 x</script><b\0d>',
  references: 'a &amp; b &ampc; &lt;p&gt; &notit; <a href="?a=1&copy=2&amp;x">&#x80;&#0;&NotEqualTilde; x</a>',
  'scripts and comments':
    '<script>a <!-- b <script> c </script> d --> e</script> x <!-- a - -- b <!c --!> y <!--> z <!doctype x>',
  'names in any letters':
    '<DIV Data-X=1 DATA-x=2 a\u0130=\u0130 b"c=d e=\'f g\' h = "i" j/k><My-Tag.x:Y é><Ünder>t</DIV>',
  'tags in every form':
    '<p\n class="a"\tid=\'b"c\'\f hidden><br/><br /><img a="1"b="2"><a a=1 b c= "2" d ="3" a="4" b="5"/ e><i a="&amp;"><b a="x\ry" c="\n z"></b\n></i ></a x="y"><p><p a="><b>"><p a=\'\u{1F6A2}\'><P B="c"><é><p-1 -a="" 2=""',
  'attributes that come again, and very many': `<p a="1" a="2" b a b="3"><p ${Array.from({ length: 80 }, (_, index) => `a${index % 70}="${index}"`).join(' ')}>x`,
  'frames after white space': ' <frameset> <frame> x </frameset> y',
  'frames after text': ' x <frameset><frame></frameset>',
  'foreign content':
    '<svg viewBox="0 0 1 1"> a <title> b </title><foreignObject> c <p> d</foreignObject><![CDATA[ x ]] y ]]></svg> z',
  'templates and selects':
    '<template> a <tr> b <td> c </template><select> a <option> b <p> c </select><noscript> <i> x </i></noscript>',
  'an end in the middle': '<p title="a b c',
  'an end in an end tag': '></',
  'a long text': `<p>${'the ferry to the outer bank '.repeat(6000)}<b>x</b>${'harbour\r\n'.repeat(9000)}<i title="${'a b '.repeat(20_000)}">y</i>`,
};

test.each(Object.entries(cases))('%s: read at once as by parse5', (_name, html) => {
  expect(quick(html)).toEqual(plain(html));
  expect(quick(`<!doctype html>${html}`)).toEqual(plain(`<!doctype html>${html}`));
});

test('any tag is read at once as by parse5', () => {
  const part = fc.constantFrom(
    ...[
      ' ',
      '\n',
      '\r\n',
      '/',
      '>',
      '<',
      '=',
      '"',
      "'",
      'a',
      'b',
      'class',
      'A',
      'é',
      '-',
      '&',
      '&amp;',
      '="x y"',
      "='z'",
    ],
    ...[
      ' a="b"',
      ' href="/fares?a=1"',
      ' hidden',
      '\0',
      '\u{1F6A2}',
      '="a long value of a harbour"',
      '</',
      'td',
      'svg',
      'script',
    ],
  );
  const tags = fc.array(
    fc.tuple(
      fc.constantFrom('<', '</'),
      fc.constantFrom('p', 'a', 'b', 'td', 'table', 'svg', 'title', 'I'),
      fc.array(part, { maxLength: 8 }),
    ),
    { maxLength: 6 },
  );
  fc.assert(
    fc.property(tags, (all) => {
      const html = all.map(([open, name, parts]) => `${open}${name}${parts.join('')}>x`).join('');
      expect(quick(html)).toEqual(plain(html));
    }),
    { numRuns: runsOf(1000, 40_000) },
  );
});

test('any markup is read at once as by parse5', () => {
  const pieces = Object.values(cases)
    .filter((html) => html.length < 1000)
    .flatMap((html) => html.match(/<[^<]*|[^<]+/g) ?? []);
  const texts = fc.array(
    fc.oneof(
      fc.constantFrom(...pieces, ' ', '\n', '\r', '\r\n', '  \n', '\t', 'a b', '<td>', '</p>', '-->', '"', '<table>'),
      fc.string(),
    ),
    { maxLength: 30 },
  );
  fc.assert(
    fc.property(texts, (parts) => expect(quick(parts.join(''))).toEqual(plain(parts.join('')))),
    { numRuns: runsOf(500, 20_000) },
  );
});
