import { contextFor, setMedium } from './look.js';
import type { Browser, BrowserContext } from 'playwright-core';
import type { Bundle } from '../core/ship/bundle.js';
import type { CheckInput } from '../core/check/input.js';
import type { PageToPicture } from '../core/before-after/pages-to-picture.js';
import { withoutEarlierBuild } from '../core/page/earlier-build.js';
import { elementPath } from '../core/page/element-path.js';
import { pageAddress } from '../core/page/view.js';
import { comparePictures, type PictureDifference, type Region } from './compare-pictures.js';
import { answer, withBuild, type BrowserSource } from './serve.js';
import { applyState } from './state.js';

/** A page as it was and as it is with the build. */
export interface PicturePair extends PageToPicture {
  before: Buffer;
  after: Buffer;
  difference: PictureDifference;
  /** The rules that change something on the page. */
  actors: string[];
  /** For each region of the difference, the rules that change an element there; all of them if none does. */
  rulesOfRegions: string[][];
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
  subject: PageToPicture,
  bundle: Bundle,
  source: BrowserSource,
  input: CheckInput,
): Promise<PicturePair> {
  const { view, page, settings } = subject;
  const { html } = withoutEarlierBuild(view.html(page));
  const context = await browser.newContext({
    ...contextFor(settings.viewport),
    // At two or three Chromium draws some words a little differently each time.
    deviceScaleFactor: 1,
    ...{ bypassCSP: true, serviceWorkers: 'block', reducedMotion: 'reduce', timezoneId: 'UTC', locale: 'en-GB' },
  });
  try {
    const acting = subject.acting().map(({ rule, elements }) => ({ rule, paths: elements.map(elementPath) }));
    const paths = acting.map((each) => each.paths);
    const before = await take(context, subject, { html, paths }, bundle, source, input);
    const built = { html: withBuild(html, bundle, input.place), paths };
    const after = await take(context, subject, built, bundle, source, input);
    const difference = comparePictures(before.picture, after.picture);
    const actors = acting.map(({ rule }) => rule);
    const rulesOfRegions = difference.regions.map((region) => {
      const there = actors.filter((_rule, index) =>
        [before, after].some(({ boxes }) => boxes[index]?.some((box) => overlaps(box, region))),
      );
      return there.length > 0 ? there : actors;
    });
    return { ...subject, before: before.picture, after: after.picture, difference, actors, rulesOfRegions };
  } finally {
    await context.close();
  }
}

const overlaps = (one: Region, other: Region) =>
  one.x < other.x + other.width &&
  other.x < one.x + one.width &&
  one.y < other.y + other.height &&
  other.y < one.y + one.height;

/** Takes a picture, and measures where the elements at these paths are on it. */
async function take(
  context: BrowserContext,
  { page, view, settings, visitor }: PageToPicture,
  { html, paths }: { html: string; paths: string[][] },
  bundle: Bundle,
  source: BrowserSource,
  input: CheckInput,
): Promise<{ picture: Buffer; boxes: Region[][] }> {
  const address = pageAddress(page);
  const tab = await context.newPage();
  try {
    await setMedium(tab, settings.viewport);
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
    const boxes = await tab.evaluate(boxesOf, paths);
    const picture = await tab.screenshot({ fullPage: true, animations: 'disabled', caret: 'hide', scale: 'css', clip });
    return { picture, boxes };
  } finally {
    await tab.close();
  }
}

/** Runs in the page: where the elements at these paths are. Must not use anything from outside itself. */
function boxesOf(paths: string[][]): Region[][] {
  return paths.map((list) =>
    list.flatMap((path) => {
      const element = document.querySelector(path);
      if (!element) return [];
      const { left, top, width, height } = element.getBoundingClientRect();
      return width > 0 && height > 0 ? [{ x: left + scrollX, y: top + scrollY, width, height }] : [];
    }),
  );
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
