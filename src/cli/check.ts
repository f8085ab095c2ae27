import { join } from 'node:path';
import packageJson from '../../package.json' with { type: 'json' };
import { accept } from '../core/check/accepted.js';
import { checkAllViewports } from '../core/check/all-viewports.js';
import { withBrowserVerdicts } from '../core/check/browser-verdicts.js';
import { check, withFindings } from '../core/check/check.js';
import { findingCodes, type FindingCode, type Level } from '../core/finding.js';
import { ProblemError } from '../core/place.js';
import type { CheckInput } from '../core/check/input.js';
import type { CheckReport } from '../core/check/verdict.js';
import type { FailedPage } from '../browser/page-window.js';
import { mostTried } from '../core/fix/fixes.js';
import { acceptedName, acceptedText, readAccepted } from '../project/accepted.js';
import { chosenSite } from '../project/read-configuration.js';
import { findProject, loadSettings } from '../project/settings.js';
import { checkText } from '../report/check-text.js';
import { problemsText } from '../report/problems.js';
import { count, styleFor } from '../report/text.js';
import { openCheck, type OpenedCheck } from '../app/check-input.js';
import { parallelCheck } from '../app/parallel-check.js';
import type { MendedProblems } from '../app/fixes.js';
import { pageAt } from '../app/page-at.js';
import { narrowed } from '../core/check/narrow.js';
import { ruleNamed } from '../app/rule-named.js';
import { withLostHits } from '../app/lost-hits.js';
import { partOf, shardOf } from '../app/parts.js';
import { reportJson } from '../report/json.js';
import { giveReport, written } from './check-formats.js';
import { progressBar } from './progress.js';
import {
  defineCommand,
  logFailed,
  lookOptions,
  pageTimeout,
  status,
  type ArgumentsOf,
  type CommonArguments,
  type Output,
} from './command.js';

import { siteFolder } from '../app/sites.js';
import { writeSet } from '../disk/file-set.js';

export interface FailArguments extends CommonArguments {
  'fail-on': Level | 'never';
}

export const failOn = {
  'fail-on': {
    choices: ['error', 'warning', 'never'],
    default: 'error',
    describe: 'Exit with status 1 for findings of this level or higher',
  },
} as const;

/** The exit status for findings of these levels. */
export function statusFor(levels: Level[], limit: FailArguments['fail-on']): number {
  const counts = limit === 'never' ? [] : levels.filter((level) => level === 'error' || level === limit);
  return counts.length > 0 ? status.findings : status.fine;
}

const options = {
  watch: {
    type: 'boolean',
    default: false,
    describe: 'Check again after each change and show the differences',
  },
  'all-viewports': {
    type: 'boolean',
    default: false,
    describe: 'Check every viewport and show where verdicts differ',
  },
  browser: {
    type: 'boolean',
    default: false,
    describe: "Check in Chromium, with the pages' scripts running",
  },
  timeout: { ...pageTimeout.timeout, describe: 'With --browser: timeout of a page, in seconds' },
  page: { type: 'string', array: true, nargs: 1, describe: 'Only this page' },
  quiet: { type: 'boolean', default: false, describe: 'Only the findings, without the table' },
  out: { type: 'string', describe: 'Write the report to this file' },
  accept: {
    type: 'boolean',
    default: false,
    describe: `Keep these verdicts in ${acceptedName}; later checks report rules that no longer hit`,
  },
  fix: {
    type: 'string',
    requiresArg: false,
    describe: 'Mend what has one fix that was tried; --fix=CODE only findings of this kind',
  },
  shard: { type: 'string', describe: 'Judge one of several parts of the pages, such as 2/8, for local-needle report' },
  'dry-run': { type: 'boolean', default: false, describe: 'With --fix: show the changes and write nothing' },
  profile: { type: 'string', describe: 'Write where the time went to this JSON file, for bug reports' },
  ...lookOptions,
  ...failOn,
} as const;

const positionals = {
  rules: { type: 'string', array: true, default: [] as string[], describe: 'Only these rules (default: all)' },
} as const;

const levelsOf = ({ findings }: CheckReport) => findings.map(({ level }) => level);

/** The part of a project that a report is told of. */
type Looked = Pick<OpenedCheck, 'project' | 'source' | 'content'> & { input: CheckInput };

/** What `--fix` asks for. */
interface Fixing {
  code: FindingCode | null;
  isTrial: boolean;
}

/** Reads `--fix`, whose value is the code of a finding; another word after it is a rule. Throws ProblemError. */
function withFixing(args: CheckArguments): { args: CheckArguments; fixing: Fixing | null } {
  const { fix: word } = args;
  if (word === undefined) {
    if (!args['dry-run']) return { args, fixing: null };
    throw new ProblemError([{ message: '--dry-run belongs to --fix', hint: 'local-needle check --fix --dry-run' }]);
  }
  const code = word in findingCodes ? (word as FindingCode) : null;
  const rules = code === null && word !== '' ? [word, ...args.rules] : args.rules;
  return { args: { ...args, rules }, fixing: { code, isTrial: args['dry-run'] } };
}

