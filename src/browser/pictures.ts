import type { Browser } from 'playwright-core';
import type { Bundle } from '../core/ship/bundle.js';
import type { CheckInput } from '../core/check/input.js';
import type { PageToPicture } from '../core/before-after/pages-to-picture.js';
import { withoutEarlierBuild } from '../core/page/earlier-build.js';
import { elementPath } from '../core/page/element-path.js';
import type { Viewport } from '../core/css/cascade/media.js';
import type { PageState } from '../core/page/state.js';
import { pageAddress } from '../core/page/view.js';
import type { BoxNode } from '../core/before-after/blocks.js';
import { boxesOf, boxTree, mostElements } from './boxes.js';
import type { PictureDifference } from './compare-pictures.js';
import { PageWindow, type OpenedWindow } from './page-window.js';
import { withBuild, type BrowserSource } from './serve.js';
import { runClock, stopClock } from './page-clock.js';
import type { PictureComparer } from './picture-comparer.js';
import { applyState } from './state.js';

/** A page as it was and as it is with the build. */
export interface PicturePair extends PageToPicture {
  before: Buffer;
  after: Buffer;
  difference: PictureDifference;
  /** For each block of the difference, the rules that made it; all that change something if that is not known. */
  rulesOfBlocks: string[][];
}

/** Time for which a page runs before its picture is taken, in milliseconds of its own clock. */
const runMs = 1000;
/** Maximum height of a picture, in pixels. */
const mostHeight = 8000;

/**
 * A window of the browser in which pictures are taken, one page after the other. Clock and animations are stopped and nothing
 * is kept from page to page, so that a second run gives the same pictures, in whatever order.
 */
export class PictureWindow {
  private readonly window: PageWindow;

  constructor(
    browser: Browser,
    private readonly source: BrowserSource,
    private readonly input: CheckInput,
    timeoutMs: number,
  ) {
    const still = { reducedMotion: 'reduce', timezoneId: 'UTC', locale: 'en-GB' } as const;
    // At two or three device pixels Chromium draws some words a little differently each time.
    this.window = new PageWindow(browser, timeoutMs, { deviceScaleFactor: 1, ...still }, stopClock);
  }

  /** Takes pictures of a page without and with the build. */
  async takePair(subject: PageToPicture, bundle: Bundle): Promise<TakenPair> {
    const { view, page, acting } = subject;
    const { html } = withoutEarlierBuild(view.html(page));
    const paths = acting.map(({ elements }) => elements.map(elementPath));
    const before = await this.take(subject, { html, paths }, bundle);
    const after = await this.take(subject, { html: withBuild(html, bundle, this.input.place), paths }, bundle);
    return { before, after };
  }

  close = () => this.window.close();

  /** Takes a picture, and measures where the elements at these paths are on it. */
  private async take(
    { page, view, settings, visitor }: PageToPicture,
    { html, paths }: { html: string; paths: string[][] },
    bundle: Bundle,
  ): Promise<Taken> {
    const { source, input } = this;
    const address = pageAddress(page);
    const answering = { address, html, bundle, source, view, headers: source.headers(visitor) };
    const opened = await this.window.load(settings.viewport, answering);
    const change = settings.state === null ? null : (input.states[settings.state] ?? null);
    return this.window.answered(takePicture(opened, paths, settings.viewport, change));
  }
}

/** Takes a picture of the page that a window shows. */
async function takePicture(
  { tab, tools }: OpenedWindow,
  paths: string[][],
  { width }: Viewport,
  change: PageState | null,
): Promise<Taken> {
  await runClock(tab, runMs);
  if (change) await applyState(tab, change);
  await tab.evaluate(endAnimations);
  const flat = await tab.evaluate(boxesOf, { paths, most: mostElements });
  const clip = { x: 0, y: 0, width, height: Math.min(flat.height, mostHeight) };
  const boxes = boxTree(flat, clip);
  const { data } = await tools.send('Page.captureScreenshot', {
    ...{ format: 'png', captureBeyondViewport: true, optimizeForSpeed: true },
    clip: { ...clip, scale: 1 },
  });
  return { picture: Buffer.from(data, 'base64'), boxes };
}

/** A picture, and the elements on it. */
interface Taken {
  picture: Buffer;
  boxes: BoxNode | null;
}

/** A page's pictures without and with the build. */
export interface TakenPair {
  before: Taken;
  after: Taken;
}

/** Compares the pictures of a page, and tells the rules of each difference. */
export async function comparePair(
  subject: PageToPicture,
  { before, after }: TakenPair,
  comparer: PictureComparer,
): Promise<PicturePair> {
  const boxes = before.boxes && after.boxes && { before: before.boxes, after: after.boxes };
  const difference = await comparer.compare({ before: before.picture, after: after.picture, boxes });
  const all = subject.acting.map(({ rule }) => rule);
  // What no element of a rule accounts for may come from a script, whose elements are not known.
  const scripts = subject.acting.filter(({ elements }) => elements.length === 0).map(({ rule }) => rule);
  const rest = scripts.length > 0 ? scripts : all;
  const rulesOfBlocks = difference.blocks.map(({ kind, rules }) =>
    kind === 'moved' ? [] : rules.length > 0 ? rules.flatMap((at) => all[at] ?? []) : rest,
  );
  return { ...subject, before: before.picture, after: after.picture, difference, rulesOfBlocks };
}

/** Runs in the page: ends animations, and those that never end are gone. */
async function endAnimations(): Promise<void> {
  await document.fonts.ready;
  const caret = document.createElement('style');
  caret.textContent = '* { caret-color: transparent !important }';
  document.head?.append(caret);
  for (const animation of document.getAnimations())
    try {
      if (animation.effect?.getComputedTiming().endTime === Infinity) animation.cancel();
      else animation.finish();
    } catch {
      // One without an end cannot be ended.
    }
}

/** A picture of a page that is not on any site: its HTML, and the files that it names. */
export async function takeSheet(
  browser: Browser,
  html: string,
  file: (name: string) => Buffer | null,
): Promise<Buffer> {
  const origin = 'http://sheet.invalid/';
  const tab = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: 'light' });
  try {
    await tab.route('**/*', (route) => {
      const name = decodeURI(route.request().url().slice(origin.length));
      if (name === '') return route.fulfill({ contentType: 'text/html; charset=utf-8', body: html });
      const body = file(name);
      return body ? route.fulfill({ contentType: 'image/png', body }) : route.fulfill({ status: 404, body: '' });
    });
    await tab.goto(origin);
    await tab.evaluate(() => document.querySelectorAll('img').forEach((image) => (image.loading = 'eager')));
    await tab.evaluate(() => Promise.all([...document.images].map((image) => image.decode().catch(() => undefined))));
    return await tab.screenshot({ fullPage: true });
  } finally {
    await tab.close();
  }
}
