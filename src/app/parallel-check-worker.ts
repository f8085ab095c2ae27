// A thread that judges some of the pages of a check and posts its results.
import { parentPort, workerData } from 'node:worker_threads';
import { check } from '../core/check/check.js';
import type { PageResult } from '../core/check/result-cache.js';
import { openCheck } from '../app/check-input.js';
import { claimFor, type HelperData } from '../app/parallel-check.js';

const data = workerData as HelperData;
const { input } = openCheck(data.call);
const found: [string, PageResult][] = [];
check({
  ...input,
  hints: null,
  results: {
    get: input.results.get,
    set: (key, result) => {
      if (input.results.get(key) !== result) found.push([key, result]);
    },
  },
  claim: claimFor(data),
});
parentPort?.postMessage(found);
