import { resolve } from 'node:path';
import { check } from '../core/check/check.js';
import type { Level } from '../core/check/finding.js';
import { chosenSite } from '../project/read-configuration.js';
import { findProject, loadSettings } from '../project/settings.js';
import { checkText } from '../report/check-text.js';
import { styleFor } from '../report/text.js';
import { status, today, type Command, type CommonArguments } from './command.js';
import { lookAt, lookOptions, openProject, type LookArguments } from './open.js';
import { otherSites } from './sites.js';

export interface FailArguments extends CommonArguments {
  'fail-on': Level | 'never';
}

export const failOn = {
  'fail-on': {
    choices: ['error', 'warning', 'never'],
    default: 'error',
    describe: 'Exit with 1 if there is a finding of this level or above',
  },
} as const;

/** The exit status for findings of these levels. */
export function statusFor(levels: Level[], limit: FailArguments['fail-on']): number {
  const counts = limit === 'never' ? [] : levels.filter((level) => limit === 'warning' || level === 'error');
  return counts.length > 0 ? status.findings : status.fine;
}

/** The project, and folders of HTML that lie outside of it. */
function watchedFolders(args: CommonArguments): string[] {
  const directory = findProject(args.project, process.cwd());
  const source = chosenSite(loadSettings(directory), args.site);
  return [directory, ...(source.from.kind === 'folder' ? [resolve(directory, source.from.where)] : [])];
}

export const command: Command<FailArguments & LookArguments & { watch: boolean }> = {
  formats: ['text', 'json'],
  options: {
    watch: {
      type: 'boolean',
      default: false,
      describe: 'Check again when a rule, style or page changes, and show what changed',
    },
    ...lookOptions,
    ...failOn,
  },
  examples: [
    ['$0 check', 'which rules hit which pages, and what is wrong'],
    ['$0 check --visitor member --state scrolled', 'as a member sees the pages, scrolled'],
    ['$0 check --format json --fail-on warning', 'for a build server'],
  ],
  async run(args, { out, log }) {
    const checkOnce = () => {
      const { project, source, content } = openProject(args);
      const report = check({
        ...lookAt(args, project, source, content),
        rules: project.rules,
        findings: [...project.findings, ...content.findings],
        others: otherSites(project.directory, project.settings, source),
        today: today(),
      });
      const text =
        args.format === 'json'
          ? JSON.stringify(report, null, 2)
          : checkText(report, styleFor(process.stdout, process.env));
      return { report, text };
    };
    if (args.watch) {
      const { watchAndCheck } = await import('./watch.js');
      return watchAndCheck(watchedFolders(args), checkOnce, { out, log });
    }
    const { report, text } = checkOnce();
    out(text);
    return statusFor(
      report.findings.map(({ level }) => level),
      args['fail-on'],
    );
  },
};
