import fc from 'fast-check';
import { check } from '../../src/core/check/check.js';
import { KnownElements } from '../../src/core/check/element-facts.js';
import { judgeByOutline } from '../../src/core/check/from-outline.js';
import { judge } from '../../src/core/check/judge.js';
import { planCheck } from '../../src/core/check/plan.js';
import { packed, unpacked } from '../../src/core/check/packed-result.js';
import type { Kept, PageResult } from '../../src/core/check/result-cache.js';
import type { KeptOutline } from '../../src/core/check/kept-parts.js';
import type { Hint } from '../../src/core/fix/missing-element.js';
import { runsOf, siteOf } from '../helpers.js';
import { inputOf, paths, state, type State } from './generated.js';

/** A store that lives as long as a test, of texts as a file has them. `about`: see Kept. */
function memory<T>(
  write: (value: T) => unknown = (value) => value,
  read: (written: never) => T = (written) => written,
  about: (value: T) => string = () => '',
): Kept<T> & { size: number } {
  const values = new Map<string, string>();
  const valueOf = (text: string) => read(JSON.parse(text) as never);
  return {
    get: (key) => (values.has(key) ? valueOf(values.get(key) ?? '') : undefined),
    set: (key, value) => void values.set(key, JSON.stringify(write(value))),
    find: (wanted) => [...values.values()].map(valueOf).findLast((value) => about(value) === wanted),
    get size() {
      return values.size;
    },
  };
}

const keptResults = () => memory<PageResult>(packed, unpacked, ({ parts }) => parts?.page ?? '');

/** A rule whose declarations are others. */
const recoloured = (rule: State['rules'][number]): State['rules'][number] => ({
  ...rule,
  actions: rule.actions.map((each) =>
    each.replace(/color: [^;]+/, (old) => `color: ${old.includes('teal') ? 'var(--c, navy)' : 'teal'}`),
  ),
});

test('what was kept gives the report that judging anew gives, whatever was edited since', () => {
  fc.assert(
    fc.property(
      fc.array(state, { minLength: 1, maxLength: 2 }),
      fc.array(fc.nat(6), { maxLength: 6 }),
      (states, edits) => {
        const results = keptResults();
        const outlines = memory<KeptOutline>();
        const hints = memory<Hint>();
        let now: State = states[0] as State;
        const other: State = states.at(-1) as State;
        for (const edit of [-1, ...edits]) {
          // One thing is taken from another state: the rules, a page, the sheet, or the order of the rules; or rules move down.
          if (edit === 0) now = { ...now, rules: [...other.rules.slice(0, 1), ...now.rules.slice(1)] };
          if (edit === 1) now = { ...now, bodies: [...other.bodies.slice(0, 1), ...now.bodies.slice(1)] };
          if (edit === 2) now = { ...now, sheet: other.sheet };
          if (edit === 3) now = { ...now, rules: [...now.rules].reverse() };
          if (edit === 4) now = { ...now, above: now.above + other.above + 1 };
          // The same selectors with other declarations.
          if (edit >= 5)
            now = { ...now, rules: now.rules.map((each, index) => (index === edit - 5 ? recoloured(each) : each)) };
          const plain = inputOf(now);
          expect(check({ ...inputOf(now), results, outlines, hints })).toEqual(check(plain));
        }
        // A report is made of what was kept: the second time nothing is added.
        const { size } = results;
        check({ ...inputOf(now), results, hints });
        expect(results.size).toBe(size);
      },
    ),
    { numRuns: runsOf(30, 2000) },
  );
});

