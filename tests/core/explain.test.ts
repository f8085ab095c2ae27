import fc from 'fast-check';
import { check } from '../../src/core/check/check.js';
import { compare } from '../../src/core/compare/compare.js';
import { explain } from '../../src/core/explain/explain.js';
import { expressionFor } from '../../src/core/target/expression.js';
import { rulePages } from '../../src/core/target/delivery.js';
import { conditionPages } from '../../src/core/target/pages.js';
import { parseCondition } from '../../src/core/target/condition.js';
import { runsOf, siteOf } from '../helpers.js';
import { inputOf, state } from './generated.js';

describe('What explains a verdict', () => {
  test('says of each rule and page what check says', () => {
    fc.assert(
      fc.property(state, (now) => {
        const input = inputOf(now);
        const { cells } = check(input);
        const site = input.view(null)?.site;
        for (const rule of input.rules) {
          for (const page of site?.pages ?? []) {
            const cell = cells.find((each) => each.rule === rule.name && each.page === page.path);
            const why = explain(input, rule, page, null);
            expect(why.targeted.holds).toBe(rulePages(rule, site!).has(page));
            expect(why.verdict).toBe(cell?.verdict ?? null);
            if (!cell) continue;
            // A stylesheet has no selector; it is named by its address here.
            const counted = why.actions.map(({ action, selector, elements }) => ({
              ...{ action, elements, selector: action === 'stylesheet' ? '' : selector },
            }));
            const judged = cell.actions.map(({ action, selector, elements }) => ({ action, elements, selector }));
            expect(counted).toEqual(judged);
            // A pair that is lost names the same winner in both; check tells of twenty at most.
            const lost = why.actions.flatMap(({ shown }) =>
              shown.flatMap(({ pairs }) => pairs.filter(({ won }) => !won)),
            );
            for (const pair of lost) expect([pair.property, pair.winner]).not.toContain(null);
          }
        }
      }),
      { numRuns: runsOf(30, 2000) },
    );
  });

  test.each([
    ['path("/a") body-class(wide)', '', '/a', { holds: false, missing: ['body-class(wide)'], excepted: null }],
    ['path("/a"), body-class(wide)', '', '/a', { holds: true, condition: 'path("/a")', missing: [], excepted: null }],
    ['path("/*")', 'except: path("/a");', '/a', { holds: false, missing: [], excepted: 'path("/a")' }],
    ['all', 'except: body-class(wide);', '/b', { holds: false, missing: [], excepted: 'body-class(wide)' }],
    ['page-id(4) body-class(wide), path("/z")', '', '/b', { holds: false, condition: 'page-id(4) body-class(wide)' }],
  ])('pages: %s; %s on %s', (pages, except, path, expected) => {
    const { input, site } = siteOf(
      { '/a': '<body class="page-1"><p>', '/b': '<body class="page-2 wide"><p>' },
      `@needle r { pages: ${pages}; ${except} @hide p; }`,
    );
    expect(explain(input, input.rules[0]!, site.byPath.get(path)!, null).targeted).toMatchObject(expected);
  });

  test.each([
    ['#one.y { color: red }', 'p.y', { won: false, step: 'specificity' }],
    ['.y { color: red !important }', 'p.y', { won: false, step: 'important' }],
    ['p.y { color: red }', '.y', { won: true, change: null }],
    ['@layer base { #one { color: red } }', '.y', { won: true, step: 'layer' }],
    ['', 'p', { won: true, winner: null }],
  ])('beside %s, %s: the step of the cascade that decides', (sheet, selector, expected) => {
    const { input, site, view } = siteOf(
      { '/': '<link rel=stylesheet href=/s.css><body class="page-1"><p class="y" id="one">a</p>' },
      `@needle r { pages: path("/"); ${selector} { color: teal; } }`,
    );
    const styled = { ...view, style: () => ({ text: sheet, identity: sheet, file: 's.css' }) };
    const why = explain({ ...input, view: () => styled }, input.rules[0]!, site.pages[0]!, null);
    const [pair] = why.actions[0]?.shown[0]?.pairs ?? [];
    expect(pair).toMatchObject(expected);
    if (sheet !== '') expect(pair?.winner?.file).toBe('s.css');
    expect(pair?.change === null).toBe(pair?.won);
  });

  test('shows elements with a lost pair first', () => {
    const { input, site } = siteOf(
      { '/': `<body>${'<p class="x">a</p>'.repeat(8)}<p class="x" style="color: red">b</p>` },
      '@needle r { pages: path("/"); .x { color: teal; } }',
    );
    const why = explain(input, input.rules[0]!, site.pages[0]!, null);
    expect([why.verdict, why.actions[0]?.shown.map(({ pairs }) => pairs[0]?.won)]).toEqual([
      'partial',
      [false, true, true, true, true],
    ]);
  });

  test.each([
    ['.container:first-child { order: 1 }', true],
    ['/* container: a */ p { order: 1 }', true],
    ['.box { container-type: inline-size }', true],
    ['body { container-type: inline-size }', false],
    ['body { container: a / size }', false],
  ])('a container query is undecided only inside of a container: %s', (sheet, sure) => {
    const { input, view } = siteOf(
      { '/': '<link rel=stylesheet href=/s.css><body><p class="x">a</p>' },
      '@needle r { pages: path("/"); .x { color: teal; } @container (width > 1px) { .x { order: 2 } } }',
    );
    const styled = { ...view, style: () => ({ text: sheet, identity: sheet, file: 's.css' }) };
    expect(check({ ...input, view: () => styled }).cells.map((cell) => cell.sure)).toEqual([sure]);
  });
});

