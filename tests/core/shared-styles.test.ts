import fc from 'fast-check';
import { readOutline, type PageOutline } from '../../src/core/css/cascade/page-outline.js';
import { SheetStore } from '../../src/core/css/cascade/page-sheets.js';
import { StandIns } from '../../src/core/css/cascade/stand-ins.js';
import { changesCascade } from '../../src/core/css/cascade/style-set.js';
import { countPairs } from '../../src/core/action/pair.js';
import { compileRule } from '../../src/core/action/compile.js';
import { elementsOf } from '../../src/core/check/judge.js';
import type { OpenedPage } from '../../src/core/check/opened-page.js';
import type { Element } from '../../src/core/page/document.js';
import { check } from '../../src/core/check/check.js';
import { runsOf, siteOf } from '../helpers.js';
import { cascadeCase, compared, utilityCase } from '../oracle/cases.js';
import { opened, readRule, sourceOf, type SharedByPages } from '../oracle/judge.js';

const isScope = ({ kind }: { kind: string }) => kind === 'scope';

/** What the cascade tells of an element. */
const toldOf = (element: Element, { cascade, built, bare }: Pick<OpenedPage, 'cascade' | 'built' | 'bare'>) =>
  ['', '::before'].map((pseudo) => ({
    blocks: cascade.blocks(element, pseudo).map(({ selector, weight, origin }) => [selector, weight, origin]),
    values: compared.map((name) => [built, bare].map((computed) => computed.value(element, pseudo, name))),
  }));

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
])('pages that share %s are told what each is told by itself', (_about, arbitrary) => {
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
    { numRuns: runsOf(12, 1000) },
  );
});

test.each([
  ['stylesheets and rules', cascadeCase],
  ['stylesheets of utility classes', utilityCase],
])('elements that stand for those of an outline are told what these are told, with %s', (_about, arbitrary) => {
  let compared = 0;
  fc.assert(
    fc.property(arbitrary, (each) => {
      const { rules } = readRule({ ...each, rule: `${each.rule} * { --everywhere: 1; }` });
      const source = sourceOf(each, '');
      // Without rules that change the cascade itself, and with nothing that only one page can share.
      const { look } = opened(source, rules);
      const outline = look.cascade.outline();
      const { ours } = look.cascade;
      if (!outline || !ours || changesCascade(ours) || ours.rules.some(({ around }) => around.some(isScope))) return;
      const { look: own } = opened(source, rules);
      const set = own.cascade.styleSet;
      const entries = readOutline(JSON.parse(JSON.stringify(outline)) as PageOutline, set, set.withOurs(ours));
      const standIns = new StandIns(set, own.cascade.ours!);
      for (const entry of entries ?? []) {
        const [place] = entry.places;
        if (place === undefined) continue;
        compared++;
        expect(toldOf(standIns.of(entry), standIns)).toEqual(toldOf(look.document.elements[place]!, look));
      }
    }),
    { numRuns: runsOf(25, 2000) },
  );
  expect(compared).toBeGreaterThan(100);
});

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

// They are judged by what the outline tells of them.
test.each([
  ['<select><option>a</select>', 'no-effect'],
  ['<select size=1><option>a</select>', 'no-effect'],
  ['<select size=4><option>a</select>', 'hit'],
  ['<select multiple><option>a</select>', 'hit'],
  ['<select style="appearance: none"><option>a</select>', 'hit'],
  ['<input type=submit>', 'no-effect'],
  ['<input type=submit style="border: 0">', 'hit'],
])('a line height for %s: %s', (control, verdict) => {
  const { input } = siteOf({ '/': `<body>${control}` }, '@needle r { pages: all; select, input { line-height: 3; } }');
  expect(check(input).cells.map((cell) => cell.verdict)).toEqual([verdict]);
});
