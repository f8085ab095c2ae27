import type { BrowserContextOptions, Page } from 'playwright-core';
import type { Viewport } from '../core/css/cascade/media.js';

/** A context that looks at pages as a viewport says; the medium is set page by page (`setMedium`). */
export const contextFor = ({
  width,
  height,
  touch = false,
  pixelRatio = 1,
  colorScheme = 'light',
  contrast,
  motion,
}: Viewport): BrowserContextOptions => ({
  viewport: { width, height },
  ...{ hasTouch: touch, deviceScaleFactor: pixelRatio, colorScheme },
  contrast: contrast ?? 'no-preference',
  reducedMotion: motion ?? 'no-preference',
});

/** Prints a page, on the screen, where its viewport is paper. */
export async function setMedium(tab: Page, { media }: Viewport): Promise<void> {
  if (media === 'print') await tab.emulateMedia({ media });
}
