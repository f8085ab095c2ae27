import { Worker } from 'node:worker_threads';
import type { BoxNode } from '../core/before-after/blocks.js';
import type { PictureDifference } from './compare-pictures.js';

/** Two pictures to compare; see comparePictures. */
export interface CompareRequest {
  number: number;
  before: Uint8Array;
  after: Uint8Array;
  boxes: { before: BoxNode; after: BoxNode } | null;
}

export interface CompareAnswer {
  number: number;
  difference: PictureDifference;
}

/** Compares pictures in a thread of its own. */
export class PictureComparer {
  private readonly worker = new Worker(new URL('./compare-worker.js', import.meta.url));
  private readonly waiting = new Map<
    number,
    { done: (difference: PictureDifference) => void; fail: (error: Error) => void }
  >();
  private number = 0;

  constructor() {
    this.worker.on('message', ({ number, difference }: CompareAnswer) => {
      this.waiting.get(number)?.done(difference);
      this.waiting.delete(number);
    });
    this.worker.on('error', (error: Error) => {
      for (const { fail } of this.waiting.values()) fail(error);
      this.waiting.clear();
    });
  }

  compare(pair: Omit<CompareRequest, 'number'>): Promise<PictureDifference> {
    const number = this.number++;
    return new Promise((done, fail) => {
      this.waiting.set(number, { done, fail });
      this.worker.postMessage({ ...pair, number } satisfies CompareRequest);
    });
  }

  async close(): Promise<void> {
    await this.worker.terminate();
  }
}
