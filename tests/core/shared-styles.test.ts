import fc from 'fast-check';
import { SheetStore } from '../../src/core/css/cascade/page-sheets.js';
import { countPairs } from '../../src/core/action/pair.js';
import { compileRule } from '../../src/core/action/compile.js';
import { elementsOf } from '../../src/core/check/judge.js';
import { runsOf } from '../helpers.js';
import { cascadeCase, compared, utilityCase } from '../oracle/cases.js';
import { opened, readRule, sourceOf, type SharedByPages } from '../oracle/judge.js';

/** What the cascade tells of a page: computed values with the rules and without, and the pairs of each action. */
function told(source: string, rules: ReturnType<typeof readRule>['rules'], shared?: SharedByPages) {
  const { look } = opened(source, rules, shared);
  const values = look.document.elements.map((element) =>
    ['', '::before'].map((pseudo) =>
      [look.built, look.bare].map((computed) => compared.map((name) => computed.value(element, pseudo, name))),
    ),
  );
  const pairs = rules
    .flatMap((rule) => compileRule(rule).actions)
    .map((action) => {
      const count = countPairs(action, elementsOf(action, look), look, Infinity);
      return { ...count, lost: count.lost.map(({ pseudo, longhand }) => `${pseudo} ${longhand}`) };
    });
  return { values, pairs };
}

test.each([
  ['stylesheets and rules', cascadeCase],
  ['stylesheets of utility classes', utilityCase],
])(
  'pages that share %s are told what each is told by itself',
  (_about, arbitrary) => {
    fc.assert(
      fc.property(fc.array(arbitrary, { minLength: 2, maxLength: 4 }), (cases) => {
        const [first] = cases;
        if (!first) return;
        const { rules } = readRule(first);
        const shared: SharedByPages = {
          sheets: new SheetStore({ style: () => null }, 'head-end'),
          ours: undefined,
        };
        for (const { content, body, html } of [...cases, first]) {
          const source = sourceOf({ ...first, content, body, html }, '');
          expect(told(source, rules, shared)).toEqual(told(source, rules));
        }
      }),
      { numRuns: runsOf(25, 1000) },
    );
  },
  3_600_000,
);

test('pages that share stylesheets have the colour scheme that each of them names', () => {
  const sourceWith = (scheme: string) =>
    `<!doctype html><head><meta name="color-scheme" content="${scheme}"></head><body class="page-1"><p>x</p></body>`;
  const shared: SharedByPages = { sheets: new SheetStore({ style: () => null }, 'head-end'), ours: undefined };
  const colours = ['light', 'dark', 'light'].map((scheme) => {
    const { look } = opened(sourceWith(scheme), [], shared);
    return look.bare.value(look.document.elements.at(-1)!, '', 'color');
  });
  expect(colours).toEqual(['rgb(0, 0, 0)', 'rgb(255, 255, 255)', 'rgb(0, 0, 0)']);
});
