import { readOpening } from '../../src/core/page/opening.js';
import { findForms, pageIdOf } from '../../src/core/page/page-id.js';
import { parse } from 'parse5';

const bodyOf = (html: string) => Object.fromEntries(readOpening(html).body);
const body = (attributes: Record<string, string>) => new Map(Object.entries(attributes));

describe('The opening of a page', () => {
  test.each<[string, string, Record<string, string>]>([
    ['plain', '<!doctype html><title>T</title><body class="a b" id=x>', { class: 'a b', id: 'x' }],
    ['no body tag', '<p>hello', {}],
    [
      'a body tag in a comment and a script',
      '<!-- <body class=no> --><script>"<body class=no>"</script><body class=yes>',
      { class: 'yes' },
    ],
    ['a second body tag, merged', '<body class=a><p><body class=b data-x=1>', { class: 'a', 'data-x': '1' }],
    ['upper case', '<HTML><BODY CLASS="A">', { class: 'A' }],
    ['entities', '<body data-a="&amp;x">', { 'data-a': '&x' }],
    ['a body tag in a text area', '<body class=a><textarea><body class=b></textarea>', { class: 'a' }],
  ])('is read as a browser would: %s', (_name, html, expected) => {
    expect(bodyOf(html)).toEqual(expected);
    const html5 = parse(html).childNodes.find((node) => node.nodeName === 'html');
    const whole =
      html5 && 'childNodes' in html5 ? html5.childNodes.find((node) => node.nodeName === 'body') : undefined;
    expect(
      whole && 'attrs' in whole ? Object.fromEntries(whole.attrs.map(({ name, value }) => [name, value])) : {},
    ).toEqual(expected);
  });

  test('gives the title in one line', () => {
    expect(readOpening('<title>\n Ferries \t to\nHolm</title>').title).toBe('Ferries to Holm');
  });
});

describe('Page IDs', () => {
  test.each<[string, Record<string, string>[], string[]]>([
    [
      'a number in a body class',
      [{ class: 'page-1 home' }, { class: 'page-2' }, { class: 'page-30 x' }],
      ['body-class page-{id}'],
    ],
    ['hexadecimal', [{ class: 'doc-5f3c9a1e07' }, { class: 'doc-60b1d2a77c' }], ['body-class doc-{id}']],
    ['the ID of body', [{ id: 'p9' }, { id: 'p10' }], ['body-id p{id}']],
    ['an attribute', [{ 'data-page': '9' }, { 'data-page': '10' }], ['body-attribute {id}']],
    [
      'two forms, for listings and entries',
      [
        { class: 'page-1' },
        { class: 'page-2' },
        { class: 'page-3' },
        { class: 'entry-5f3c9a1e07' },
        { class: 'entry-60b1d2a77c' },
      ],
      ['body-class page-{id}', 'body-class entry-{id}'],
    ],
    [
      'none, where the number is shared',
      [{ class: 'columns-2' }, { class: 'columns-2' }, { class: 'columns-3' }, { class: 'columns-3' }],
      [],
    ],
    [
      'beside parts of pages and a duplicate, which share an ID',
      [
        ...[1, 2, 3, 4, 5, 6].map((id) => ({ class: `page-id-${id}` })),
        { class: 'page-id-6' },
        { class: 'page-id-2 paged paged-2 page-paged-2' },
        { class: 'page-id-2 paged paged-3 page-paged-3' },
        { class: 'page-id-4 paged-2 page-paged-2' },
      ],
      ['body-class page-id-{id}'],
    ],
    [
      'none in numbers of parts, levels and other pages',
      [{ class: 'author-paged-2 level-1 parent-pageid-7' }, { class: 'author-paged-3 level-2 parent-pageid-8' }],
      [],
    ],
    ['none, where there is no number', [{ class: 'home' }, { class: 'about' }], []],
  ])('are found: %s', (_name, bodies, forms) => {
    expect(findForms(bodies.map(body)).map(({ form }) => `${form.in} ${form.like}`)).toEqual(forms);
  });

  test('are read by the first form that fits, as written', () => {
    const forms = [
      { in: 'body-class' as const, like: 'page-{id}' },
      { in: 'body-attribute' as const, attribute: 'data-key', like: 'k:{id:any}' },
    ];
    expect(pageIdOf(body({ class: 'a page-0073' }), forms)).toEqual({ value: '0073', css: 'body.page-0073' });
    expect(pageIdOf(body({ class: 'page-x', 'data-key': 'k:a "b"' }), forms)).toEqual({
      value: 'a "b"',
      css: 'body[data-key="k:a \\"b\\""]',
    });
    expect(pageIdOf(body({ class: 'page-1x' }), forms)).toBeNull();
    expect(pageIdOf(body({ class: '3d-page-1' }), [{ in: 'body-class', like: '3d-page-{id}' }])?.css).toBe(
      'body.\\33 d-page-1',
    );
  });
});
