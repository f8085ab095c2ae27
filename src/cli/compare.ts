import { compare } from '../core/compare/compare.js';
import { loadProject } from '../project/project.js';
import { findProject } from '../project/settings.js';
import { chosenSite } from '../project/read-configuration.js';
import { compareText } from '../report/compare.js';
import { styleFor } from '../report/text.js';
import { failOn, statusFor } from './check.js';
import { defineCommand, type ArgumentsOf } from './command.js';
import { openSite } from '../app/sites.js';

const positionals = {
  a: { type: 'string', describe: 'A site of local-needle.yaml', demandOption: true },
  b: { type: 'string', describe: 'Another', demandOption: true },
} as const;

const options = { ...failOn } as const;

type CompareArguments = ArgumentsOf<typeof positionals, typeof options>;

export const command = defineCommand<CompareArguments>({
  positionals,
  formats: ['text', 'json'],
  options,
  examples: [['$0 compare live staging', 'which rules break on the other copy, and what would work on both']],
  async run(args, { out }) {
    const project = loadProject(findProject(args.project, process.cwd()));
    const [here, there] = [args.a, args.b].map((name) =>
      openSite(project.directory, project.settings, chosenSite(project.settings, name)),
    );
    if (!here || !there) return 2;
    const report = compare(here, there, project.rules);
    out(
      args.format === 'json'
        ? JSON.stringify(report, null, 2)
        : compareText(report, styleFor(process.stdout, process.env)),
    );
    return statusFor(
      report.rules.map(() => 'warning'),
      args['fail-on'],
    );
  },
});
