import { readFileSync } from 'node:fs';
import type { Page } from 'playwright-core';

/** The clock of a page, which stands still. */
export interface PageClock {
  /** Runs what is due within a time, in milliseconds. */
  run: (ms: number) => Promise<unknown>;
}

/** Stops the clock of all pages that a window shows from now on, at one moment in January 2026. */
export async function stopClock(tab: Page): Promise<void> {
  await tab.addInitScript({ content: readFileSync(new URL('browser/page-clock.js', import.meta.url), 'utf8') });
}

/** Lets the clock of a page and its frames run, in milliseconds. */
export async function runClock(tab: Page, ms: number): Promise<void> {
  for (const frame of tab.frames())
    await frame
      .evaluate((time) => (window as { localNeedleClock?: PageClock }).localNeedleClock?.run(time), ms)
      // A frame may go away meanwhile.
      .catch(() => undefined);
}
