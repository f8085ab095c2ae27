import { once } from 'node:events';
import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import { check } from '../core/check/check.js';
import type { Kept, PageResult } from '../core/check/result-cache.js';
import type { CheckInput } from '../core/check/input.js';
import type { CheckReport } from '../core/check/verdict.js';
import type { LookCall } from './open.js';

/** The data of a worker thread: the call, and which thread took which pages. */
export interface HelperData {
  call: LookCall;
  taken: Int32Array;
  number: number;
}

/** One thread judges for this long before others start, in milliseconds: a shorter check is faster without them. */
const aloneMs = 1500;
/** Maximum number of workers: each reads the project again. */
const mostHelpers = 7;
/** Consecutive pages that a thread takes at once, and the number of such runs that can be shared. */
const row = 8;
const mostRows = 1 << 17;

/** Whether this thread judges a page: it does if no other thread took the page's run first. */
export function claimFor({ taken, number }: Pick<HelperData, 'taken' | 'number'>): (index: number) => boolean {
  return (index) => {
    const at = Math.floor(index / row);
    if (at >= taken.length) return number === 1;
    const owner = Atomics.compareExchange(taken, at, 0, number);
    return owner === 0 || owner === number;
  };
}

/**
 * A check by several threads where there is much to judge; its report is that of `check`. Results of workers are read
 * like cached ones; this thread makes the hints once all verdicts are known.
 */
export async function parallelCheck(
  input: CheckInput & { results: Kept<PageResult> },
  call: LookCall,
): Promise<CheckReport> {
  const helpers: Worker[] = [];
  const taken = new Int32Array(new SharedArrayBuffer(4 * mostRows));
  const claim = claimFor({ taken, number: 1 });
  const start = performance.now();
  let [called, left] = [false, false];
  const told: Promise<unknown>[] = [];
  const callHelpers = () => {
    const number = Math.min(mostHelpers, availableParallelism() - 1);
    for (let each = 0; each < number; each++) {
      const data: HelperData = { call, taken, number: each + 2 };
      const helper = new Worker(new URL('./parallel-check-worker.js', import.meta.url), { workerData: data });
      helpers.push(helper);
      // The pages of a worker that failed are judged here.
      const finished = once(helper, 'message').then(
        ([all]) => {
          for (const [key, result] of all as [string, PageResult][]) input.results.set(key, result);
        },
        () => undefined,
      );
      told.push(finished);
    }
  };
  try {
    const report = check({
      ...input,
      claim: (index) => {
        if (!called && performance.now() - start > aloneMs) {
          called = true;
          callHelpers();
        }
        const mine = claim(index);
        left ||= !mine;
        return mine;
      },
    });
    if (!left) return report;
    await Promise.all(told);
    return check(input);
  } finally {
    await Promise.all(helpers.map((helper) => helper.terminate()));
  }
}
