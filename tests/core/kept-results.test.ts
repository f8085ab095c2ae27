import fc from 'fast-check';
import { check } from '../../src/core/check/check.js';
import type { CheckInput } from '../../src/core/check/input.js';
import type { Kept, PageResult } from '../../src/core/check/result-cache.js';
import type { Hint } from '../../src/core/fix/missing-element.js';
import { runsOf, siteOf } from '../helpers.js';

/** A store that lives as long as a test. */
function memory<T>(): Kept<T> & { size: number } {
  const values = new Map<string, string>();
  return {
    get: (key) => (values.has(key) ? (JSON.parse(values.get(key) ?? '') as T) : undefined),
    set: (key, value) => void values.set(key, JSON.stringify(value)),
    get size() {
      return values.size;
    },
  };
}

const condition = fc.constantFrom(
  'path("/")',
  'path("/a/*")',
  'page-id(1)',
  'body-class(wide)',
  'all',
  'path("/gone")',
);
const selector = fc.constantFrom('.x', '.y', '.card', '.crad', 'h1', '#one', '.a .x', '.x:hover', 'p.x');
const action = fc.oneof(
  selector.map((each) => `@hide ${each};`),
  selector.map((each) => `@only-here ${each};`),
  fc
    .tuple(selector, fc.constantFrom('teal', 'red', 'var(--c)'))
    .map(([each, colour]) => `${each} { color: ${colour}; }`),
  selector.map((each) => `@swap ${each} { text: "new"; }`),
  fc.tuple(condition, selector).map(([on, each]) => `@on ${on} { ${each} { order: 2; } }`),
);
const rule = fc.record({
  pages: condition,
  except: fc.option(condition, { nil: null }),
  important: fc.boolean(),
  actions: fc.array(action, { minLength: 1, maxLength: 3 }),
});
const body = fc.record({
  attributes: fc.constantFrom('class="page-1"', 'class="wide"', 'id="front" class="page-2 wide"', ''),
  content: fc.array(
    fc.constantFrom(
      '<p class="x">a</p>',
      '<p class="y" style="color: red">b</p>',
      '<div class="a card"><h1 id="one">c</h1><b class="x">d</b></div>',
      '<style>.x { color: red !important }</style>',
      '<p class="x" hidden>e</p>',
    ),
    { maxLength: 4 },
  ),
});
const paths = ['/', '/a/b', '/a/c', '/d'];
const state = fc.record({
  rules: fc.array(rule, { minLength: 1, maxLength: 4 }),
  bodies: fc.array(body, { minLength: paths.length, maxLength: paths.length }),
  sheet: fc.constantFrom('', '.x { color: blue }', '.card { display: none }', '@layer l { .y { color: red } }'),
});

type State = typeof state extends fc.Arbitrary<infer T> ? T : never;

/** What a check needs for a state; a page's identity is its text. */
function inputOf({ rules, bodies, sheet }: State): CheckInput {
  const texts = Object.fromEntries(
    bodies.map(({ attributes, content }, index) => [
      paths[index] ?? '',
      `<link rel=stylesheet href=/s.css><body ${attributes}>${content.join('')}</body>`,
    ]),
  );
  const written = rules.map(
    ({ pages, except, important, actions }, index) =>
      `@needle r${index} { pages: ${pages}; ${except ? `except: ${except};` : ''} ${important ? 'strength: firm;' : ''} ${actions.join(' ')} }`,
  );
  const { input, view } = siteOf(texts, `@guard .card;\n${written.join('\n')}`);
  const own = {
    ...view,
    identity: ({ path }: { path: string }) => texts[path] ?? null,
    style: () => ({ text: sheet, identity: sheet, file: 's.css' }),
  };
  return { ...input, states: { hovered: { addClass: [['p', 'card']], removeClass: [], pseudo: [] } }, view: () => own };
}

test('what was kept gives the report that judging anew gives, whatever was edited since', () => {
  fc.assert(
    fc.property(
      fc.array(state, { minLength: 1, maxLength: 2 }),
      fc.array(fc.nat(3), { maxLength: 6 }),
      (states, edits) => {
        const results = memory<PageResult>();
        const hints = memory<Hint>();
        let now: State = states[0] as State;
        const other: State = states.at(-1) as State;
        for (const edit of [-1, ...edits]) {
          // One thing is taken from another state: the rules, a page, the sheet, or the order of the rules.
          if (edit === 0) now = { ...now, rules: [...other.rules.slice(0, 1), ...now.rules.slice(1)] };
          if (edit === 1) now = { ...now, bodies: [...other.bodies.slice(0, 1), ...now.bodies.slice(1)] };
          if (edit === 2) now = { ...now, sheet: other.sheet };
          if (edit === 3) now = { ...now, rules: [...now.rules].reverse() };
          const plain = inputOf(now);
          expect(check({ ...inputOf(now), results, hints })).toEqual(check(plain));
        }
        // A report is made of what was kept: the second time nothing is added.
        const { size } = results;
        check({ ...inputOf(now), results, hints });
        expect(results.size).toBe(size);
      },
    ),
    { numRuns: runsOf(60, 2000) },
  );
}, 1_800_000);
