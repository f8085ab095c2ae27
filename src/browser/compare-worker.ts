// A thread that compares pictures while the next ones are taken.
import { parentPort } from 'node:worker_threads';
import { comparePictures } from './compare-pictures.js';
import type { CompareRequest, CompareAnswer } from './picture-comparer.js';

parentPort?.on('message', ({ number, before, after, boxes }: CompareRequest) => {
  const difference = comparePictures(Buffer.from(before), Buffer.from(after), boxes);
  parentPort?.postMessage({ number, difference } satisfies CompareAnswer);
});
