// A thread that judges some of the pages of a check and posts what it found.
import { parentPort, workerData } from 'node:worker_threads';
import { check } from '../core/check/check.js';
import type { Kept } from '../core/check/result-cache.js';
import { surveyOf } from './build.js';
import { openCheck } from './check-input.js';
import { claimFor, type HelperData, type HelperFound } from './parallel-check.js';

const data = workerData as HelperData;
const opened = openCheck(data.call);
const { input, learnt } = opened;
const found: HelperFound = { results: [], outlines: [], learnt: [] };

/** The same, with what is new noted. */
function noting<T>(kept: Kept<T>, fresh: [string, T][]): Kept<T> {
  const set = (key: string, value: T) => {
    if (kept.get(key) !== value) fresh.push([key, value]);
  };
  return { ...(kept.find ? { find: kept.find } : {}), get: kept.get, set };
}

// Results are kept by whether the loading of a build is looked at, and a build does not look at it.
const building = data.surveys
  ? { loading: null, onOpen: surveyOf({ ...opened, learnt: noting(learnt, found.learnt) }).onOpen }
  : {};
check({
  ...{ ...input, ...building },
  ...{ hints: null, results: noting(input.results, found.results) },
  ...{ outlines: noting(input.outlines, found.outlines), claim: claimFor(data) },
});
parentPort?.postMessage(found);
