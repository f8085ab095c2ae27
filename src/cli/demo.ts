import { appendFileSync, existsSync, mkdtempSync, readdirSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { startDemoServer, type DemoServer } from '../../demo/server.js';
import { demoSettings, writeDemoProject, type Copy } from '../../demo/site.js';
import { ProblemError } from '../core/place.js';
import { styleFor } from '../report/text.js';
import { defineCommand, type ArgumentsOf, status } from './command.js';

interface DemoStep {
  why: string;
  command: string[];
  /** Without what goes to stderr. */
  quiet?: boolean;
}

/** The whole job on the demo's site, command by command. */
const steps = (live: string, staging: string): DemoStep[] => [
  {
    why: 'Set up a project for a running site and its staging copy',
    command: ['init', `live=${live}`, `staging=${staging}`],
  },
  { why: 'Capture both: sitemaps first, then links; robots.txt obeyed', command: ['capture', 'live'], quiet: true },
  { why: '', command: ['capture', 'staging'], quiet: true },
  { why: 'List the pages with what can target them', command: ['pages'] },
  { why: 'One page: every way to target it, ready to paste', command: ['pages', '/tickets/pay'] },
  { why: 'Check every rule on every page that it targets (four rules contain a mistake)', command: ['check'] },
  {
    why: 'Why a rule has no effect: what overrides it, and the smallest change that wins',
    command: ['why', 'camera-colour', '/harbours/skerry'],
  },
  {
    why: 'Mend the four mistakes: each change is tried on all pages before it is written',
    command: ['check', '--fix', 'calm-footer', 'camera-colour', 'promo-once', 'route-colours'],
  },
  { why: 'Do the rules also work on staging, where the IDs differ?', command: ['compare', 'live', 'staging'] },
  {
    why: 'Build one stylesheet and one script, read them back and compare them with the check',
    command: ['build', '--as', 'bundle', '--out', 'local-needle'],
  },
  {
    why: 'Build a snippet for one page, ready to paste',
    command: ['build', '--as', 'snippets', '--page', '/harbours/skerry'],
    quiet: true,
  },
  {
    why: 'Convert old CSS and snippets into rules, and prove that no page changes',
    command: ['convert', 'old/site-wide.css', 'old/pay.html=/tickets/pay', 'old/everywhere.html'],
  },
];

/** The ports that `npm run demo:serve` uses, so that the project goes on working with it; others where they are taken. */
async function serve(copy: Copy): Promise<DemoServer> {
  try {
    return await startDemoServer(copy, copy === 'live' ? 4810 : 4811);
  } catch {
    return startDemoServer(copy);
  }
}

const positionals = {
  folder: {
    type: 'string',
    describe: 'An empty folder for the demo project (default: a temporary one)',
  },
} as const;

type DemoArguments = ArgumentsOf<typeof positionals, Record<never, never>>;

export const command = defineCommand<DemoArguments>({
  positionals,
  examples: [['$0 demo', 'the whole job on a made-up site of island ferries']],
  async run(args, output, runLine) {
    const directory = args.folder === undefined ? mkdtempSync(join(tmpdir(), 'saltmere-')) : resolve(args.folder);
    if (existsSync(directory) && readdirSync(directory).length > 0) {
      throw new ProblemError([
        { message: `${args.folder} is not empty; nothing was written`, hint: 'Name a new folder.' },
      ]);
    }
    writeDemoProject(directory);
    const { colour } = styleFor(process.stdout, process.env);
    output.out(`Saltmere Ferries, a made-up operator of island ferries, in ${directory}\n`);
    const servers = [await serve('live'), await serve('staging')] as const;
    const before = process.cwd();
    process.chdir(directory);
    try {
      for (const { why, command: words, quiet } of steps(servers[0].address, servers[1].address)) {
        if (why) output.out(colour.dim(`# ${why}`));
        output.out(colour.bold(`$ local-needle ${words.join(' ')}`));
        // One stream, so that findings are below the command that made them.
        await runLine(words, { out: output.out, log: quiet ? () => undefined : output.out });
        if (words[0] === 'init') appendFileSync('local-needle.yaml', demoSettings);
        output.out('');
      }
    } finally {
      process.chdir(before);
      await Promise.all(servers.map((server) => server.close()));
    }
    output.out(`${colour.bold('Try next')}, in ${directory}:`);
    output.out(`  see the pages in your browser: local-needle preview`);
    output.out(
      `  read local-needle/local-needle.css: every selector is limited to its pages, with the note of its rule above it`,
    );
    output.out(
      `  keep the site running with npm run demo:serve in the clone, then: CREW_COOKIE=1 local-needle capture --visitor member`,
    );
    return status.fine;
  },
});
