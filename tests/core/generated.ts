import fc from 'fast-check';
import type { CheckInput } from '../../src/core/check/input.js';
import { siteOf } from '../helpers.js';

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
  fc.constantFrom('@stylesheet url("/gone.css");', '@stylesheet url("/more.css");'),
  fc.tuple(condition, selector).map(([on, each]) => `@on ${on} { ${each} { order: 2; } }`),
);
/** What a rule says. */
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
export const paths = ['/', '/a/b', '/a/c', '/d'];
/** What is kept visible, rules below so many empty lines, the bodies of the pages at `paths`, and a stylesheet that all of them load. */
export const state = fc.record({
  rules: fc.array(rule, { minLength: 1, maxLength: 4 }),
  above: fc.nat(3),
  keeps: fc.boolean(),
  bodies: fc.array(body, { minLength: paths.length, maxLength: paths.length }),
  sheet: fc.constantFrom<string[]>(
    ...['', '.x { color: blue }', '.card { display: none }', '@layer l { .y { color: red } }'],
  ),
});

export type State = typeof state extends fc.Arbitrary<infer T> ? T : never;

/** What a check needs for a state; a page's identity is its text. */
export function inputOf({ rules, above, keeps, bodies, sheet }: State): CheckInput {
  const texts = Object.fromEntries(
    bodies.map(({ attributes, content }, index) => [
      paths[index] ?? '',
      `<link rel=stylesheet href=/s.css><body ${attributes}>${content.join('')}</body>`,
    ]),
  );
  const written = rules.map(
    ({ pages, except, important, actions }, index) =>
      `@needle r${index} { pages: ${pages}; ${except ? `except: ${except};` : ''} ${important ? 'important: yes;' : ''} ${actions.join(' ')} }`,
  );
  const { input, view } = siteOf(
    texts,
    `${keeps ? '@keep-visible .card;' : ''}${'\n'.repeat(1 + above)}${written.join('\n')}`,
  );
  const own = {
    ...view,
    identity: ({ path }: { path: string }) => texts[path] ?? null,
    style: (address: string) => (address.includes('gone') ? null : { text: sheet, identity: sheet, file: 's.css' }),
  };
  return {
    ...input,
    states: { hovered: { addClass: [['p', 'card']], removeClass: [], pseudoClass: [] } },
    view: () => own,
  };
}
