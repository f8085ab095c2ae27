import { contextFor } from './look.js';
import type { Viewport } from '../core/css/cascade/media.js';
import type { APIResponse, Browser, BrowserContext } from 'playwright-core';
import { withoutEarlierBuild } from '../core/page/earlier-build.js';
import { ProblemError } from '../core/place.js';
import { insertInto } from '../core/ship/insert.js';
import { chromiumPath } from './chromium.js';
import { passOn } from './serve.js';
import { answeredWithin, loadedWithin } from './time-limits.js';

/** Fetches pages as Chromium has them after their scripts ran. */
export interface Renderer {
  render: (url: string) => Promise<{ url: string; status: number; html: string }>;
  close: () => Promise<void>;
}

/** Time that a page's requests may take before it is read as it is, in milliseconds. */
const settleMs = 5000;
const mostRedirects = 10;

/**
 * Starts Chromium without a window, in its sandbox where the system lets it. `handleSIGINT`: an interrupt ends it and the
 * process at once; false where the caller does. Throws ProblemError if there is none.
 */
export async function launchChromium(handleSIGINT = true): Promise<Browser> {
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
    handleSIGINT,
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
    // As import() says it, and as require() does, which the bundle has in its place.
    if (!/^(ERR_)?MODULE_NOT_FOUND$/.test((error as NodeJS.ErrnoException).code ?? '')) throw error;
    const hint = 'Run npm install playwright-core in the same project. It does not download a browser.';
    throw new ProblemError([{ message: 'This command needs the package playwright-core', hint }], 'access');
  }
}

/**
 * A renderer that sends the visitor's headers to the site's own origin only. `timeoutMs`: how long a page may take to load, and
 * then to tell what it has become.
 */
export async function startRenderer(
  address: string,
  headers: Record<string, string>,
  viewport: Viewport,
  isPrivate: (hostname: string) => Promise<boolean>,
  timeoutMs: number,
): Promise<Renderer> {
  const browser = await launchChromium(false);
  const context = await browser.newContext({ ...contextFor(viewport), serviceWorkers: 'block' });
  const { origin } = new URL(address);
  await context.route(
    (url) => url.origin === origin,
    (route) => passOn(route, { ...route.request().headers(), ...headers }),
  );
  // A public site must not make this machine ask its own network.
  if (!(await isPrivate(new URL(address).hostname)))
    await context.route(
      (url) => url.origin !== origin,
      async (route) => ((await isPrivate(new URL(route.request().url()).hostname)) ? route.abort() : route.fallback()),
    );
  return {
    async render(url) {
      const { response, address } = await follow(context, url, headers);
      if (!response) return { url: address, status: 200, html: '' };
      const text = await response.text();
      // Its elements are put back once the page's scripts have run: `check` looks for them.
      const { html, head, body } = withoutEarlierBuild(text);
      const page = await context.newPage();
      try {
        // A function, since a text would be a pattern.
        await page.route(
          (each) => each.href === address,
          (route) =>
            route.request().isNavigationRequest()
              ? route.fulfill({
                  response,
                  ...(html === text ? {} : { contentType: 'text/html; charset=utf-8', body: html }),
                })
              : route.fallback(),
        );
        await loadedWithin(timeoutMs, page.goto(address, { waitUntil: 'load', timeout: 0 }));
        await page.waitForLoadState('networkidle', { timeout: settleMs }).catch(() => undefined);
        const content = await answeredWithin(timeoutMs, page.content());
        const rendered = insertInto(insertInto(content, head, 'head-end'), body, 'body-end');
        return { url: page.url(), status: response.status(), html: rendered };
      } finally {
        await page.close();
      }
    },
    close: () => browser.close(),
  };
}

/** Requests a page and follows its redirects within the site; without a response if one leads to another site. */
async function follow(
  context: BrowserContext,
  url: string,
  headers: Record<string, string>,
): Promise<{ response: APIResponse | null; address: string }> {
  let address = url;
  for (let turns = 0; turns <= mostRedirects; turns++) {
    const response = await context.request.get(address, { headers, maxRedirects: 0, timeout: 30_000 });
    const location = response.status() >= 300 && response.status() < 400 ? response.headers()['location'] : undefined;
    if (location === undefined || !URL.canParse(location, address)) return { response, address };
    const next = new URL(location, address);
    const isOwn = next.origin === new URL(address).origin;
    address = next.href;
    if (!isOwn) return { response: null, address };
  }
  throw new Error(`it redirects more than ${mostRedirects} times`);
}