/** What one rule says here changes what another does, on the same elements or on those below. */
const meeting = fc.record({
  selector: fc.constantFrom('body', '.card', '.x', '.card .x', 'h1', '.x, h1', 'p'),
  declaration: fc.constantFrom(
    ...[
      'font-size: 16px',
      'font-size: 20px',
      'font-size: 1em',
      'width: 1em',
      'width: 16px',
      'color: red',
      'color: inherit',
    ],
    ...[
      '--w: 1px',
      '--w: 2px',
      'width: var(--w)',
      'height: var(--w)',
      'display: block',
      'display: flex',
      'display: none',
    ],
    ...['border-top-color: currentcolor', 'border-top-color: red', 'float: left', 'margin-left: 0'],
  ),
  important: fc.boolean(),
});
const meetingPage = fc.array(
  fc.constantFrom(
    '<p class="x">a</p>',
    '<div class="card"><h1>b</h1><b class="x">c</b></div>',
    '<h1 class="x">d</h1>',
    '<p>e</p>',
    '<main><p class="x" style="color: blue; width: 9px !important">f</p>\n<p class="x" style="color: blue">g</p></main>',
  ),
  { minLength: 1, maxLength: 4 },
);

test('the same where rules meet', () => {
  let quick = 0;
  fc.assert(
    fc.property(
      fc.array(meeting, { minLength: 2, maxLength: 5 }),
      fc.array(meetingPage, { minLength: 2, maxLength: paths.length }),
      fc.constantFrom(
        ...['', '.x { color: red }', '.card { font-size: 20px; --w: 1px }', 'h1 { width: 16px !important }'],
        // Ours loses to both, on elements of several kinds that take turns, and other selectors would win.
        ...[
          'p.x.x.x, b.x.x { color: blue; font-size: 9px; width: 9px }',
          'h1, p, b { color: blue !important; width: 9px !important }',
        ],
      ),
      fc.array(fc.tuple(fc.nat(4), meeting, fc.boolean()), { minLength: 1, maxLength: 4 }),
      fc.constantFrom('', '@keep-visible .x;', '@keep-visible .card, h1;'),
      (rules, pages, sheet, edits, keeps) => {
        const now = [...rules];
        const sources = Object.fromEntries(
          pages.map((content, index) => [
            paths[index] ?? '',
            `<link rel=stylesheet href=/local-needle.css><style>${sheet}</style><body>${content.join('\n')}`,
          ]),
        );
        const results = keptResults();
        const outlines = memory<KeptOutline>();
        for (const [turn, edit] of [null, ...edits].entries()) {
          const [index, next, isOther] = edit ?? [-1, rules[0] as (typeof rules)[number], false];
          const old = now[index];
          // Another declaration, or another rule.
          if (old) now[index] = isOther ? next : { ...old, declaration: next.declaration, important: next.important };
          const { input, view } = siteOf(
            sources,
            keeps +
              now
                .map(({ selector, declaration, important }, at) =>
                  [
                    `@needle r${at} { pages: all;`,
                    important ? 'important: yes;' : '',
                    `${selector} { ${declaration} } }`,
                  ].join(' '),
                )
                .join('\n'),
          );
          const identified = { ...view, identity: ({ path }: { path: string }) => sources[path] ?? null };
          const loading = { address: '/local-needle.css', built: () => ({ names: [], texts: [] }) };
          const own = { ...input, loading, view: () => identified };
          let count = 0;
          const report = check({ ...own, results, outlines, onOpen: () => count++ });
          if (count < pages.length) quick++;
          expect(report).toEqual(check(own));
          if (turn < edits.length) continue;
          // What an outline tells, without what was found out on an opened page, is what that tells.
          const [plan, other] = [planCheck(own), planCheck(own)];
          for (const [number, task] of plan.tasks.entries()) {
            const look = task.look();
            const outline = look.cascade.outline();
            if (!outline) throw new Error('There is no outline');
            const elements = new KnownElements(task.page.file, undefined, () => look);
            const told = { outline, isNew: false, elements, open: () => look, earlier: undefined, parts: new Map() };
            const opened = other.tasks[number]!.look();
            const parts = task.work.judged.map(({ rule, dependsOn }) => judge(rule, opened, dependsOn));
            expect(judgeByOutline(task, told)?.parts).toEqual(parts);
          }
        }
      },
    ),
    { numRuns: runsOf(60, 5000) },
  );
  expect(quick).toBeGreaterThan(0);
});

