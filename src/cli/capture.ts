import { crawl, fetchPage, type CrawlEvent, type CrawlOptions } from '../capture/crawl.js';
import { defaultFetchOptions, FetchFailure } from '../capture/fetch.js';
import { captureFolder, CaptureWriter, readCapture } from '../capture/capture-store.js';
import type { Viewport } from '../core/css/cascade/media.js';
import type { CaptureHeader } from '../capture/stored.js';
import { isPrivateHost } from '../capture/private-host.js';
import { SessionEnded, SessionWatch } from '../capture/session-watch.js';
import { selectorFault } from '../core/css/selector.js';
import { isPathPattern, normalisePath, pathPattern } from '../core/page/path.js';
import { ProblemError } from '../core/place.js';
import { CannotBeWritten } from '../disk/system-reason.js';
import { findProject, loadSettings } from '../project/settings.js';
import { chosenSite, type Settings, type SiteSource } from '../project/read-configuration.js';
import { requestHeaders } from '../project/visitor.js';
import { leftOutText, nothingCaptured, sessionProblem } from './capture-text.js';
import { count, printable } from '../report/text.js';
import { defineCommand, type ArgumentsOf, siteByName, status } from './command.js';
import { progressBar } from './progress.js';
import { today } from '../app/call.js';
import { openSite } from '../app/sites.js';

/** A test for the paths in an option's value, literal or patterns. Throws ProblemError. */
function pathTest(option: string, patterns: string[] | undefined): ((path: string) => boolean) | null {
  if (!patterns || patterns.length === 0) return null;
  const tests = patterns.map((text) => {
    try {
      return isPathPattern(text)
        ? pathPattern(text)
        : (
            (path) => (other: string) =>
              other === path
          )(normalisePath(text));
    } catch {
      throw new ProblemError([
        { message: `${option} "${text}" is not a valid path pattern`, hint: `Write it as ${option} "/winter/*".` },
      ]);
    }
  });
  return (path) => tests.some((test) => test(path));
}

const positionals = {
  ...siteByName.positionals,
  addresses: {
    type: 'string',
    array: true,
    describe: 'Capture these addresses of the site and no others, such as /search?q=boat',
  },
} as const;

const options = {
  visitor: {
    type: 'string',
    describe: 'Visitor of local-needle.yaml; stored apart from the public pages',
  },
  limit: { type: 'number', default: 10_000, describe: 'Maximum number of pages' },
  only: { type: 'string', array: true, describe: 'Capture only pages whose path matches' },
  skip: { type: 'string', array: true, describe: 'Skip pages whose path matches' },
  parallel: { type: 'number', default: 4, describe: 'Maximum number of requests at the same time' },
  timeout: { type: 'number', default: 30, describe: 'Timeout of a request, and of a page in Chromium, in seconds' },
  rendered: {
    type: 'boolean',
    default: false,
    describe: 'Capture the pages after their scripts have run, in Chromium',
  },
  refetch: { type: 'boolean', default: false, describe: 'Fetch every page again, even if it has not changed' },
} as const;

type CaptureArguments = ArgumentsOf<typeof positionals, typeof options>;

