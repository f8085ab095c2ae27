import fc from 'fast-check';
import { noteFigure, runsOf } from '../helpers.js';
import { mutated } from '../mutations.js';
import { Cascade } from '../../src/core/css/cascade/cascade.js';
import { SheetStore } from '../../src/core/css/cascade/page-sheets.js';
import { compileSheet } from '../../src/core/css/cascade/sheet.js';
import { Computed } from '../../src/core/css/value/computed.js';
import { readDocument } from '../../src/core/page/document.js';
import { readOpening } from '../../src/core/page/opening.js';
import { makePage } from '../../src/core/page/page.js';

const viewport = { name: 'desktop', width: 1280, height: 800 };

/** Computes a few values of every element of a page with these stylesheets, by address. */
function look(html: string, styles: Record<string, string> = {}) {
  const page = makePage('/', '/', 'index.html', readOpening(html), []);
  const document = readDocument(html);
  const view = {
    html: () => html,
    style: (address: string) => {
      const text = styles[new URL(address).pathname];
      return text === undefined ? null : { text, file: address, identity: text };
    },
  };
  const sheets = new SheetStore(view, 'head-end').sheetsOf(page, document);
  const computed = new Computed(new Cascade(document, sheets, null, viewport));
  const values = document.elements.map((element) =>
    ['display', 'color', 'order', '--v', 'margin-top'].map((name) => computed.value(element, '', name)),
  );
  return { sheets, values, document };
}

const css = `@import "a.css" layer(x.y) supports(display: grid) screen; @layer a, b; @media (min-width: 10px) and (hover) { .a > p:not(.b, #c)::before { color: rgb(1 2 3 / .5) !important; margin: 1px auto } }
:is(.a, [data-k="v" i]) { --v: calc(1px + 2em); color: var(--v, red); &:hover { order: 2 } @supports (display: grid) { & > .b { font: bold 12px/1.5 "A", serif } } }
@scope (.a) to (.b) { :scope > p { order: 3 } } @container x (width > 1px) { p { order: 4 } } @keyframes k { from { order: 5 } } @property --v { syntax: "*"; inherits: false }`;
const html = `<!doctype html><html class="a"><head><link rel=stylesheet href=/a.css><style media="screen">${css}</style></head><body style="color: red; --v: 1"><table><tr><td class="a" width=10%>x</td></table><p class="a b" hidden>y<svg><g/></svg><details><summary>z</summary></details></body></html>`;

// What is thrown and caught inside is many; their traces took most of the time.
Error.stackTraceLimit = 0;

describe('Whatever a page or a stylesheet holds', () => {
  const runs = runsOf(500, 10_000);
  test(`${runs} broken pages and stylesheets are read`, () => {
    fc.assert(
      fc.property(mutated(html), mutated(css), (page, sheet) => {
        const { values, document } = look(page, { '/a.css': sheet });
        return values.length === document.elements.length;
      }),
      { numRuns: runs },
    );
    noteFigure('hostile', `${runs} broken pages with broken stylesheets`);
  });

  test.each<[string, () => string]>([
    ['a stylesheet of 5 MB', () => `.a { color: red } /* ${'x'.repeat(5_000_000)} */ .z { order: 7 }`],
    [
      '50,000 rules',
      () =>
        Array.from(
          { length: 50_000 },
          (_, index) => `.c${index} .d, .e${index} { color: red; margin: ${index}px }`,
        ).join('\n') + '.z { order: 7 }',
    ],
    ['selectors nested 1,000 deep', () => `${':is('.repeat(1000)}.z${')'.repeat(1000)} { order: 8 } .z { order: 7 }`],
    [
      'selectors nested 100,000 deep',
      () => `${':is('.repeat(100_000)}.z${')'.repeat(100_000)} { order: 8 } p.z { order: 7 }`,
    ],
    [
      'blocks nested 1,000 deep',
      () => `${'@media all {'.repeat(1000)} .z { order: 8 } ${'}'.repeat(1000)} p.z { order: 7 }`,
    ],
    ['rules nested 1,000 deep', () => `${'& {'.repeat(1000)} order: 8 ${'}'.repeat(1000)} p.z { order: 7 }`],
    ['nesting that doubles', () => `${'& & {'.repeat(40)} order: 8 ${'}'.repeat(40)} p.z { order: 7 }`],
    [
      'variables that double',
      () =>
        `.z { ${Array.from({ length: 60 }, (_, index) => `--a${index + 1}: var(--a${index}) var(--a${index});`).join('')} --a0: x; --v: var(--a60, 1); order: 7 }`,
    ],
    ['variables in a circle', () => '.z { --a: var(--b); --b: var(--a); color: var(--a); order: 7 }'],
    ['brackets that never close', () => `.z { order: 7 } .y { color: ${'('.repeat(100_000)}`],
    ['a comment that never closes', () => `.z { order: 7 } /*${'*'.repeat(100_000)}`],
    ['a value of a megabyte', () => `.z { order: 7; background: ${'url(a), '.repeat(100_000)} red }`],
  ])('%s is read', (_name, make) => {
    const page = '<!doctype html><link rel=stylesheet href=/a.css><body><p class="z">x</p>';
    const { values } = look(page, { '/a.css': make() });
    expect(values.at(-1)?.[2]).toMatch(/^[78]$/);
  });

  test('imports that go in a circle end', () => {
    const { sheets } = look('<!doctype html><link rel=stylesheet href=/a.css><p>', {
      '/a.css': '@import "b.css"; p { order: 1 }',
      '/b.css': '@import "a.css"; @import "/none.css"; p { order: 2 }',
    });
    expect(sheets.uses.map(({ file }) => new URL(file).pathname)).toEqual(['/b.css', '/a.css']);
    expect(sheets.unseen).toEqual(['http://folder.invalid/none.css']);
  });

  test('a sheet is compiled once for all pages that load it', () => {
    const sheet = compileSheet('.a { order: 1 } .a { order: 2 }');
    expect([sheet.rules.length, sheet.byKey.get('.a')?.length]).toEqual([2, 2]);
  });
});