test('Rules that moved in their file are not judged again, and their findings move with them', () => {
  const rule = (selector: string, pages: State['rules'][number]['pages']): State['rules'][number] => ({
    ...{ pages, except: null, important: false },
    actions: [`${selector} { color: teal; }`],
  });
  const now: State = {
    rules: [rule('.x', 'all'), rule('.crad', 'path("/")')],
    ...{ above: 0, keeps: true },
    bodies: paths.map(() => ({
      attributes: '',
      content: ['<style>.x { color: red !important }</style>', '<p class="x">a</p>'],
    })),
    sheet: '',
  };
  const results = keptResults();
  const hints = memory<Hint>();
  const linesOf = (above: number, opened: string[]) =>
    check({ ...inputOf({ ...now, above }), results, hints, onOpen: ({ path }) => void opened.push(path) }).findings.map(
      ({ code, at }) => `${code} ${at?.line}`,
    );
  const first: string[] = [];
  const then: string[] = [];
  expect(linesOf(0, first)).toContain('overridden 2');
  expect(linesOf(5, then)).toEqual([...paths.map(() => 'overridden 7'), 'missing-element 8', 'needs-script 8']);
  expect([first.length, then.length]).toEqual([paths.length, 0]);
});

test('A kept-visible element that moved in a file of its own is named where it is now', () => {
  const now: State = {
    rules: [{ pages: 'all', except: null, important: false, actions: ['@hide .x;'] }],
    ...{ above: 0, keeps: true, sheet: '' },
    bodies: paths.map(() => ({ attributes: '', content: ['<p class="x">a</p>'] })),
  };
  const results = keptResults();
  const hintsAt = (line: number) => {
    const input = inputOf(now);
    const [kept] = input.keptVisible;
    if (!kept) throw new Error('Nothing is kept visible');
    const own = {
      ...kept,
      selector: '.x',
      selectors: [{ text: '.x', offset: 0 }],
      at: { file: 'keep.css', line, column: 1 },
    };
    return check({ ...input, keptVisible: [own], results }).findings.map(({ hint }) => hint ?? '');
  };
  expect(hintsAt(1).filter((hint) => hint.includes('(keep.css:1)'))).toHaveLength(paths.length);
  expect(hintsAt(9).filter((hint) => hint.includes('(keep.css:9)'))).toHaveLength(paths.length);
});

test('A rule with other declarations opens one page for its stylesheets, and those where it has to ask what would win', () => {
  const rule = (action: string): State['rules'][number] => ({
    ...{ pages: 'all', except: null, important: false },
    actions: [action],
  });
  const bodies = paths.map((_path, index) => ({
    attributes: '',
    content: ['<p class="x">a</p>', index === 2 ? '<div class="a card"><b class="x">b</b></div>' : '<p>c</p>'],
  })) as State['bodies'];
  const results = keptResults();
  const outlines = memory<KeptOutline>();
  const openedWith = (...actions: string[]) => {
    const input = inputOf({
      rules: actions.map(rule),
      above: 0,
      keeps: false,
      bodies,
      sheet: '.a.card .x { color: red }',
    });
    const opened: string[] = [];
    const report = check({ ...input, results, outlines, onOpen: ({ path }) => void opened.push(path) });
    expect(report).toEqual(check(input));
    return opened;
  };
  expect(openedWith('.x { order: 1 }', '.y { order: 1 }')).toEqual(paths);
  expect(openedWith('.x { order: 2 }', '.y { order: 1 }')).toEqual([paths[0]]);
  expect(openedWith('.x { order: 2 }', '.y { order: 2 }')).toEqual([paths[0]]);
  // Which selector would win is looked for on the page, once.
  expect(openedWith('.x { color: teal }', '.y { order: 2 }')).toEqual([paths[0], paths[2]]);
  expect(openedWith('.x { color: navy }', '.y { order: 2 }')).toEqual([paths[0]]);
  // Another selector is looked for anew.
  expect(openedWith('p { color: teal }', '.y { order: 2 }')).toEqual(paths);
});
