import { crawl, type CrawlEvent } from '../capture/crawl.js';
import { defaultFetchOptions, FetchFailure } from '../capture/fetch.js';
import { captureFolder, CaptureWriter, readCapture, type CaptureHeader } from '../capture/capture-store.js';
import { isPathPattern, normalisePath, pathPattern } from '../core/page/path.js';
import { ProblemError } from '../core/place.js';
import { findProject, loadSettings } from '../project/settings.js';
import { chosenSite } from '../project/read-configuration.js';
import { visitorHeaders } from '../project/visitor.js';
import { count, printable } from '../report/text.js';
import { defineCommand, type ArgumentsOf, siteByName, status } from './command.js';
import { progressBar } from './progress.js';
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
        { message: `--${option} "${text}" is not a valid path pattern`, hint: `Write it as --${option} "/winter/*".` },
      ]);
    }
  });
  return (path) => tests.some((test) => test(path));
}

const options = {
  visitor: {
    type: 'string',
    describe: 'Visitor of local-needle.yaml; stored apart from the public pages',
  },
  limit: { type: 'number', default: 10_000, describe: 'Maximum number of pages' },
  only: { type: 'string', array: true, describe: 'Capture only pages whose path matches' },
  skip: { type: 'string', array: true, describe: 'Skip pages whose path matches' },
  parallel: { type: 'number', default: 4, describe: 'Maximum number of requests at the same time' },
  timeout: { type: 'number', default: 30, describe: 'Timeout of a request, in seconds' },
  rendered: {
    type: 'boolean',
    default: false,
    describe: 'Capture the pages after their scripts have run, in Chromium',
  },
  refetch: { type: 'boolean', default: false, describe: 'Fetch every page again, even if it has not changed' },
} as const;

type CaptureArguments = ArgumentsOf<typeof siteByName.positionals, typeof options>;

export const command = defineCommand<CaptureArguments>({
  ...siteByName,
  options,
  examples: [
    ['$0 capture live', 'every page in the sitemaps and links'],
    ['$0 capture live --only "/winter{/*}?" --limit 50', 'a part of it'],
    ['$0 capture live --visitor member', 'as a member sees it'],
  ],
  async run(args, { out, log }) {
    const directory = findProject(args.project, process.cwd());
    const settings = loadSettings(directory);
    const source = chosenSite(settings, args.name ?? args.site);
    if (source.from.kind !== 'address') {
      const { site } = openSite(directory, settings, source);
      out(
        `${source.name}: ${count(site.pages.length, 'page')} in ${source.from.where}. A ${source.from.kind === 'har' ? 'recording' : 'folder'} is read again each time, so there is nothing to capture.`,
      );
      return status.fine;
    }
    if (!(args.limit >= 1) || !(args.parallel >= 1) || !(args.timeout > 0))
      throw new ProblemError([{ message: '--limit, --parallel and --timeout must be greater than 0' }]);
    const visitor = args.visitor ?? null;
    const headers = visitor === null ? {} : visitorHeaders(settings, visitor, process.env);
    const folder = captureFolder(directory, source.name, visitor);
    const address = source.from.where;
    const header: CaptureHeader = {
      capture: 1,
      site: source.name,
      visitor,
      address: new URL(address).origin,
      rendered: args.rendered,
    };
    const earlier = args.refetch ? null : readCapture(folder);
    if (earlier?.unfinished)
      log(`Continuing a run that was interrupted after ${count(earlier.unfinished.size, 'page')}.`);
    const writer = new CaptureWriter(folder, header, earlier);
    const renderer = args.rendered ? await startRendering(address, headers, settings.viewports[0]) : null;
    const stop = new AbortController();
    const interrupted = () => stop.abort();
    process.once('SIGINT', interrupted);
    const show = progress(log);
    try {
      const result = await crawl(
        {
          address,
          pathOptions: source.pathOptions,
          fetch: { ...defaultFetchOptions, timeoutMs: args.timeout * 1000 },
          headers,
          limit: args.limit,
          only: pathTest('only', args.only),
          skip: pathTest('skip', args.skip),
          parallel: args.parallel,
          render: renderer?.render ?? null,
          stop: stop.signal,
          onPage: show.page,
        },
        writer,
      );
      show.end();
      if (stop.signal.aborted) {
        writer.interrupt();
        log(`Interrupted. The captured pages are kept; run the same command again to continue.`);
        return status.access;
      }
      const capture = writer.finish(result.complete, result.gone);
      out(
        `${source.name}${visitor ? ` as ${visitor}` : ''}: ${count(capture.pages.size, 'page')} and ${count(capture.styles.size, 'stylesheet')} (${result.captured} captured, ${result.unchanged} unchanged, ${result.notCaptured} not captured)`,
      );
      for (const { url, reason } of capture.notCaptured.slice(0, 10))
        out(`  not captured: ${printable(url)}: ${printable(reason)}`);
      if (capture.notCaptured.length > 10) out(`  and ${capture.notCaptured.length - 10} more, in the index`);
      if (result.cutOff) out(`  Stopped at the limit of ${args.limit} pages. Use a larger --limit for the rest.`);
      out(`  in ${folder}`);
      return status.fine;
    } catch (error) {
      show.end();
      writer.interrupt();
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

async function startRendering(
  address: string,
  headers: Record<string, string>,
  viewport = { width: 1280, height: 800 },
) {
  const { startRenderer } = await import('../browser/render.js');
  return startRenderer(address, headers, viewport);
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