/** What `--fix` mends before rule files can be read; `--fix=CODE` is for findings alone. */
async function mendedProblems(args: CheckArguments, fixing: Fixing | null): Promise<MendedProblems> {
  // What is read by programs tells of the files as they are.
  const isRead = fixing?.isTrial === true && args.format !== 'text';
  if (fixing?.code !== null || isRead) return { texts: new Map(), applied: [] };
  const { mendProblems } = await import('../app/fixes.js');
  return mendProblems(findProject(args.project, process.cwd()));
}

/** Judges some of the pages and keeps what was found in a file, of which `report` makes a report. */
function judgePart(args: CheckArguments, words: string, { out, log }: Output): number {
  const others = (['watch', 'all-viewports', 'browser', 'accept', 'profile', 'page'] as const).filter(
    (name) => args[name],
  );
  if (others.length > 0 || args.fix !== undefined || args.rules.length > 0)
    throw new ProblemError([
      {
        message: '--shard judges a part of all pages for all rules',
        hint: `Leave out ${[...others.map((name) => `--${name}`), ...(args.fix === undefined ? [] : ['--fix']), ...args.rules].join(', ')}.`,
      },
    ]);
  const { out: file } = args;
  if (file === undefined)
    throw new ProblemError([{ message: '--shard needs a file for what it judges', hint: 'Add --out part-2.json.' }]);
  const shard = shardOf(words);
  const opened = openCheck({ ...args, byContent: true });
  const { part, judged, pages } = partOf(opened, shard);
  opened.keep(false);
  writeSet(opened.project.directory, (set) => set.file(file, part));
  out(`${file}: ${judged} of ${count(pages, 'page')} judged.`);
  log(`Once all ${shard.of} parts are there: local-needle report FILE… --format text`);
  return status.fine;
}

/** What was asked for, as it is called again. */
function commandOf(args: CheckArguments): string {
  const named = (['site', 'viewport', 'state', 'visitor'] as const).flatMap((name) =>
    args[name] === undefined ? [] : [`--${name}`, args[name]],
  );
  const asked = (['all-viewports', 'browser', 'fix'] as const).filter((name) => args[name]);
  const pages = (args.page ?? []).flatMap((page) => ['--page', page]);
  return ['local-needle check', ...args.rules, ...named, ...asked.map((name) => `--${name}`), ...pages].join(' ');
}

type CheckArguments = ArgumentsOf<typeof positionals, typeof options>;

