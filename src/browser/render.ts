import type { Browser } from 'playwright-core';
import { ProblemError } from '../core/place.js';
import { chromiumPath } from './chromium.js';

/** Fetches pages as Chromium has them after their scripts ran. */
export interface Renderer {
  render: (url: string) => Promise<{ url: string; status: number; html: string }>;
  close: () => Promise<void>;
}

/** Time that a page's requests may take before it is read as it is, in milliseconds. */
const settleMs = 5000;

/** Starts Chromium without a window, in its sandbox where the system lets it. Throws ProblemError if there is none. */
export async function launchChromium(): Promise<Browser> {
  const executablePath = chromiumPath();
  if (!executablePath) {
    throw new ProblemError(
      [
        {
          message: 'Chromium was not found',
          hint: 'Install it (Debian: apt-get install chromium), or set LOCAL_NEEDLE_CHROMIUM to its path.',
        },
      ],
      'access',
    );
  }
  const { chromium } = await playwright();
  // Chromium refuses its sandbox to root, which build servers often are.
  const args = process.getuid?.() === 0 ? ['--no-sandbox'] : [];
  return chromium.launch({
    executablePath,
    args: [
      ...args,
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
      '--no-first-run',
    ],
  });
}

/** The library that drives Chromium, which is not installed with the package. Throws ProblemError if it is missing. */
async function playwright() {
  try {
    return await import('playwright-core');
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'ERR_MODULE_NOT_FOUND') throw error;
    const hint = 'Run npm install playwright-core in the same project. It does not download a browser.';
    throw new ProblemError([{ message: 'This command needs the package playwright-core', hint }], 'access');
  }
}

/** A renderer that sends the visitor's headers to the site's own origin only. */
export async function startRenderer(
  address: string,
  headers: Record<string, string>,
  viewport: { width: number; height: number },
): Promise<Renderer> {
  const browser = await launchChromium();
  const context = await browser.newContext({ viewport, serviceWorkers: 'block' });
  const { origin } = new URL(address);
  await context.route(
    (url) => url.origin === origin,
    (route) => route.continue({ headers: { ...route.request().headers(), ...headers } }),
  );
  return {
    async render(url) {
      const page = await context.newPage();
      try {
        const response = await page.goto(url, { waitUntil: 'load', timeout: 30_000 });
        await page.waitForLoadState('networkidle', { timeout: settleMs }).catch(() => undefined);
        return { url: page.url(), status: response?.status() ?? 200, html: await page.content() };
      } finally {
        await page.close();
      }
    },
    close: () => browser.close(),
  };
}
