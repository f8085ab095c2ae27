import { setImmediate } from 'node:timers/promises';

/** After this long, steps make room for requests, in milliseconds. */
const stepMs = 20;

/** Runs steps to their end, with room for requests between them; null where they were given up. */
export async function inSteps<T>(
  steps: Generator<undefined, T> | AsyncGenerator<undefined, T>,
  isCurrent: () => boolean,
): Promise<T | null> {
  for (let since = performance.now(); ;) {
    const step = await steps.next();
    if (step.done) return step.value;
    if (performance.now() - since < stepMs) continue;
    await setImmediate();
    since = performance.now();
    if (isCurrent()) continue;
    await steps.return(undefined as T);
    return null;
  }
}
