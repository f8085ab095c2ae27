import yargs, { type Argv, type Options, type PositionalOptions } from 'yargs';
import packageJson from '../../package.json' with { type: 'json' };
import type { Command, CommonArguments, Output } from './command.js';
import { commands, type CommandEntry } from './commands.js';

const { version } = packageJson;

const commonOptions = {
  project: {
    type: 'string',
    describe: 'Folder of the project (default: the nearest folder upwards with a local-needle.yaml)',
  },
  site: { type: 'string', describe: 'Site of local-needle.yaml (default: the first)' },
  color: { type: 'boolean', describe: 'Use colours (default: on a terminal); --no-color turns them off' },
  debug: { type: 'boolean', describe: 'Show the stack trace of an error', hidden: true },
} as const satisfies Record<string, Options>;

/** A command with what yargs needs to know of it. */
interface Loaded {
  entry: CommandEntry;
  command: Command;
}

/**
 * Runs one command line and returns its exit status. Throws what the command throws, and ProblemError where the call is
 * wrong: the caller (execute.ts) turns errors into text.
 */
export async function runCommandLine(words: string[], output: Output): Promise<number> {
  if (words.length === 1 && words[0] === '--version') {
    output.out(version);
    return 0;
  }
  // The script that `completion` prints asks this way.
  if (words[0] === '--get-completions') {
    const { complete } = await import('./complete.js');
    for (const each of await complete(words.slice(1))) output.out(each);
    return 0;
  }
  const [name = ''] = words;
  const { callProblem, unknownCommand } = await import('./call-problem.js');
  if (name !== '' && !name.startsWith('-') && !Object.hasOwn(commands, name)) throw unknownCommand(name);
  const entry = Object.hasOwn(commands, name) ? commands[name] : undefined;
  const loaded = entry && { entry, command: ((await entry.load()) as { command: Command }).command };
  let exit = 0;
  const known = Object.keys({ ...commonOptions, ...loaded?.command.options });
  // Of a command that has a name, yargs writes the help at each call; only there the help tells all of its arguments.
  const isNamed = !loaded || words.some((word) => /^(--)?help(=|$)/.test(word));
  const parsed = isNamed ? words : words.slice(1);
  const parser = yargs(parsed)
    .scriptName('local-needle')
    .locale('en')
    .updateStrings({ 'Positionals:': 'Arguments:' })
    .help()
    .strict()
    .wrap(columns())
    .exitProcess(false)
    .fail((message: string | null, error: Error | undefined) => {
      // Some faults of the call are errors of yargs' own.
      if (error && error.name !== 'YError') throw error;
      throw callProblem(message ?? error?.message ?? '', { words, entry, known });
    });
  if (loaded) describeCommand(parser, isNamed ? name : '$0', loaded, async (args) => (exit = await runOne(args)));
  else listCommands(parser);
  const runOne = async (args: CommonArguments) => {
    if (!loaded) return 2;
    const { valueProblem } = await import('./call-problem.js');
    const problem = valueProblem(args as unknown as Record<string, unknown>, loaded.command.options ?? {});
    if (problem) throw problem;
    args.format ??= loaded.command.formats?.[0] ?? 'text';
    return loaded.command.run(args, output, runCommandLine);
  };
  await parser.parseAsync(parsed, {}, (error, _args, text) => {
    if (text) (error ? output.log : output.out)(text);
  });
  return exit;
}

/** The width of help. */
const columns = () => Math.min(110, process.stdout.columns ?? 80);

/** Examples, each with what it is for beside it or, where that does not fit, below it: a command is never broken. */
function examplesText(examples: [string, string][], width: number): string {
  const lines = examples.map(([line, what]) => [line.replace('$0', 'local-needle'), what] as const);
  const widest = Math.max(...lines.map(([line]) => line.length));
  const fits = lines.every(([, what]) => 2 + widest + 2 + what.length <= width);
  const shown = lines.map(([line, what]) =>
    what === '' ? `  ${line}` : fits ? `  ${line.padEnd(widest)}  ${what}` : `  ${line}\n      ${what}`,
  );
  return ['Examples:', ...shown].join('\n');
}

/** The help of the program: every command with what it is for. */
function listCommands(parser: Argv): void {
  parser
    .usage('$0 COMMAND\n\nStyle and script rules for single pages of a website: write, check and ship them.')
    .version(version)
    .demandCommand(1)
    .epilogue(
      'Start here:\n  local-needle init public    a project for the HTML files in public\n  local-needle pages          its pages and how to target them\n  local-needle check          what the rules do on them\n\nlocal-needle COMMAND --help shows the options of a command, with examples.',
    );
  for (const [name, { describe, usage }] of Object.entries(commands))
    parser.command(usage ? `${name} ${usage}` : name, describe);
}

/** The help of one command: its arguments, its own options, the common ones, examples. */
function describeCommand(
  parser: Argv,
  name: string,
  { entry, command }: Loaded,
  run: (args: CommonArguments) => Promise<unknown>,
): void {
  const { positionals = {}, options = {}, formats = ['text'], examples } = command;
  const own: Record<string, Options> = { ...options };
  if (formats.length > 1) own['format'] = { choices: formats, default: formats[0], describe: 'Form of the output' };
  parser.command(
    entry.usage ? `${name} ${entry.usage}` : name,
    entry.describe,
    (inner: Argv) => {
      let made = inner.version(false).options(own).group(Object.keys(own), 'Options:');
      made = made.options(commonOptions).group([...Object.keys(commonOptions), 'help'], 'Common options:');
      for (const [word, about] of Object.entries(positionals)) made = made.positional(word, about as PositionalOptions);
      return made.epilogue(examplesText(examples, columns()));
    },
    async (args) => void (await run(args as unknown as CommonArguments)),
  );
}
