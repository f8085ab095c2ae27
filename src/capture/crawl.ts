import pLimit from 'p-limit';
import robotsParser from 'robots-parser';
import { readOpening } from '../core/page/opening.js';
import { normalisePath, type PathOptions } from '../core/page/path.js';
import { decodePage, looksLikeHtml } from './decode.js';
import { FetchFailure, fetchPolitely, type Fetched, type FetchOptions } from './fetch.js';
import { hashOf, type CaptureWriter } from './capture-store.js';
import { importsOf, linksOf } from './links.js';
import { readSitemap } from './sitemap.js';

// The package is CommonJS with a function as its whole export, which its types call a default.
const readRobots = robotsParser as unknown as (url: string, text: string) => Robot;
interface Robot {
  isAllowed(url: string, agent: string): boolean | undefined;
  getCrawlDelay(agent: string): number | undefined;
  getSitemaps(): string[];
}

/** What to capture, and how politely. */
export interface CrawlOptions {
  address: string;
  pathOptions: PathOptions;
  fetch: Omit<FetchOptions, 'headers'>;
  /** A visitor's cookies and headers. */
  headers: Record<string, string>;
  /** Maximum number of pages. */
  limit: number;
  /** Tests on paths: capture only these, never those. Null: all, none. */
  only: ((path: string) => boolean) | null;
  skip: ((path: string) => boolean) | null;
  /** Maximum number of requests at the same time. */
  parallel: number;
  /** Fetches a page as a browser has it after its scripts ran; null: as served. */
  render: ((url: string) => Promise<{ url: string; status: number; html: string }>) | null;
  /** Stops the run after the pages that are being fetched. */
  stop: AbortSignal;
  onPage: (event: CrawlEvent) => void;
}

/** An event for one address; reported once it is on disk. */
export interface CrawlEvent {
  kind: 'captured' | 'unchanged' | 'kept' | 'not captured';
  path: string;
  reason?: string;
  /** Pages done and pages known of, so far. */
  done: number;
  known: number;
}

/** How a run ended. */
export interface CrawlResult {
  captured: number;
  unchanged: number;
  notCaptured: number;
  /** Every page of the site was seen: there was no limit, filter, failure or interruption that left one out. */
  complete: boolean;
  gone: Set<string>;
  /** The limit cut pages off. */
  cutOff: boolean;
}

const agent = 'local-needle';
const mostSitemaps = 500;
const mostSitemapUrls = 200_000;
const longestAddress = 4000;

/**
 * Captures a site into a capture: robots.txt, then the sitemaps, then links within the site, breadth first. Throws
 * FetchFailure where the site's own address cannot be reached and nothing was captured.
 */
export async function crawl(options: CrawlOptions, writer: CaptureWriter): Promise<CrawlResult> {
  return new Crawler(options, writer).run();
}

class Crawler {
  private readonly origin: string;
  private readonly queued = new Set<string>();
  private readonly queue: string[] = [];
  private readonly styles = new Map<string, Promise<void>>();
  private readonly captured = new Map<string, { url: string; hash: string }>();
  private readonly slots;
  private robots: Robot | null = null;
  private nextStart = 0;
  private taken = 0;
  private fatal: FetchFailure | null = null;
  private readonly result: CrawlResult = {
    captured: 0,
    unchanged: 0,
    notCaptured: 0,
    complete: true,
    gone: new Set(),
    cutOff: false,
  };

  constructor(
    private readonly options: CrawlOptions,
    private readonly writer: CaptureWriter,
  ) {
    this.origin = new URL(options.address).origin;
    this.slots = pLimit(options.parallel);
  }

  async run(): Promise<CrawlResult> {
    const { address, stop } = this.options;
    await this.readRobots();
    this.enqueue(new URL(address).href, address);
    for (const url of await this.readSitemaps()) this.enqueue(url, 'a sitemap');
    const running = new Set<Promise<void>>();
    while ((this.queue.length > 0 || running.size > 0) && !stop.aborted) {
      while (this.queue.length > 0 && running.size < this.options.parallel && !stop.aborted) {
        const url = this.queue.shift() as string;
        const task: Promise<void> = this.visit(url).finally(() => running.delete(task));
        running.add(task);
      }
      if (running.size > 0) await Promise.race(running);
    }
    await Promise.all(running);
    for (let before = -1; before !== this.styles.size;) {
      before = this.styles.size;
      await Promise.all(this.styles.values());
    }
    if (stop.aborted) this.result.complete = false;
    if (this.fatal && this.captured.size === 0) throw this.fatal;
    return this.result;
  }

