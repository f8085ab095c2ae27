import { existsSync, readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import type { Options } from 'yargs';
import { verdictMeanings } from '../core/check/verdict.js';
import { findingCodes } from '../core/finding.js';
import { chosenSite } from '../project/read-configuration.js';
import { findProject, loadSettings } from '../project/settings.js';
import type { Command } from './command.js';
import { commands } from './commands.js';
import { shells } from './completion.js';

/** The words that can be at one place of a command line. Slow modules are loaded only where they are needed. */
type Candidates = () => string[] | Promise<string[]>;

const directory = () => findProject(undefined, process.cwd());
const settings = () => loadSettings(directory());
const rules: Candidates = async () => {
  const { ruleNames } = await import('../project/rule-names.js');
  return ruleNames(directory(), settings());
};
const sites: Candidates = () => settings().sites.map(({ name }) => name);
const pages: Candidates = async () => {
  const { capturedSite } = await import('../app/sites.js');
  const all = settings();
  const content = capturedSite(directory(), all, chosenSite(all, undefined), null);
  return content?.site.pages.map(({ path }) => path) ?? [];
};
const viewports: Candidates = () => settings().viewports.map(({ name }) => name);

/** The arguments of commands, in their order; the last stands for all that follow. */
const ofArguments: Record<string, Candidates[]> = {
  capture: [sites, pages],
  preview: [sites],
  compare: [sites, sites],
  pages: [pages],
  why: [rules, pages],
  check: [rules],
  rules: [() => ['list', 'pause', 'resume'], rules],
  explain: [() => [...Object.keys(findingCodes), ...Object.keys(verdictMeanings)]],
  completion: [() => Object.keys(shells)],
};

/** Options whose values the project names; the others have fixed choices. */
const ofOptions: Record<string, Candidates> = {
  site: sites,
  rule: rules,
  page: pages,
  path: pages,
  'except-path': pages,
  viewport: viewports,
  state: () => Object.keys(settings().states),
  visitor: () => Object.keys(settings().visitors),
};

const common = ['--project', '--site', '--no-color', '--help'];

/** The options of a command, as its completion needs them. */
interface KnownOptions {
  options: Record<string, Pick<Options, 'type' | 'choices'>>;
  formats: string[];
}

/**
 * A command's options, from the table that the build wrote: loading the command itself can be too slow for a key press.
 */
async function optionsOf(name: string): Promise<KnownOptions> {
  const table = fileURLToPath(new URL('options.json', import.meta.url));
  if (existsSync(table)) {
    const known = (JSON.parse(readFileSync(table, 'utf8')) as Record<string, KnownOptions>)[name];
    if (known) return known;
  }
  return readOptions(name);
}

/** The same, read from the command itself. */
export async function readOptions(name: string): Promise<KnownOptions> {
  const { command } = ((await commands[name]?.load()) ?? { command: {} }) as { command: Partial<Command> };
  const { options = {}, formats = [] } = command;
  const own = Object.entries(options).map(([each, { type, choices }]) => [each, { type, choices }]);
  return { options: Object.fromEntries(own) as KnownOptions['options'], formats };
}

/** The words that may be where the cursor is. `words`: all after the program's name, the last as far as it is typed. */
export async function complete(words: string[]): Promise<string[]> {
  const [name = '', ...rest] = words;
  const word = words.at(-1) ?? '';
  const starting = (list: string[]) => list.filter((each) => each.startsWith(word) && !/\s/.test(each));
  if (rest.length === 0) return starting(word.startsWith('-') ? ['--help', '--version'] : Object.keys(commands));
  if (!Object.hasOwn(commands, name)) return [];
  const { options, formats } = await optionsOf(name);
  if (word.startsWith('-')) {
    const own = Object.keys(options).map((each) => `--${each}`);
    return starting([...own, ...(formats.length > 1 ? ['--format'] : []), ...common]);
  }
  const takesValue = (before: string | undefined) =>
    before?.startsWith('--') && options[before.slice(2)]?.type !== 'boolean';
  try {
    const before = rest.at(-2);
    if (before !== undefined && takesValue(before)) return starting(await valuesOf(before.slice(2), options, formats));
    const lists = ofArguments[name] ?? [];
    const at = rest.slice(0, -1).filter((each, index) => !each.startsWith('-') && !takesValue(rest[index - 1])).length;
    return starting((await (lists[at] ?? lists.at(-1))?.()) ?? []);
  } catch {
    // Outside of a project, or in one with errors, there is nothing to complete; the command itself says what is wrong.
    return [];
  }
}

/** The values of an option; empty for free text and for files, which the shell completes. */
async function valuesOf(option: string, options: KnownOptions['options'], formats: string[]): Promise<string[]> {
  if (option === 'format') return formats;
  const choices = options[option]?.choices?.map(String);
  return choices ?? (Object.hasOwn(ofOptions, option) ? ((await ofOptions[option]?.()) ?? []) : []);
}
