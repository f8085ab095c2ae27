import { relative } from 'node:path';
import { networkReason } from '../capture/fetch.js';
import { decodePage } from '../capture/decode.js';
import { isPlain, mediumOf } from '../core/css/cascade/media.js';
import type { CheckReport } from '../core/check/verdict.js';
import { ProblemError } from '../core/place.js';
import { startPreview } from '../preview/preview.js';
import type { Upstream } from '../preview/proxy.js';
import { previewStyle } from '../preview/shells.js';
import { PreviewSession, type Reading } from '../preview/session.js';
import { findProject } from '../project/settings.js';
import { requestHeaders } from '../project/visitor.js';
import { totalsText } from '../report/check-text.js';
import { cellHtml, findingsHtml, summaryOf } from '../report/html.js';
import { reportStyle } from '../report/html-parts.js';
import { problemsText } from '../report/problems.js';
import { count, plainStyle, printable, styleFor } from '../report/text.js';
import { siteFolder } from '../app/sites.js';
import type { OpenedCheck } from '../app/check-input.js';
import { LiveProject } from '../app/live-project.js';
import { chooseLook, looksOf } from '../app/looks.js';
import { RuleEditor } from '../app/rule-editor.js';
import { defineCommand, type ArgumentsOf, siteByName, status, type Output, lookOptions } from './command.js';

import { shippedName } from '../app/shipped-name.js';
import { watchFolders } from './watch.js';

/** Throws ProblemError for an invalid port. */
function requirePort({ port }: Pick<PreviewArguments, 'port'>): void {
  // The overview has the port after it.
  if (!Number.isInteger(port) || port < 0 || port > 65_534)
    throw new ProblemError([
      { message: '--port must be a number from 0 to 65534', hint: 'Remove it, or write --port 4840.' },
    ]);
}

/** The part of a reading that the preview shows. */
function readingOf(live: LiveProject): Reading {
  const { opened, input } = live.read();
  const { source, content, learnt } = opened;
  const viewport = input.viewports.find(({ name }) => name === input.viewport);
  return {
    ...{ input, learnt, shippedName },
    view: input.view(input.visitor) ?? content,
    pathOptions: source.pathOptions,
    bundleAddress: source.bundleAddress,
    visitors: Object.keys(opened.project.settings.visitors),
    change: input.state === null ? null : (input.states[input.state] ?? null),
    medium: viewport && !isPlain(viewport) ? mediumOf(viewport) : null,
    async *check(off) {
      const report = yield* live.check(off);
      live.save();
      return report;
    },
  };
}

/** The running site behind the preview; null if the site is a folder or a recording. */
function upstreamOf(
  { project, source }: OpenedCheck,
  args: Omit<PreviewArguments, 'name'>,
  visitorNow: () => string | null,
): Upstream | null {
  if (source.from.kind !== 'address') {
    if (!args.live) return null;
    throw new ProblemError([
      {
        message: `--live needs a running site, but ${source.name} is a ${source.from.kind === 'har' ? 'recording' : 'folder'}`,
        hint: 'Remove --live, or name a site with an address.',
      },
    ]);
  }
  const headers = () => requestHeaders(project.settings, source, args.live ? visitorNow() : null, process.env);
  // A variable that is not set is told before the preview starts.
  headers();
  return {
    origin: new URL(source.from.where).origin,
    live: args.live,
    headers,
    timeoutMs: args.timeout * 1000,
    decode: (bytes, charset) => decodePage(bytes, charset).html,
    reason: networkReason,
  };
}

/** Reads everything again when a file changes that the preview comes from. */
function watchFiles(
  { project, source }: OpenedCheck,
  { session, live }: { session: PreviewSession; live: LiveProject },
  { log }: Output,
): { close: () => Promise<void> } {
  return watchFolders([project.directory, siteFolder(project.directory, source)], log, (paths) => {
    const [first = ''] = paths;
    const more = paths.length > 1 ? ` and ${paths.length - 1} more` : '';
    log(`${printable(relative(project.directory, first))}${more} changed.`);
    session.refresh(live.changedOnDisk(paths));
  });
}

