import fc from 'fast-check';
import { check } from '../../src/core/check/check.js';
import type { Kept, PageResult } from '../../src/core/check/result-cache.js';
import type { Hint } from '../../src/core/fix/missing-element.js';
import { runsOf } from '../helpers.js';
import { inputOf, state, type State } from './generated.js';

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
