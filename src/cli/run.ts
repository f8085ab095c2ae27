import yargs, { type Argv, type PositionalOptions } from 'yargs';
import packageJson from '../../package.json' with { type: 'json' };
import type { Command, CommonArguments, Output } from './command.js';

/** Every command with what it is for; the rest of it is loaded when it is called. */
const commands: Record<string, { describe: string; usage?: string; load: () => Promise<{ command: unknown }> }> = {
  init: {
    describe: 'Make a project for a folder of HTML or a running site',
    usage: '<from..>',
    load: () => import('./init.js'),
  },
  capture: {
    describe: 'Capture the pages of a running site',
    usage: '[name]',
    load: () => import('./capture.js'),
  },
  pages: {
    describe: 'List the pages with everything that can pick them out',
    usage: '[page]',
    load: () => import('./pages.js'),
  },
  find: {
    describe: 'Find elements by selector or words, and selectors for them',
    usage: '[selector]',
    load: () => import('./find.js'),
  },
  add: { describe: 'Write a rule, after showing what it would do', usage: '<name>', load: () => import('./add.js') },
  rules: {
    describe: 'List the rules; switch one off or on',
    usage: '[do] [name]',
    load: () => import('./rules.js'),
  },
  convert: {
    describe: 'Turn old CSS and snippets into rules, with nothing changed on any page',
    usage: '<files..>',
    load: () => import('./convert.js'),
  },
  check: { describe: 'Say which rules hit which pages, and what is wrong', load: () => import('./check.js') },
  why: {
    describe: 'Explain one verdict: what wins on each element, and what would',
    usage: '<rule> <page>',
    load: () => import('./why.js'),
  },
  compare: {
    describe: 'Compare two sites and what the rules do on them',
    usage: '<a> <b>',
    load: () => import('./compare.js'),
  },
  preview: {
    describe: 'See the rules in a browser: pages with a panel, an overview; saving a rule shows at once',
    usage: '[name]',
    load: () => import('./preview.js'),
  },
  'before-after': {
    describe: 'Pictures of each page without and with the rules, what changed outlined',
    load: () => import('./before-after.js'),
  },
  build: { describe: 'Write what ships', load: () => import('./build.js') },
  schema: {
    describe: 'Print the JSON Schema of local-needle.yaml, or custom data for CSS editors',
    load: () => import('./schema.js'),
  },
  demo: { describe: 'Show the whole job on a made-up site', usage: '[folder]', load: () => import('./demo.js') },
};

const { version } = packageJson;

/**
 * Runs one command line and returns its exit status. Throws what the command throws: the caller (main.ts) turns errors
 * into text.
 */
export async function runCommandLine(words: string[], output: Output): Promise<number> {
  if (words.length === 1 && words[0] === '--version') {
    output.out(version);
    return 0;
  }
  // The script that `completion` prints asks this way; yargs itself would go on to check and run the command.
  if (words[0] === '--get-yargs-completions') {
    const { complete } = await import('./completion.js');
    for (const each of complete(words.slice(2), Object.keys(commands))) output.out(each);
    return 0;
  }
  let exit = 0;
  const { ProblemError } = await import('../core/place.js');
  let parser = yargs(words)
    .scriptName('local-needle')
    .usage(
      '$0 COMMAND\n\nStyle and script rules for single pages: write them with a reason, check which pages they hit, ship them.',
    )
    .option('project', {
      type: 'string',
      describe: 'Folder of the project (default: the nearest upwards with a local-needle.yaml)',
      global: true,
    })
    .option('site', { type: 'string', describe: 'Site of local-needle.yaml (default: the first)', global: true })
    .option('debug', {
      type: 'boolean',
      describe: 'Show where in the program an error comes from',
      global: true,
      hidden: true,
    })
    .completion('completion', 'Print a script that completes commands, rules and paths in bash or zsh')
    .version(version)
    .help()
    .strict()
    .recommendCommands()
    .demandCommand(1, 'Name a command; local-needle --help lists them.')
    .wrap(Math.min(110, process.stdout.columns ?? 100))
    .exitProcess(false)
    .fail((message: string | null, error: Error | undefined) => {
      if (error) throw error;
      throw new ProblemError([
        {
          message: (message ?? 'This call cannot be understood').replace(/\s+$/, ''),
          hint: `local-needle ${words[0] && Object.hasOwn(commands, words[0]) ? `${words[0]} ` : ''}--help shows what it takes.`,
        },
      ]);
    });
  for (const [name, { describe, usage, load }] of Object.entries(commands)) {
    parser = parser.command(
      usage ? `${name} ${usage}` : name,
      describe,
      // yargs loads only the command that is called: the others cost nothing.
      (async (inner: Argv) => {
        const { command } = (await load()) as { command: Command };
        const { positionals, options = {}, formats = ['text'], examples } = command;
        const made = inner.options({
          ...options,
          format: { choices: formats, default: formats[0], describe: 'Form of the output' },
        });
        return examples.reduce(
          (all, [line, what]) => all.example(line, what),
          Object.entries(positionals ?? {}).reduce(
            (all, [word, about]) => all.positional(word, about as PositionalOptions),
            made as Argv,
          ),
        );
      }) as unknown as (inner: Argv) => Argv,
      async (args) => {
        const { command } = (await load()) as { command: Command };
        exit = await command.run(args as unknown as CommonArguments, output, runCommandLine);
      },
    );
  }
  await parser.parseAsync(words, {}, (error, _args, text) => {
    if (text) (error ? output.log : output.out)(text);
  });
  return exit;
}
