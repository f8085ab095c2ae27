import { once } from 'node:events';
import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import { check, checkInSteps } from '../core/check/check.js';
import type { Kept, PageResult } from '../core/check/result-cache.js';
import type { CheckInput } from '../core/check/input.js';
import type { CheckReport } from '../core/check/verdict.js';
import type { KeptOutline } from '../core/check/kept-parts.js';
import type { Answers } from '../core/ship/survey.js';
import type { LookCall } from './open.js';

/** The data of a worker thread: the call, whether a build asks pages for its answers, and which thread took which pages. */
export interface HelperData {
  call: LookCall;
  surveys: boolean;
  taken: Int32Array;
  number: number;
}

/** One thread judges for this long before others start, in milliseconds: a shorter check is faster without them. */
const aloneMs = 1500;
/** Maximum number of workers: each reads the project again. */
const mostHelpers = 7;
/** The room for young objects of a worker: several pages of markup, so that most are gone when V8 looks for what lives. */
const maxYoungGenerationSizeMb = 192;
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

/** What a worker found that was not kept before: results, and what a build learnt of pages. */
export interface HelperFound {
  results: [string, PageResult][];
  outlines: [string, KeptOutline][];
  learnt: [string, Answers][];
}

/** Threads that are called to help with one check once it takes long. */
class Helpers {
  private readonly workers: Worker[] = [];
  private readonly told: Promise<unknown>[] = [];
  private readonly taken = new Int32Array(new SharedArrayBuffer(4 * mostRows));
  private readonly own = claimFor({ taken: this.taken, number: 1 });
  private readonly start = performance.now();
  private left = false;

  constructor(
    private readonly shared: Shared,
    private readonly call: LookCall,
  ) {}

  /** Whether this thread judges a page. */
  readonly claim = (index: number, isQuick: () => boolean): boolean => {
    // What follows from other pages, each thread would have to find out for itself.
    if (this.workers.length === 0 && performance.now() - this.start > aloneMs && !isQuick()) this.begin();
    const mine = this.own(index);
    this.left ||= !mine;
    return mine;
  };

  private begin(): void {
    const number = Math.min(mostHelpers, availableParallelism() - 1);
    for (let each = 0; each < number; each++) {
      const { results, outlines, learnt } = this.shared;
      const part = { taken: this.taken, number: each + 2 };
      const workerData: HelperData = { call: this.call, surveys: learnt !== null, ...part };
      const worker = new Worker(new URL('./parallel-check-worker.js', import.meta.url), {
        workerData,
        resourceLimits: { maxYoungGenerationSizeMb },
      });
      this.workers.push(worker);
      // The pages of a worker that failed are judged here.
      const finished = once(worker, 'message').then(
        ([message]) => {
          const found = message as HelperFound;
          for (const [key, result] of found.results) results.set(key, result);
          for (const [key, outline] of found.outlines) outlines?.set(key, outline);
          for (const [key, answers] of found.learnt) learnt?.set(key, answers);
        },
        () => undefined,
      );
      this.told.push(finished);
    }
  }

  /** Waits for what the others judged; false if this thread judged everything. */
  async join(): Promise<boolean> {
    if (this.left) await Promise.all(this.told);
    return this.left;
  }

  async stop(): Promise<void> {
    await Promise.all(this.workers.map((worker) => worker.terminate()));
  }
}

type CheckWithResults = CheckInput & { results: Kept<PageResult> };

/** Where results go, and the answers for a build; null for a check alone. */
interface Shared {
  results: Kept<PageResult>;
  outlines: Kept<KeptOutline> | undefined;
  learnt: Kept<Answers> | null;
}

/**
 * A check by several threads where there is much to judge; its report is that of `check`. Results of workers are read
 * like cached ones; this thread makes the hints once all verdicts are known. `learnt`: workers ask pages for a build too.
 */
export async function parallelCheck(
  input: CheckWithResults,
  call: LookCall,
  learnt: Kept<Answers> | null = null,
): Promise<CheckReport> {
  const helpers = new Helpers({ results: input.results, outlines: input.outlines, learnt }, call);
  try {
    const report = check({ ...input, claim: helpers.claim });
    return (await helpers.join()) ? check(input) : report;
  } finally {
    await helpers.stop();
  }
}

/** The same in steps, for a program that answers meanwhile. */
export async function* parallelCheckInSteps(
  input: CheckWithResults,
  call: LookCall,
): AsyncGenerator<undefined, CheckReport> {
  const helpers = new Helpers({ results: input.results, outlines: input.outlines, learnt: null }, call);
  try {
    const report = yield* checkInSteps({ ...input, claim: helpers.claim });
    return (await helpers.join()) ? yield* checkInSteps(input) : report;
  } finally {
    await helpers.stop();
  }
}
