import { check } from '../core/check/check.js';
import type { Level } from '../core/check/finding.js';
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

export const command: Command<FailArguments & LookArguments> = {
  formats: ['text', 'json'],
  options: { ...lookOptions, ...failOn },
  examples: [
    ['$0 check', 'which rules hit which pages, and what is wrong'],
    ['$0 check --visitor member --state scrolled', 'as a member sees the pages, scrolled'],
    ['$0 check --format json --fail-on warning', 'for a build server'],
  ],
  async run(args, { out }) {
    const { project, source, content } = openProject(args);
    const report = check({
      ...lookAt(args, project, source, content),
      rules: project.rules,
      findings: [...project.findings, ...content.findings],
      others: otherSites(project.directory, project.settings, source),
      today: today(),
    });
    out(
      args.format === 'json'
        ? JSON.stringify(report, null, 2)
        : checkText(report, styleFor(process.stdout, process.env)),
    );
    return statusFor(
      report.findings.map(({ level }) => level),
      args['fail-on'],
    );
  },
};
