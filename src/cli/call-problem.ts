import type { Options } from 'yargs';
import { renamedHint } from '../core/former-names.js';
import { suggestion } from '../core/nearest.js';
import { ProblemError } from '../core/place.js';
import { commands, type CommandEntry } from './commands.js';

const problem = (message: string, hint: string) => new ProblemError([{ message, hint }]);

/** The error for an unknown command. */
export const unknownCommand = (name: string) =>
  problem(
    `There is no command "${name}"`,
    renamedHint('command', name) ??
      `${suggestion(name, Object.keys(commands))} local-needle --help lists the commands.`,
  );

/** How a command is called: `local-needle why RULE PAGE`. */
export const callOf = (name: string, { usage = '' }: CommandEntry) =>
  `local-needle ${name} ${usage.replace(/[<>]/g, '').replace('..', '...').toUpperCase()}`.trim();

/**
 * The error for a wrong call, in our own words. `message`: yargs' English message; `words`: the call; `known`: the
 * command's options.
 */
export function callProblem(
  message: string,
  { words, entry, known }: { words: string[]; entry: CommandEntry | undefined; known: string[] },
): ProblemError {
  if (!entry) return problem('Name a command', 'local-needle --help lists the commands.');
  const [name = ''] = words;
  const call = callOf(name, entry);
  const help = `local-needle ${name} --help shows what it takes.`;
  const found = (pattern: RegExp) => pattern.exec(message)?.slice(1);
  const few = found(/^Not enough non-option arguments: got (\d+)/);
  if (few) {
    const names = [...(entry.usage ?? '').matchAll(/<([\w-]+)/g)].map(([, word = '']) => word);
    const missing = names.slice(Number(few[0])).join(' and the ');
    return problem(`${entry.missing ?? `Name the ${missing}`}: ${call}`, help);
  }
  const bare = found(/^Not enough arguments following: (\S+)/);
  if (bare) return problem(`--${bare[0]} needs a value`, help);
  const wrong = found(/Argument: ([\w-]+), Given: (.*), Choices: (.*)/);
  if (wrong) {
    const [option, given = '', choices = ''] = wrong;
    const list = choices.replace(/"/g, '');
    const said = given === '' || given === '""' ? `--${option} needs a value` : `--${option} cannot be ${given}`;
    return problem(said, `It can be ${list}.`);
  }
  const unknown = found(/^Unknown (?:argument|command)s?: ([^,]+)/)?.[0];
  if (unknown === undefined) return problem(`This call cannot be read: ${message.split('\n')[0] ?? ''}`, help);
  const plain = unknown.replace(/^no-/, '');
  // yargs names an option without its hyphens, and a word as it is.
  if (words.includes(unknown)) return problem(`"${unknown}" is one word too many: ${call}`, help);
  return problem(
    `${name} has no option --${unknown}`,
    renamedHint('option', unknown) ?? `${near(plain, known)}${help}`,
  );
}

const near = (word: string, known: string[]) => {
  const said = suggestion(word, known);
  return said.startsWith('Did') ? `${said.replace('mean ', 'mean --')} ` : '';
};

/** A day: more than anyone waits, and less than timers can count. */
const longestSeconds = 86_400;

/** Options without a value, with an invalid number, or given twice; null if there is no such error. */
export function valueProblem(args: Record<string, unknown>, options: Record<string, Options>): ProblemError | null {
  for (const [name, { type, array, requiresArg }] of Object.entries(options)) {
    const value = args[name];
    if (!array && Array.isArray(value)) return problem(`--${name} is given more than once`, `Say --${name} once.`);
    if (type === 'string' && value === '' && requiresArg !== false)
      return problem(`--${name} needs a value`, `Write --${name} VALUE.`);
    if (type === 'number' && value !== undefined && !Number.isFinite(value))
      return problem(`--${name} takes a number`, `Write --${name} 5, for example.`);
    if (name === 'timeout' && !(Number(value) > 0 && Number(value) <= longestSeconds))
      return problem(`--timeout must be greater than 0 and at most ${longestSeconds} seconds`, 'Write --timeout 60.');
  }
  return null;
}