/** How long an editor may take to say that it cannot open a file, in milliseconds. */
const editorMs = 1000;

/** Opens a file in the editor that runs, or that LAUNCH_EDITOR or EDITOR names. Rejects with ProblemError where there is none. */
async function openFile({ file, line, column }: { file: string; line: number; column: number }): Promise<void> {
  const { default: launch } = await import('launch-editor');
  await new Promise<void>((done, fail) => {
    const hint = 'Start your editor first, or name it: LAUNCH_EDITOR=code local-needle preview.';
    launch(`${file}:${line}:${column}`, (_file, reason) =>
      fail(new ProblemError([{ message: `The editor was not opened${reason ? `: ${reason}` : ''}`, hint }], 'access')),
    );
    setTimeout(done, editorMs);
  });
}

const options = {
  live: {
    type: 'boolean',
    default: false,
    describe: 'Proxy the running site, with its forms and sign-in, instead of the captured pages',
  },
  port: { type: 'number', default: 4820, describe: 'Port of the pages; the overview uses the next one (0: any)' },
  timeout: { type: 'number', default: 30, describe: 'Timeout of the running site, in seconds' },
  ...lookOptions,
} as const;

type PreviewArguments = ArgumentsOf<typeof siteByName.positionals, typeof options>;

export const command = defineCommand<PreviewArguments>({
  ...siteByName,
  options,
  examples: [
    ['$0 preview', 'the captured pages with the rules applied'],
    ['$0 preview live --live', 'the running site, with sign-in and forms'],
  ],
  async run({ name, ...args }, output) {
    const { out, log } = output;
    requirePort(args);
    const wanted = { ...args, site: name ?? args.site };
    const style = styleFor(process.stderr, process.env);
    const live = new LiveProject(findProject(args.project, process.cwd()), wanted, false);
    const all = live.read().opened;
    const upstream = upstreamOf(all, wanted, () => live.look.visitor ?? null);
    let told: CheckReport | null = null;
    const session = new PreviewSession(
      readingOf(live),
      () => readingOf(live),
      (problem) => {
        if (problem) log(`${problemsText(problem.problems, style)}\nThe preview keeps the last valid rules.`);
        else log('The rules are valid again.');
      },
    );
    all.learnt.save();
    session.listen(({ kind }) => {
      if (kind !== 'look' || !session.report || session.report === told) return;
      told = session.report;
      log(totalsText(told, style));
    });
    const problemWords = (error: ProblemError) => problemsText(error.problems, plainStyle);
    const preview = await startPreview({
      session,
      port: args.port,
      upstream,
      log: (text) => log(printable(text)),
      style: reportStyle + previewStyle,
      wording: {
        problem: ({ problem }) => problem && problemWords(problem),
        findings: ({ report }) => findingsHtml(report?.findings ?? []),
        summary: summaryOf,
        cell: cellHtml,
        words: problemWords,
      },
      editor: new RuleEditor(live),
      openFile,
      looks: {
        state: () => looksOf(live),
        choose: (look) => {
          const before = live.look.visitor;
          if (args.live) requestHeaders(all.project.settings, all.source, look.visitor, process.env);
          chooseLook(live, look);
          session.refresh(before !== live.look.visitor);
          session.reloadAll();
        },
      },
    });
    const watcher = watchFiles(all, { session, live }, output);
    const { rules } = all.input;
    out(
      `${all.source.name}: ${count(session.reading.view.site.pages.length, 'page')}, ${count(rules.length, 'rule')}.`,
    );
    out(`Overview  ${preview.overview}`);
    const from = upstream
      ? args.live
        ? `proxied from ${upstream.origin}`
        : 'as captured'
      : `as ${all.source.from.kind === 'har' ? 'recorded' : 'they are'}`;
    out(`Pages     ${preview.pages}  ${from}, with the rules applied`);
    log('The preview reloads when you save a rule. Press Ctrl+C to stop.');
    await new Promise<void>((done) => process.once('SIGINT', () => done()).once('SIGTERM', () => done()));
    await watcher.close();
    await preview.close();
    return status.fine;
  },
});
