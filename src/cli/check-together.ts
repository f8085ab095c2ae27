import { once } from 'node:events';
import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import { check } from '../core/check/check.js';
import type { Memory, PageResult } from '../core/check/memory.js';
import type { CheckInput } from '../core/check/plan.js';
import type { CheckReport } from '../core/check/verdict.js';
import type { LookArguments } from './open.js';

/** What a helper is told: the call, and who took which pages. */
export interface HelperData {
  args: LookArguments;
  taken: Int32Array;
  number: number;
}

/** Pages that are judged before others are called: fewer are done sooner alone. */
const alone = 80;
/** Helpers at most: each reads the project for itself. */
const mostHelpers = 7;
/** Pages in a row that one thread takes at once, and how many such rows can be shared. */
const row = 8;
const mostRows = 1 << 17;

/** Whether a thread judges a page: it does if no other was first to take its row. */
export function claimFor({ taken, number }: Pick<HelperData, 'taken' | 'number'>): (index: number) => boolean {
  return (index) => {
    const at = Math.floor(index / row);
    if (at >= taken.length) return number === 1;
    const owner = Atomics.compareExchange(taken, at, 0, number);
    return owner === 0 || owner === number;
  };
}

/**
 * A check by several threads where there is much to judge; its report is that of `check`. What helpers found is put
 * together as if it had been found before: results that hang on more than their page are made by this thread alone.
 */
export async function checkTogether(input: CheckInput & { memory: Memory }, args: LookArguments): Promise<CheckReport> {
  const helpers: Worker[] = [];
  const taken = new Int32Array(new SharedArrayBuffer(4 * mostRows));
  const claim = claimFor({ taken, number: 1 });
  let [judged, kept, left] = [0, 0, false];
  const memory: Memory = {
    get: input.memory.get,
    set: (key, result) => {
      kept++;
      input.memory.set(key, result);
    },
  };
  const results: Promise<unknown>[] = [];
  const callHelpers = () => {
    const number = Math.min(mostHelpers, availableParallelism() - 1);
    for (let each = 0; each < number; each++) {
      const data: HelperData = { args, taken, number: each + 2 };
      const helper = new Worker(new URL('./check-helper.js', import.meta.url), { workerData: data });
      helpers.push(helper);
      // A helper that fails has judged nothing: its pages are judged here after all.
      const told = once(helper, 'message').then(
        ([all]) => {
          for (const [key, result] of all as [string, PageResult][]) input.memory.set(key, result);
        },
        () => undefined,
      );
      results.push(told);
    }
  };
  try {
    const report = check({
      ...input,
      memory,
      claim: (index) => {
        // Where most results cannot be kept, others would judge in vain.
        if (judged++ === alone && kept > alone * 0.75) callHelpers();
        const mine = claim(index);
        left ||= !mine;
        return mine;
      },
    });
    if (!left) return report;
    await Promise.all(results);
    return check(input);
  } finally {
    await Promise.all(helpers.map((helper) => helper.terminate()));
  }
}