export const command = defineCommand<CheckArguments>({
  formats: ['text', ...Object.keys(written)],
  positionals,
  options,
  examples: [
    ['$0 check', 'every rule on every page'],
    ['$0 check calm-payment', 'one rule'],
    ['$0 check --page /tickets/pay', 'one page'],
    ['$0 check --state scrolled', 'pages as they look when scrolled'],
    ['$0 check --all-viewports', 'where a narrow screen differs'],
    ['$0 check --browser', 'scripts run, in Chromium'],
    ['$0 check --fix --dry-run', 'what can be mended, as a diff'],
    ['$0 check --profile profile.json', 'where the time went'],
    ['$0 check --format html --out report.html', 'a page to search and send'],
  ],
  async run(given, output) {
    const { out, log } = output;
    const { args, fixing } = withFixing(given);
    const together = (['watch', 'all-viewports', 'browser'] as const).filter((name) => args[name]);
    const others = [...(args.accept ? ['accept'] : []), ...(fixing ? ['fix'] : [])];
    if (together.length > 1 || (args.watch && args.accept) || (fixing && together.length + others.length > 1))
      throw new ProblemError([
        {
          message: `--${[...together, ...others].join(' and --')} cannot be combined`,
          hint: 'Use one of them at a time.',
        },
      ]);
    if (args.watch && args.profile !== undefined)
      throw new ProblemError([
        { message: '--profile is for a single check, not for --watch', hint: 'Remove one of them.' },
      ]);
    if (args.accept && (args.rules.length > 0 || args.page !== undefined))
      throw new ProblemError([
        { message: '--accept keeps the verdicts of all rules on all pages', hint: 'Leave out the rules and --page.' },
      ]);
    if (args.shard !== undefined) return judgePart(args, args.shard, output);
    const style = styleFor(process.stdout, process.env);
    const isNarrowed = args.rules.length > 0 || args.page !== undefined;
    const shown = (report: CheckReport, { content }: Looked) =>
      args.format === 'json'
        ? reportJson(report)
        : checkText(report, style, { quiet: args.quiet, narrowed: isNarrowed, templates: content.templates });
    if (args.watch && (args.out !== undefined || !['text', 'json'].includes(args.format)))
      throw new ProblemError([
        {
          message: '--watch prints text or JSON only and cannot write a file',
          hint: 'Remove --watch, or --out and --format.',
        },
      ]);
    const narrowingOf = ({ project, source, content }: Looked) => ({
      rules: args.rules.map((name) => ruleNamed(name, project.rules).name),
      pages: (args.page ?? []).map((path) => pageAt(path, content.site, source.pathOptions).path),
    });
    const withLost = (opened: Looked, plain: CheckReport) => {
      const { project, input } = opened;
      const report = args.accept ? withFindings(plain, []) : withLostHits(project.directory, input, plain);
      return narrowed(report, narrowingOf(opened));
    };
    if (args.watch) {
      const { watchAndCheck } = await import('./watch.js');
      const { LiveProject } = await import('../app/live-project.js');
      const directory = findProject(args.project, process.cwd());
      const live = new LiveProject(directory, args, false);
      const checkOnce = () => {
        const { opened, project, input } = live.read();
        const plain = check(input);
        live.save();
        const looked = { ...opened, project, input };
        const report = withLost(looked, plain);
        return { report, text: shown(report, looked) };
      };
      const folders = [directory, siteFolder(directory, chosenSite(loadSettings(directory), args.site))];
      return watchAndCheck(folders, { checkOnce, changed: (paths) => live.changedOnDisk(paths) }, output);
    }
    const unread = await mendedProblems(args, fixing);
    const call = { ...args, tolerant: !args.accept, texts: unread.texts };
    const profile = args.profile === undefined ? null : new (await import('../app/profile.js')).Profile();
    const read = profile ? profile.timed('read the project', null, () => openCheck(call)) : openCheck(call);
    if (profile) read.input.timed = profile.timed;
    // Several threads would count their time at once.
    const inThreads = profile ? check : (input: OpenedCheck['input']) => parallelCheck(input, call);
    const plain = args['all-viewports'] ? checkAllViewports(read.input) : await inThreads(read.input);
    read.keep();
    let report = withLost(read, plain);
    let failed: FailedPage[] = [];
    if (args.browser) {
      const { inBrowser } = await import('../app/browser.js');
      const cells = new Set(report.cells.map(({ rule, page }) => JSON.stringify([rule, page])));
      const isWanted = (...cell: [rule: string, page: string]) => cells.has(JSON.stringify(cell));
      const judged = await inBrowser(read, { timeoutMs: args.timeout * 1000, isWanted }, log);
      ({ failed } = judged);
      logFailed(failed, 'judged in Chromium', output);
      report = withBrowserVerdicts(report, judged);
    }
    let fixes = '';
    if (fixing) {
      const { Fixer } = await import('../app/fixes.js');
      const { diffText, fixesText } = await import('../report/fixes.js');
      const bar = progressBar('changes tried', mostTried);
      const fixer = new Fixer(read, (tried) => bar?.update(tried, { path: '' }));
      const isText = args.format === 'text';
      if (fixing.isTrial && !isText) {
        report = fixer.withFixes(plain, report);
        bar?.stop();
      } else {
        const plan = fixer.plan(plain, fixing.code, narrowingOf(read), unread);
        bar?.stop();
        if (!fixing.isTrial) {
          fixer.write(plan);
          report = plan.report;
        }
        fixes = [diffText(plan, style), fixesText(plan, style, fixing.isTrial)]
          .filter((part) => part !== '')
          .join('\n\n');
        if (!isText) log(fixes);
      }
    }
    if (fixes !== '' && args.format === 'text') {
      out(fixing?.isTrial ? fixes : `${fixes}\n`);
      if (fixing?.isTrial && unread.applied.length > 0) return status.input;
      if (fixing?.isTrial) return statusFor(levelsOf(report), args['fail-on']);
    }
    const { templates } = read.content;
    const asText = { quiet: args.quiet || fixing !== null, narrowed: isNarrowed, templates };
    await giveReport(report, { ...args, directory: read.project.directory, command: commandOf(args), asText }, out);
    if (profile && args.profile !== undefined) {
      const file = args.profile;
      const text = profile.text(packageJson.version);
      writeSet(read.project.directory, (set) => set.file(file, text));
      log(`${file}: where the time of this check went, in one thread.`);
    }
    if (args.accept) {
      const { project, input } = read;
      const accepted = accept(readAccepted(project.directory) ?? {}, report, input.viewports[0]?.name ?? '');
      writeSet(project.directory, (set) => set.file(join(project.directory, acceptedName), acceptedText(accepted)));
      log(
        `Kept in ${acceptedName}: ${count(report.cells.length, 'verdict')}. Later checks report rules that no longer hit.`,
      );
    }
    const { problems } = read.project;
    if (problems.length > 0) {
      const files = new Set(problems.map(({ at }) => at?.file));
      log(problemsText(problems, styleFor(process.stderr, process.env)));
      log(
        `${count(files.size, 'rule file')} could not be read and ${files.size === 1 ? 'was' : 'were'} left out of this check.`,
      );
      return status.input;
    }
    return failed.length > 0 ? status.access : statusFor(levelsOf(report), args['fail-on']);
  },
});
