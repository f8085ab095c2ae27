// A thread that judges some of the pages of a check, and tells what it found.
import { parentPort, workerData } from 'node:worker_threads';
import { check } from '../core/check/check.js';
import type { PageResult } from '../core/check/memory.js';
import { readAll } from './check-input.js';
import { claimFor, type HelperData } from './check-together.js';

const data = workerData as HelperData;
const { input, memory } = readAll(data.args);
const found: [string, PageResult][] = [];
check({
  ...input,
  memory: {
    get: memory.get,
    set: (key, result) => {
      if (memory.get(key) !== result) found.push([key, result]);
    },
  },
  claim: claimFor(data),
});
parentPort?.postMessage(found);
