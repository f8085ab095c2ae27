import { existsSync } from 'node:fs';
import { chromium, type Browser, type Page } from 'playwright-core';
import { chromiumPath } from '../../src/browser/chromium.js';

/** Debian's Chromium without windows: it opens a page in a third of the time. */
const withoutWindows = '/usr/bin/chromium-headless-shell';

/** The browser in which tests look at pages: Chromium's headless build where it is installed, else Chromium. */
const testBrowser =
  process.env['LOCAL_NEEDLE_CHROMIUM'] === undefined && existsSync(withoutWindows) ? withoutWindows : chromiumPath();

/** Has the program take that too, where another test takes the same way in the Chromium that users have. */
export const inTestBrowser: Record<string, string> = testBrowser ? { LOCAL_NEEDLE_CHROMIUM: testBrowser } : {};

/** Starts the browser of the tests. */
export const launchBrowser = (): Promise<Browser> =>
  chromium.launch({ executablePath: testBrowser ?? undefined, args: ['--no-sandbox'] });

/** Gives the tests of a block a tab in a browser of their own, closed after them. */
export function usesTab(take: (page: Page) => void): void {
  let browser: Browser | undefined;
  beforeAll(async () => {
    browser = await launchBrowser();
    take(await browser.newPage());
  });
  afterAll(() => browser?.close());
}
