import pTimeout from 'p-timeout';
import type { Browser, BrowserContextOptions, CDPSession, Page as BrowserPage } from 'playwright-core';
import type { Viewport } from '../core/css/cascade/media.js';
import { contextFor, setMedium } from './look.js';
import { answer, type Answering } from './serve.js';
import { answeredWithin, loadedWithin } from './time-limits.js';

/** How long a page may take to be left, in milliseconds. */
const leaveMs = 2000;

/** A page that could not be looked at. */
export interface FailedPage {
  path: string;
  /** What kept it, as the end of a sentence. */
  reason: string;
}

/** Why a page could not be looked at: the first line of what the browser said. */
export const reasonOf = (error: unknown): string =>
  (error instanceof Error ? error.message : String(error)).split('\n', 1)[0] ?? '';

/** An open window. */
export interface OpenedWindow {
  tab: BrowserPage;
  tools: CDPSession;
}

/**
 * A window of the browser that shows one page after the other, each as on a first visit: opening a window takes longer than
 * most pages.
 */
export class PageWindow {
  private opened: (OpenedWindow & { viewport: Viewport }) | null = null;
  /** What the page that is being shown gets. */
  private answering: Answering | null = null;

  /**
   * `timeoutMs`: how long a page may take to load, and then for each answer. `prepare` is called with each tab before its first
   * page.
   */
  constructor(
    private readonly browser: Browser,
    private readonly timeoutMs: number,
    private readonly options: BrowserContextOptions,
    private readonly prepare: (tab: BrowserPage) => Promise<void> = () => Promise.resolve(),
  ) {}

  /**
   * Loads a page at a viewport; throws where it does not load in time. After an error close the window: what the page has done to
   * it must not reach the next one.
   */
  async load(viewport: Viewport, answering: Answering): Promise<OpenedWindow> {
    if (this.opened?.viewport === viewport) await this.leave(this.opened);
    const opened = await this.windowFor(viewport);
    this.answering = answering;
    await loadedWithin(this.timeoutMs, opened.tab.goto(answering.address, { waitUntil: 'load', timeout: 0 }));
    return opened;
  }

  /** Waits for what the page that is shown was asked; rejects where its scripts keep it from answering in time. */
  answered<T>(asked: Promise<T>): Promise<T> {
    return answeredWithin(this.timeoutMs, asked);
  }

  /** Removes what the page that is shown keeps in the browser. Where it does not let itself be left, the window is closed. */
  private async leave({ tab, tools }: OpenedWindow): Promise<void> {
    const origins = new Set(tab.frames().flatMap((frame) => /^https?:\/\/[^/]+/.exec(frame.url()) ?? []));
    const clear = async () => {
      // Its scripts end here; else they could keep something again.
      await tab.goto('about:blank');
      await Promise.all([
        tab.context().clearCookies(),
        ...[...origins].map((origin) => tools.send('Storage.clearDataForOrigin', { origin, storageTypes: 'all' })),
        tab.evaluate(() => (window.name = '')),
      ]);
    };
    const isLeft = clear().then(
      () => true,
      () => false,
    );
    if (!(await pTimeout(isLeft, { milliseconds: leaveMs, fallback: () => false }))) await this.close();
  }

  async close(): Promise<void> {
    await this.opened?.tab.context().close();
    this.opened = null;
  }

  private async windowFor(viewport: Viewport) {
    if (this.opened?.viewport === viewport) return this.opened;
    await this.close();
    const context = await this.browser.newContext({
      ...contextFor(viewport),
      ...{ bypassCSP: true, serviceWorkers: 'block' },
      ...this.options,
    });
    const tab = await context.newPage();
    await setMedium(tab, viewport);
    await this.prepare(tab);
    tab.on('dialog', (dialog) => void dialog.accept().catch(() => undefined));
    await tab.route('**/*', (route) => (this.answering ? answer(route, this.answering) : route.abort()));
    // What a page opens in a window of its own gets nothing.
    await context.route('**/*', (route) => route.abort());
    context.on('page', (other) => void other.close().catch(() => undefined));
    return (this.opened = { viewport, tab, tools: await context.newCDPSession(tab) });
  }
}
