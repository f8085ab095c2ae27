import fc from 'fast-check';
import { check } from '../../src/core/check/check.js';
import type { Kept, PageResult } from '../../src/core/check/result-cache.js';
import type { Hint } from '../../src/core/fix/missing-element.js';
import { runsOf } from '../helpers.js';
import { inputOf, paths, state, type State } from './generated.js';

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

test('what was kept gives the report that judging anew gives, whatever was edited since', () => {
  fc.assert(
    fc.property(
      fc.array(state, { minLength: 1, maxLength: 2 }),
      fc.array(fc.nat(4), { maxLength: 6 }),
      (states, edits) => {
        const results = memory<PageResult>();
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

test('Rules that moved in their file are not judged again, and their findings move with them', () => {
  const rule = (selector: string, pages: State['rules'][number]['pages']): State['rules'][number] => ({
    ...{ pages, except: null, important: false },
    actions: [`${selector} { color: teal; }`],
  });
  const now: State = {
    rules: [rule('.x', 'all'), rule('.crad', 'path("/")')],
    above: 0,
    bodies: paths.map(() => ({
      attributes: '',
      content: ['<style>.x { color: red !important }</style>', '<p class="x">a</p>'],
    })),
    sheet: '',
  };
  const results = memory<PageResult>();
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
    ...{ above: 0, sheet: '' },
    bodies: paths.map(() => ({ attributes: '', content: ['<p class="x">a</p>'] })),
  };
  const results = memory<PageResult>();
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