  /** Adds an address to the queue if it belongs to the site, is new, wanted and allowed. */
  private enqueue(url: string, from: string): void {
    let parsed: URL;
    try {
      parsed = new URL(url);
    } catch {
      return this.miss(url, `it is not a valid address (in ${from})`);
    }
    if (parsed.origin !== this.origin) {
      if (from === 'a sitemap') this.miss(url, 'it belongs to another host');
      return;
    }
    if (url.length > longestAddress)
      return this.miss(`${url.slice(0, 100)}…`, `its address is ${url.length} characters long`);
    parsed.hash = '';
    const path = normalisePath(parsed.href, this.options.pathOptions);
    if (this.queued.has(path)) return;
    if ((this.options.only && !this.options.only(path)) || this.options.skip?.(path)) {
      this.result.complete = false;
      return;
    }
    this.queued.add(path);
    if (this.robots && this.robots.isAllowed(parsed.href, agent) === false)
      return this.miss(parsed.href, 'robots.txt forbids it');
    if (this.taken >= this.options.limit) {
      this.result.cutOff = true;
      this.result.complete = false;
      return;
    }
    this.taken++;
    this.queue.push(parsed.href);
  }

  private miss(url: string, reason: string): void {
    this.result.notCaptured++;
    this.writer.append({ notCaptured: { url, reason } });
    this.tell('not captured', url, reason);
  }

  private tell(kind: CrawlEvent['kind'], path: string, reason?: string): void {
    this.options.onPage({ kind, path, reason, done: this.captured.size, known: this.queued.size });
  }

  /** Waits for the crawl delay of robots.txt between two requests. */
  private async pause(): Promise<void> {
    const delay = Math.min(this.robots?.getCrawlDelay(agent) ?? 0, 10) * 1000;
    const start = Math.max(Date.now(), this.nextStart);
    this.nextStart = start + delay;
    if (start > Date.now()) await new Promise((resolve) => setTimeout(resolve, start - Date.now()));
  }

  private get(
    url: string,
    headers: Record<string, string> = {},
    wanted?: (headers: Headers) => boolean,
  ): Promise<Fetched> {
    const options = { ...this.options.fetch, headers: (at: URL) => ({ ...this.headersFor(at), ...headers }) };
    return fetchPolitely(url, options, (next) => next.origin === this.origin, wanted);
  }

  /** A visitor's cookies and headers go to the site itself and to no other host. */
  private readonly headersFor = (url: URL): Record<string, string> => {
    const own = { 'user-agent': agent };
    return url.origin === this.origin ? { ...own, ...this.options.headers } : own;
  };

  private async readRobots(): Promise<void> {
    const url = `${this.origin}/robots.txt`;
    try {
      const { status, body } = await this.get(url);
      if (status === 200) this.robots = readRobots(url, new TextDecoder().decode(body.subarray(0, 512 * 1024)));
    } catch (error) {
      // If the site cannot be reached, fetching its first page reports that. A site without robots.txt allows
      // everything.
      if (!(error instanceof FetchFailure)) throw error;
    }
  }

  /** The pages that the sitemaps list: those that robots.txt names, or else /sitemap.xml. */
  private async readSitemaps(): Promise<string[]> {
    const named = this.robots?.getSitemaps() ?? [];
    const waiting = named.length > 0 ? [...named] : [`${this.origin}/sitemap.xml`];
    const seen = new Set<string>();
    const pages: string[] = [];
    while (
      waiting.length > 0 &&
      seen.size < mostSitemaps &&
      pages.length < mostSitemapUrls &&
      !this.options.stop.aborted
    ) {
      const url = waiting.shift() as string;
      if (seen.has(url)) continue;
      seen.add(url);
      try {
        if (new URL(url).origin !== this.origin) throw new Error('it belongs to another host');
        const { status, body } = await this.get(url);
        if (status !== 200) {
          if (named.length > 0) throw new Error(`the server answered ${status}`);
          continue;
        }
        const sitemap = readSitemap(body);
        for (const each of sitemap.pages) pages.push(each);
        waiting.push(...sitemap.sitemaps);
      } catch (error) {
        this.miss(url, `the sitemap cannot be read: ${(error as Error).message}`);
      }
    }
    return pages;
  }

  private async visit(url: string): Promise<void> {
    const path = normalisePath(url, this.options.pathOptions);
    const done = this.writer.earlier?.unfinished?.has(path) ? this.writer.earlier.pages.get(path) : undefined;
    if (done) {
      // The interrupted run captured it; follow its links.
      this.captured.set(path, { url: done.url, hash: done.hash });
      this.result.unchanged++;
      this.tell('kept', path);
      return this.followStored(path);
    }
    try {
      await this.pause();
      await (this.options.render ? this.captureRendered(url, path) : this.captureServed(url, path));
    } catch (error) {
      if (!(error instanceof FetchFailure)) throw error;
      if (error.leadsTo === undefined || new URL(error.leadsTo).origin === this.origin) this.result.complete = false;
      if (url === new URL(this.options.address).href) this.fatal = error;
      this.miss(url, error.message);
    }
  }

