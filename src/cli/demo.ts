import { mkdtempSync, readdirSync, existsSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import type { Argv } from 'yargs';
import { writeDemoProject } from '../../demo/site.js';
import { ProblemError } from '../core/place.js';
import { styleFor } from '../report/text.js';
import { status, type Command, type CommonArguments } from './command.js';
import { runCommandLine } from './run.js';

interface DemoArguments extends CommonArguments {
  folder?: string;
}

/** The whole job on the demo's site, command by command. */
const steps: { why: string; command: string[] }[] = [
  { why: 'A project for a folder of HTML', command: ['start', 'live'] },
  { why: 'Know the pages: what can pick each of them out', command: ['pages'] },
  { why: 'Check: every rule on every page that it targets (two rules hold a mistake)', command: ['check'] },
  { why: 'Ship: one stylesheet and one script', command: ['build', '--as', 'bundle', '--out', 'needle'] },
];

export const command: Command<DemoArguments> = {
  usage: '[folder]',
  positionals: (yargs: Argv) =>
    yargs.positional('folder', {
      type: 'string',
      describe: 'An empty folder to make it in; a temporary one if left out',
    }),
  examples: [['$0 demo', 'the whole job on a made-up site of island ferries']],
  async run(args, output) {
    const directory = args.folder === undefined ? mkdtempSync(join(tmpdir(), 'saltmere-')) : resolve(args.folder);
    if (existsSync(directory) && readdirSync(directory).length > 0) {
      throw new ProblemError([
        { message: `${args.folder} is not empty; nothing was written`, hint: 'Name a new folder.' },
      ]);
    }
    writeDemoProject(directory);
    const { colour } = styleFor(process.stdout, process.env);
    output.out(`Saltmere Ferries, a made-up operator of island ferries, in ${directory}\n`);
    const before = process.cwd();
    process.chdir(directory);
    try {
      // One stream, so that findings stand below the command that made them.
      const together = { out: output.out, log: output.out };
      for (const { why, command: words } of steps) {
        output.out(colour.dim(`# ${why}`));
        output.out(colour.bold(`$ local-needle ${words.join(' ')}`));
        await runCommandLine(words, together);
        output.out('');
      }
    } finally {
      process.chdir(before);
    }
    output.out(`${colour.bold('Try next')}, in ${directory}:`);
    output.out(`  mend .promo-feild in rules/tickets.css and nite-boat in rules/site.css, then: local-needle check`);
    output.out(`  read needle/needle.css: each selector is limited to its pages, with the rule's note above it`);
    output.out(`  local-needle pages --format json, local-needle check --format json: for other programs`);
    return status.fine;
  },
};