export const command = defineCommand<CaptureArguments>({
  positionals,
  options,
  examples: [
    ['$0 capture live', 'every page in the sitemaps and links'],
    ['$0 capture live --only "/winter{/*}?" --limit 50', 'a part of it'],
    ['$0 capture live "/search?q=boat"', 'a page that nothing links to'],
    ['$0 capture live --visitor member', 'as a member sees it'],
  ],
  async run(args, { out, log }) {
    const directory = findProject(args.project, process.cwd());
    const settings = loadSettings(directory);
    // Of the first site the name may be left out.
    const isAddress = args.name !== undefined && /^(\/|https?:)/.test(args.name);
    const source = chosenSite(settings, (isAddress ? undefined : args.name) ?? args.site);
    if (source.from.kind !== 'address') {
      const { site } = openSite(directory, settings, source);
      out(
        `${source.name}: ${count(site.pages.length, 'page')} in ${source.from.where}. A ${source.from.kind === 'har' ? 'recording' : 'folder'} is read again each time, so there is nothing to capture.`,
      );
      return status.fine;
    }
    if (!(args.limit >= 1) || !(args.parallel >= 1))
      throw new ProblemError([{ message: '--limit and --parallel must be at least 1' }]);
    const visitor = args.visitor ?? null;
    const headers = requestHeaders(settings, source, visitor, process.env);
    const folder = captureFolder(directory, source.name, visitor);
    const address = source.from.where;
    const addresses = [...(isAddress ? [args.name ?? ''] : []), ...(args.addresses ?? [])];
    for (const each of [...addresses, ...source.alsoCapture]) requireOwnAddress(each, address);
    const options = {
      address,
      pathOptions: source.pathOptions,
      fetch: { ...defaultFetchOptions, timeoutMs: args.timeout * 1000 },
      headers,
      limit: args.limit,
      only: pathTest('--only', args.only),
      skip: pathTest('skip', [...(args.skip ?? []), ...source.skip]),
      follow: pathTest('follow', source.follow),
      also: addresses.length > 0 ? addresses : source.alsoCapture,
      alsoOnly: addresses.length > 0,
      acceptStatus: source.acceptStatus,
      alsoHosts: source.alsoHosts,
      isPrivate: isPrivateHost,
      parallel: args.parallel,
    };
    const watch = visitor === null ? null : watchFor(settings, source, visitor, options);
    const header: CaptureHeader = {
      capture: 1,
      site: source.name,
      visitor,
      address: new URL(address).origin,
      rendered: args.rendered,
      day: today(),
    };
    const earlier = args.refetch ? null : readCapture(folder);
    if (earlier?.unfinished)
      log(`Continuing a run that was interrupted after ${count(earlier.unfinished.size, 'page')}.`);
    const writer = new CaptureWriter(folder, header, earlier);
    const renderer = args.rendered
      ? await startRendering(address, headers, args.timeout * 1000, settings.viewports[0])
      : null;
    const stop = new AbortController();
    const interrupted = () => stop.abort();
    process.once('SIGINT', interrupted);
    const show = progress(log);
    let hasStopped = false;
    try {
      const result = await crawl(
        { ...options, watch, render: renderer?.render ?? null, stop: stop.signal, onPage: show.page },
        writer,
      );
      show.end();
      if (stop.signal.aborted) {
        writer.interrupt();
        hasStopped = true;
        log(`Interrupted. The captured pages are kept; run the same command again to continue.`);
        return status.access;
      }
      const { sameAsGuest = false } = (await watch?.finish()) ?? {};
      if (result.captured + result.unchanged === 0) throw nothingCaptured(source, visitor, result);
      hasStopped = true;
      const capture = writer.finish(result.complete, result.gone);
      out(
        `${source.name}${visitor ? ` as ${visitor}` : ''}: ${count(capture.pages.size, 'page')} and ${count(capture.styles.size, 'stylesheet')} (${result.captured} captured, ${result.unchanged} unchanged, ${result.notCaptured} not captured)`,
      );
      for (const line of leftOutText(result, capture, source, args.limit)) out(line);
      if (sameAsGuest)
        out(
          `  ${address} is the same for ${visitor} as for a guest. If that is wrong, check the cookies and headers of visitors.${visitor}.`,
        );
      if (addresses.length > 0)
        out(
          `  A capture of the whole site drops these pages unless they are linked or listed: also-capture: [${addresses.map((each) => JSON.stringify(each)).join(', ')}]`,
        );
      out(`  in ${folder}`);
      return status.fine;
    } catch (error) {
      show.end();
      // What was captured is kept for the next run, unless it is mixed, or there is nothing.
      const isEmpty = error instanceof FetchFailure || error instanceof ProblemError;
      const isKept = earlier?.unfinished || error instanceof CannotBeWritten;
      if (!hasStopped && (error instanceof SessionEnded || (isEmpty && !isKept))) writer.discard();
      else if (!hasStopped) writer.interrupt();
      if (error instanceof SessionEnded) throw sessionProblem(visitor ?? '', source.name, error);
      if (!(error instanceof FetchFailure)) throw error;
      throw new ProblemError(
        [
          {
            message: `${address} cannot be reached: ${error.message}`,
            hint: `The pages captured before were not changed. Check the address of "${source.name}" in local-needle.yaml.`,
          },
        ],
        'access',
      );
    } finally {
      process.off('SIGINT', interrupted);
      await renderer?.close();
    }
  },
});

/** Throws ProblemError for an address that lies on another host, or names a user and password. */
function requireOwnAddress(text: string, site: string): void {
  const url = URL.canParse(text, site) ? new URL(text, site) : null;
  if (url && url.username === '' && url.origin === new URL(site).origin) return;
  throw new ProblemError([
    url && url.username !== ''
      ? { message: 'An address must not contain a user name or password', hint: 'Use headers: of the site instead.' }
      : { message: `"${text}" is not an address of ${new URL(site).origin}`, hint: 'Write it as /search?q=boat.' },
  ]);
}

/** What notices the end of a visitor's session. Throws ProblemError if the visitor's marker is not a selector. */
function watchFor(
  settings: Settings,
  source: SiteSource,
  visitor: string,
  options: Pick<CrawlOptions, 'fetch' | 'headers' | 'address'>,
): SessionWatch {
  const marker = settings.visitors[visitor]?.marker;
  const fault = marker === undefined ? null : selectorFault(marker);
  if (fault)
    throw new ProblemError([
      {
        message: `marker of the visitor "${visitor}": ${fault.message}`,
        hint: fault.hint,
        at: settings.placeOf(['visitors', visitor, 'marker']),
      },
    ]);
  const guest = requestHeaders(settings, source, null, process.env);
  return new SessionWatch(marker, (address, as) =>
    fetchPage(address, options.fetch, as === 'guest' ? guest : options.headers),
  );
}

async function startRendering(
  address: string,
  headers: Record<string, string>,
  timeoutMs: number,
  viewport: Viewport = { name: 'desktop', width: 1280, height: 800 },
) {
  const { startRenderer } = await import('../browser/render.js');
  return startRenderer(address, headers, viewport, isPrivateHost, timeoutMs);
}

/** A bar on a terminal (what could not be captured is listed at the end), a line for each page elsewhere. */
function progress(log: (text: string) => void): { page: (event: CrawlEvent) => void; end: () => void } {
  const bar = progressBar('pages', 1);
  if (!bar) {
    return {
      page: ({ kind, path, reason }) => log(`${kind} ${printable(path)}${reason ? `: ${printable(reason)}` : ''}`),
      end: () => undefined,
    };
  }
  return {
    page({ path, done, known }) {
      bar.setTotal(known);
      bar.update(done, { path: printable(path).slice(0, 50) });
    },
    end: () => bar.stop(),
  };
}