  private async captureServed(url: string, path: string): Promise<void> {
    const known = this.writer.earlier?.pages.get(path);
    const conditional: Record<string, string> =
      known && this.writer.hasFile(known)
        ? {
            ...(known.etag ? { 'if-none-match': known.etag } : {}),
            ...(known.modified ? { 'if-modified-since': known.modified } : {}),
          }
        : {};
    const answer = await this.get(url, conditional, (headers) =>
      /html/i.test(headers.get('content-type') ?? 'text/html'),
    );
    const final = normalisePath(answer.url, this.options.pathOptions);
    const type = answer.headers.get('content-type') ?? '';
    if (answer.status === 304 && known && final === path) {
      this.writer.append({ page: known });
      this.captured.set(path, { url: known.url, hash: known.hash });
      this.result.unchanged++;
      this.tell('unchanged', path);
      return this.followStored(path);
    }
    if (answer.status === 404 || answer.status === 410) {
      this.result.gone.add(path);
      return this.miss(url, `the server answered ${answer.status}: there is no such page`);
    }
    if (answer.status !== 200) {
      this.result.complete = false;
      return this.miss(url, `the server answered ${answer.status}`);
    }
    if (!/html/i.test(type || 'html') || !looksLikeHtml(answer.body)) return;
    const charset = /charset\s*=\s*"?([^\s;"]+)/i.exec(type)?.[1];
    const { html } = decodePage(answer.body, charset);
    await this.keep(final, answer.url, html, answer.body, {
      charset,
      etag: answer.headers.get('etag') ?? undefined,
      modified: answer.headers.get('last-modified') ?? undefined,
      csp: answer.headers.get('content-security-policy') ?? undefined,
    });
  }

  private async captureRendered(url: string, path: string): Promise<void> {
    const render = this.options.render as NonNullable<CrawlOptions['render']>;
    const {
      status,
      html,
      url: final,
    } = await render(url).catch((error: Error) => {
      throw new FetchFailure(`Chromium could not load it: ${error.message.split('\n', 1)[0]}`);
    });
    if (status >= 400) {
      if (status === 404 || status === 410) this.result.gone.add(path);
      else this.result.complete = false;
      return this.miss(url, `the server answered ${status}`);
    }
    if (new URL(final).origin !== this.origin)
      return this.miss(url, `it redirects to ${final.slice(0, 200)}, which is not followed`);
    await this.keep(normalisePath(final, this.options.pathOptions), final, html, new TextEncoder().encode(html), {
      charset: 'utf-8',
    });
  }

  /** Stores a page, reports it, then follows its links. */
  private async keep(
    path: string,
    url: string,
    html: string,
    bytes: Uint8Array,
    headers: { charset?: string; etag?: string; modified?: string; csp?: string },
  ): Promise<void> {
    const other = this.captured.get(path);
    if (other) {
      if (other.hash !== hashOf(bytes))
        this.miss(url, `it has the same path as ${other.url} (${path}) but different content; the first one is used`);
      return;
    }
    this.captured.set(path, { url, hash: hashOf(bytes) });
    this.queued.add(path);
    const links = linksOf(html, url);
    const { title, body } = readOpening(html);
    this.writer.page({ path, url, title, body: Object.fromEntries(body), styles: links.styles, ...headers }, bytes);
    this.result.captured++;
    this.tell('captured', path);
    this.follow(links);
  }

  private follow(links: { pages: string[]; styles: string[] }): void {
    for (const next of links.pages) this.enqueue(next, 'a page');
    for (const style of links.styles) void this.captureStyle(style, 0);
  }

  private followStored(path: string): void {
    const stored = this.writer.earlier?.pages.get(path);
    if (stored) this.follow(linksOf(this.writer.text(stored), stored.url));
  }

  /** Captures a stylesheet and what it imports, each once, from other hosts too. */
  private captureStyle(url: string, depth: number): Promise<void> {
    const known = this.styles.get(url);
    if (known) return known;
    const task = this.slots(async () => {
      try {
        const answer = await fetchPolitely(url, { ...this.options.fetch, headers: this.headersFor }, () => true);
        if (answer.status !== 200)
          return this.miss(url, `the stylesheet could not be fetched: the server answered ${answer.status}`);
        const charset = /charset\s*=\s*"?([^\s;"]+)/i.exec(answer.headers.get('content-type') ?? '')?.[1];
        const imports = importsOf(new TextDecoder().decode(answer.body), answer.url);
        this.writer.style({ url, charset, imports }, answer.body);
        if (depth < 10) for (const each of imports) void this.captureStyle(each, depth + 1);
      } catch (error) {
        if (!(error instanceof FetchFailure)) throw error;
        this.miss(url, `the stylesheet could not be fetched: ${error.message}`);
      }
    });
    this.styles.set(url, task);
    return task;
  }
}
