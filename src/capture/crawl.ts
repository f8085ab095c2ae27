import pLimit from 'p-limit';
import robotsParser from 'robots-parser';
import { readOpening } from '../core/page/opening.js';
import { normalisePath, type PathOptions } from '../core/page/path.js';
import { decodePage, looksLikeHtml } from './decode.js';
import { FetchFailure, fetchPolitely, type Fetched, type FetchOptions } from './fetch.js';
import { hashOf, type CaptureWriter } from './capture-store.js';
import { importsOf, linksOf, type PageLinks } from './links.js';
import { QueryDifferences, type UsedQueryKey } from './query-differences.js';
import { isSignIn, SessionEnded, type ServedPage, type SessionWatch } from './session-watch.js';
import { readSitemap } from './sitemap.js';
import { unsafeAddress } from './unsafe-links.js';

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
  /** Cookies and headers of the site and of a visitor. */
  headers: Record<string, string>;
  /** Maximum number of pages. */
  limit: number;
  /** Tests on paths: capture only these, never those. Null: all, none. */
  only: ((path: string) => boolean) | null;
  skip: ((path: string) => boolean) | null;
  /** Paths whose links are followed although they look as if they did something. */
  follow: ((path: string) => boolean) | null;
  /** Further addresses, whatever links to them. */
  also: string[];
  /** Captures the addresses of `also` and nothing else. */
  alsoOnly: boolean;
  /** Statuses besides 200 whose answers are captured as pages. */
  acceptStatus: number[];
  /** Hosts in private networks that a public site's stylesheets may come from. */
  alsoHosts: string[];
  /** Whether a host is in a private network. */
  isPrivate: (hostname: string) => Promise<boolean>;
  /** Notices the end of a visitor's session; null for everybody's pages. */
  watch: SessionWatch | null;
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
  /** Links that were not followed, by path, with the reason. */
  notFollowed: Map<string, string>;
  /** Query parameters that are no part of paths. */
  queryKeys: UsedQueryKey[];
  /** A 401 or 403 of the site's own address. */
  refused: number | null;
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
  private readonly running = new Set<Promise<void>>();
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
    notFollowed: new Map(),
    queryKeys: [],
    refused: null,
  };
  private readonly queries: QueryDifferences;
  private ended: SessionEnded | null = null;

  constructor(
    private readonly options: CrawlOptions,
    private readonly writer: CaptureWriter,
  ) {
    this.origin = new URL(options.address).origin;
    this.slots = pLimit(options.parallel);
    this.queries = new QueryDifferences(options.pathOptions.queryKeys ?? []);
  }

  async run(): Promise<CrawlResult> {
    try {
      return await this.crawl();
    } catch (error) {
      // What is under way ends before its caller closes the journal.
      await Promise.allSettled([...this.running, ...this.styles.values()]);
      throw error;
    }
  }

  private async crawl(): Promise<CrawlResult> {
    const { address, stop } = this.options;
    await this.readRobots();
    const { also, alsoOnly } = this.options;
    if (!alsoOnly) this.enqueue(new URL(address).href, address);
    for (const url of also) this.enqueue(new URL(url, address).href, 'also-capture');
    if (!alsoOnly) for (const url of await this.readSitemaps()) this.enqueue(url, 'a sitemap');
    const { running } = this;
    const isDone = () => stop.aborted || this.ended !== null;
    // The first page shows whether a session is valid, before other requests are made.
    const parallel = () => (this.options.watch && this.captured.size === 0 ? 1 : this.options.parallel);
    while ((this.queue.length > 0 || running.size > 0) && !isDone()) {
      while (this.queue.length > 0 && running.size < parallel() && !isDone()) {
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
    if (stop.aborted || alsoOnly) this.result.complete = false;
    if (this.ended) throw this.ended;
    if (!stop.aborted) this.result.queryKeys = await this.queries.find((url) => this.textOf(url));
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
    if (this.queued.has(path)) {
      if (parsed.search !== '' && this.isAllowed(parsed.href)) this.queries.note(parsed);
      return;
    }
    const isNamed = from === 'also-capture' || from === this.options.address || this.options.follow?.(path) === true;
    const unsafe = isNamed ? null : unsafeAddress(parsed.href, this.hasSession);
    if (unsafe !== null) return this.leave(path, unsafe);
    if ((this.options.only && !this.options.only(path)) || this.options.skip?.(path)) {
      this.result.complete = false;
      return;
    }
    this.queued.add(path);
    if (!this.isAllowed(parsed.href)) return this.miss(parsed.href, 'robots.txt forbids it');
    if (this.taken >= this.options.limit) {
      this.result.cutOff = true;
      this.result.complete = false;
      return;
    }
    this.taken++;
    this.queue.push(parsed.href);
  }

  /** A public site must not make this machine ask its own network. */
  private readonly refuses = async ({ origin, host, hostname }: URL): Promise<string | null> => {
    const { alsoHosts, isPrivate, address } = this.options;
    if (origin === this.origin || alsoHosts.includes(host) || alsoHosts.includes(hostname)) return null;
    if (!(await isPrivate(hostname)) || (await isPrivate(new URL(address).hostname))) return null;
    return `${host} is in a private network (also-hosts in local-needle.yaml allows it)`;
  };

  private readonly isAllowed = (url: string) => this.robots?.isAllowed(url, agent) !== false;

  private get hasSession(): boolean {
    return this.options.watch !== null;
  }

  /** Notes a link that is not followed because of what it would do. */
  private leave(path: string, reason: string): void {
    this.result.notFollowed.set(path, reason);
  }

  /** The HTML at an address of the site; null if there is no page. */
  private async textOf(url: string): Promise<string | null> {
    if (!this.isAllowed(url) || unsafeAddress(url, this.hasSession) !== null) return null;
    try {
      await this.pause();
      const { status, body, headers } = await this.get(url);
      return status === 200 && looksLikeHtml(body) ? decodePage(body, charsetOf(headers)).html : null;
    } catch (error) {
      if (error instanceof FetchFailure) return null;
      throw error;
    }
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
      if (error instanceof SessionEnded) {
        this.ended ??= error;
        return;
      }
      if (!(error instanceof FetchFailure)) throw error;
      if (error.leadsTo && isSignIn(error.leadsTo) && this.options.watch && !isSignIn(url)) {
        try {
          await this.options.watch.redirected(url, error.leadsTo);
        } catch (ended) {
          if (!(ended instanceof SessionEnded)) throw ended;
          this.ended ??= ended;
          return;
        }
      }
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
    if (!this.isPage(answer.status, url, path)) return;
    if (!/html/i.test(type || 'html') || !looksLikeHtml(answer.body)) return;
    const charset = charsetOf(answer.headers);
    const { html } = decodePage(answer.body, charset);
    const closed = await this.options.watch?.see(url, { url: answer.url, status: answer.status, html });
    if (closed) return this.miss(url, closed);
    if (this.ended) return;
    await this.keep(final, answer.url, html, answer.body, {
      charset,
      etag: answer.headers.get('etag') ?? undefined,
      modified: answer.headers.get('last-modified') ?? undefined,
      csp: answer.headers.get('content-security-policy') ?? undefined,
    });
  }

  /** Whether an answer of this status is a page; else the address is noted as not captured. */
  private isPage(status: number, url: string, path: string): boolean {
    if (status === 200 || this.options.acceptStatus.includes(status)) return true;
    if (status === 404 || status === 410) {
      this.result.gone.add(path);
      this.miss(url, `the server answered ${status}: there is no such page`);
      return false;
    }
    if ((status === 401 || status === 403) && url === new URL(this.options.address).href) this.result.refused = status;
    this.result.complete = false;
    this.miss(url, `the server answered ${status}`);
    return false;
  }

  private async captureRendered(url: string, path: string): Promise<void> {
    const render = this.options.render as NonNullable<CrawlOptions['render']>;
    const {
      status,
      html,
      url: final,
    } = await render(url).catch((error: Error) => {
      throw new FetchFailure(`Chromium could not capture it: ${error.message.split('\n', 1)[0]}`);
    });
    if (status >= 300 && !this.isPage(status, url, path)) return;
    if (new URL(final).origin !== this.origin)
      throw new FetchFailure(`it redirects to ${final.slice(0, 200)}, which is not followed`, final);
    const closed = await this.options.watch?.see(url, { url: final, status, html });
    if (closed) return this.miss(url, closed);
    if (this.ended) return;
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

  private follow(links: PageLinks): void {
    if (!this.options.alsoOnly) {
      for (const next of links.pages) this.enqueue(next, 'a page');
      for (const [next, why] of links.unsafe) this.enqueueUnsafe(next, why);
    }
    for (const style of links.styles) void this.captureStyle(style, 0);
  }

  private enqueueUnsafe(url: string, why: string): void {
    if (new URL(url).origin !== this.origin) return;
    const path = normalisePath(url, this.options.pathOptions);
    if (this.options.follow?.(path)) this.enqueue(url, 'a page');
    else this.leave(path, why);
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
        const answer = await fetchPolitely(
          url,
          { ...this.options.fetch, headers: this.headersFor, refuses: this.refuses },
          () => true,
        );
        if (answer.status !== 200)
          return this.miss(url, `the stylesheet could not be fetched: the server answered ${answer.status}`);
        const charset = charsetOf(answer.headers);
        const imports = importsOf(new TextDecoder().decode(answer.body), answer.url);
        this.writer.style({ url, charset, imports }, answer.body);
        if (depth < 10) for (const each of imports) void this.captureStyle(each, depth + 1);
      } catch (error) {
        if (!(error instanceof FetchFailure)) throw error;
        this.miss(url, `the stylesheet could not be fetched: ${error.message}`);
      }
    });
    // Whoever waits for all stylesheets is told of a full disk; until then nobody waits for this one.
    task.catch(() => undefined);
    this.styles.set(url, task);
    return task;
  }
}

/** The character set that a Content-Type header names. */
const charsetOf = (headers: Headers) => /charset\s*=\s*"?([^\s;"]+)/i.exec(headers.get('content-type') ?? '')?.[1];

/** A page as it is served with these headers, redirects on its host followed; null if it cannot be fetched. */
export async function fetchPage(
  address: string,
  options: Omit<FetchOptions, 'headers'>,
  headers: Record<string, string>,
): Promise<ServedPage | null> {
  const { origin } = new URL(address);
  try {
    const own = { ...options, retries: 1, headers: () => ({ 'user-agent': agent, ...headers }) };
    const { url, status, body, headers: got } = await fetchPolitely(address, own, (next) => next.origin === origin);
    return { url, status, html: decodePage(body, charsetOf(got)).html };
  } catch (error) {
    if (error instanceof FetchFailure) return null;
    throw error;
  }
}
