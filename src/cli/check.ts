import { check } from '../core/check/check.js';
import type { Level } from '../core/check/finding.js';
import { checkText } from '../report/check-text.js';
import { styleFor } from '../report/text.js';
import { status, today, type Command, type CommonArguments } from './command.js';
import { openProject } from './open.js';

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

export const command: Command<FailArguments> = {
  formats: ['text', 'json'],
  options: failOn,
  examples: [
    ['$0 check', 'which rules hit which pages, and what is wrong'],
    ['$0 check --format json --fail-on warning', 'for a build server'],
  ],
  async run(args, { out }) {
    const { project, content } = openProject(args);
    const report = check({
      site: content.site,
      rules: project.rules,
      findings: [...project.findings, ...content.findings],
      open: content.open,
      paths: project.settings.paths,
      viewport: project.settings.viewports[0]?.name ?? 'desktop',
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
