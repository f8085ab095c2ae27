import type { Browser, BrowserContext } from 'playwright-core';
import type { Bundle } from '../core/ship/bundle.js';
import type { CheckInput } from '../core/check/input.js';
import type { ViewSettings } from '../core/check/opened-page.js';
import type { Page } from '../core/page/page.js';
import { withoutEarlierBuild } from '../core/page/earlier-build.js';
import { pageAddress, type View } from '../core/page/view.js';
import { comparePictures, type PictureDifference } from './compare-pictures.js';
import { answer, withBuild, type BrowserSource } from './serve.js';
import { applyState } from './state.js';

/** A page to take pictures of, without and with the build. */
export interface PictureSubject {
  page: Page;
  view: View;
  settings: ViewSettings;
  visitor: string | null;
  /** The rules that are for it; none for a page that must stay as it is. */
  rules: string[];
}

/** A page as it was and as it is with the build. */
export interface PicturePair extends PictureSubject {
  before: Buffer;
  after: Buffer;
  difference: PictureDifference;
}

/** The time that all pages see; their clock stops after one second. */
const moment = new Date('2026-01-15T12:00:00Z');
/** Maximum height of a picture, in pixels. */
const mostHeight = 8000;

/**
 * Takes pictures of a page without and with the build. The clock and animations are stopped, so that a second run gives
 * the same pictures.
 */
export async function takePair(
  browser: Browser,
  subject: PictureSubject,
  bundle: Bundle,
  source: BrowserSource,
  input: CheckInput,
): Promise<PicturePair> {
  const { view, page, settings } = subject;
  const { html } = withoutEarlierBuild(view.html(page));
  const context = await browser.newContext({
    viewport: { width: settings.viewport.width, height: settings.viewport.height },
    ...{ bypassCSP: true, serviceWorkers: 'block', reducedMotion: 'reduce', timezoneId: 'UTC', locale: 'en-GB' },
  });
  try {
    const before = await take(context, subject, html, bundle, source, input);
    const after = await take(context, subject, withBuild(html, bundle, input.place), bundle, source, input);
    return { ...subject, before, after, difference: comparePictures(before, after) };
  } finally {
    await context.close();
  }
}

async function take(
  context: BrowserContext,
  { page, view, settings, visitor }: PictureSubject,
  html: string,
  bundle: Bundle,
  source: BrowserSource,
  input: CheckInput,
): Promise<Buffer> {
  const address = pageAddress(page);
  const tab = await context.newPage();
  try {
    await tab.route('**/*', (route) =>
      answer(route, { address, html, bundle, source, view, headers: source.headers(visitor) }),
    );
    // The clock runs from when it is installed until it is paused: it must not be past the moment by then.
    await tab.clock.install({ time: moment.getTime() - 3_600_000 });
    await tab.clock.pauseAt(moment);
    await tab.goto(address, { waitUntil: 'load', timeout: 30_000 });
    await tab.clock.runFor(1000);
    const change = settings.state === null ? undefined : input.states[settings.state];
    if (change) await applyState(tab, change);
    await tab.evaluate(() => document.fonts.ready.then(() => undefined));
    const height = await tab.evaluate(() => document.documentElement.scrollHeight);
    const clip = { x: 0, y: 0, width: settings.viewport.width, height: Math.min(height, mostHeight) };
    return await tab.screenshot({ fullPage: true, animations: 'disabled', caret: 'hide', scale: 'css', clip });
  } finally {
    await tab.close();
  }
}

/** A picture of a page that is not on any site: its HTML, and the files that it names. */
export async function takeSheet(browser: Browser, html: string, files: Map<string, Buffer>): Promise<Buffer> {
  const origin = 'http://sheet.invalid/';
  const tab = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: 'light' });
  try {
    await tab.route('**/*', (route) => {
      const name = decodeURI(route.request().url().slice(origin.length));
      if (name === '') return route.fulfill({ contentType: 'text/html; charset=utf-8', body: html });
      const body = files.get(name);
      return body ? route.fulfill({ contentType: 'image/png', body }) : route.fulfill({ status: 404, body: '' });
    });
    await tab.goto(origin);
    await tab.evaluate(() => document.querySelectorAll('img').forEach((image) => (image.loading = 'eager')));
    await tab.waitForLoadState('networkidle');
    return await tab.screenshot({ fullPage: true });
  } finally {
    await tab.close();
  }
}