describe('Two copies of a site', () => {
  test('that are the same differ in nothing; turned round, the report is turned round', () => {
    fc.assert(
      fc.property(state, state, (one, two) => {
        const [here, there] = [inputOf(one), inputOf({ ...two, rules: one.rules })];
        const [a, b] = [here.view(null)!, there.view(null)!];
        expect(compare(a, a, here.rules)).toMatchObject({ onlyOnA: [], onlyOnB: [], otherIds: [], rules: [] });
        const [forth, back] = [compare(a, b, here.rules), compare(b, a, here.rules)];
        expect(back.rules.map(({ rule }) => rule)).toEqual(forth.rules.map(({ rule }) => rule));
        expect(back.rules.map(({ pagesOnA, pagesOnB }) => [pagesOnB, pagesOnA])).toEqual(
          forth.rules.map(({ pagesOnA, pagesOnB }) => [pagesOnA, pagesOnB]),
        );
        // What is said to hold on both picks on each the pages that the rule has here.
        for (const { rule, instead } of forth.rules) {
          const said = /^pages: ([^;]*);/.exec(instead ?? '')?.[1];
          if (said === undefined || instead?.includes('except')) continue;
          const { condition } = parseCondition(said);
          const own = rulePages(
            here.rules.find(({ name }) => name === rule)!,
            a.site,
          );
          const paths = (pages: Iterable<{ path: string }>) => [...pages].map(({ path }) => path).sort();
          expect(paths(conditionPages(condition, a.site))).toEqual(paths(own));
          expect(paths(conditionPages(condition, b.site))).toEqual(paths(own));
        }
      }),
      { numRuns: runsOf(30, 2000) },
    );
  });

  test('a condition that is written for pages picks these and no other', () => {
    fc.assert(
      fc.property(state, fc.uniqueArray(fc.nat(3), { minLength: 1 }), (now, numbers) => {
        const { site } = inputOf(now).view(null)!;
        const wanted = numbers.flatMap((number) => site.pages[number] ?? []);
        const found = expressionFor(wanted, site, 'path');
        const { condition } = parseCondition(found?.pages ?? '');
        const except = found?.except ? conditionPages(parseCondition(found.except).condition, site) : new Set();
        const picked = [...conditionPages(condition, site)].filter((page) => !except.has(page));
        expect(new Set(picked)).toEqual(new Set(wanted));
      }),
      { numRuns: runsOf(200, 5000) },
    );
  });
});
