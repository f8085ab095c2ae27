import { existsSync, realpathSync, statSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import { globSync } from 'tinyglobby';
import type { Finding } from '../core/check/finding.js';
import { ProblemError, type Problem } from '../core/place.js';
import type { Rule } from '../core/rule/rule.js';
import { loadFileUse, projectPath, readProjectText, systemReason, withSource } from './files.js';
import { readConfiguration, type Settings } from './read-configuration.js';
import { doubleNames, readRuleFile } from './rule-file.js';

export const configurationName = 'local-needle.yaml';

/** A user's project: its settings, its rules in the order of their files, and what reading them found. */
export interface Project {
  /** Absolute. */
  directory: string;
  settings: Settings;
  rules: Rule[];
  findings: Finding[];
}

/** The folder of the project: the one given, or the nearest upwards with a local-needle.yaml. Throws ProblemError. */
export function findProject(given: string | undefined, from: string): string {
  if (given !== undefined) {
    const directory = resolve(from, given);
    if (existsSync(join(directory, configurationName))) return directory;
    throw new ProblemError([
      { message: `${given} holds no ${configurationName}`, hint: 'Run local-needle start FOLDER there to make one.' },
    ]);
  }
  for (let directory = from; ; directory = dirname(directory)) {
    if (existsSync(join(directory, configurationName))) return directory;
    if (dirname(directory) === directory) break;
  }
  throw new ProblemError([
    {
      message: `There is no ${configurationName} here or in a folder above`,
      hint: 'Run local-needle start FOLDER, or name the project with --project DIR.',
    },
  ]);
}

/** Reads local-needle.yaml alone. Throws ProblemError. */
export function loadSettings(directory: string): Settings {
  return readConfiguration(readProjectText(directory, join(directory, configurationName)), configurationName);
}

/** Reads a project whole. Throws ProblemError with every problem of every file, not the first alone. */
export function loadProject(directory: string): Project {
  const root = realpathSync(directory);
  const settings = loadSettings(root);
  const files = globSync(settings.rules, {
    cwd: root,
    absolute: true,
    onlyFiles: true,
    ignore: ['**/node_modules/**', '.local-needle/**'],
  });
  const project: Project = { directory: root, settings, rules: [], findings: [] };
  const problems: Problem[] = [];
  const styleFiles = new Set<string>();
  let access = false;
  const read = files
    .map((file) => ({ file, path: projectPath(root, file) }))
    .sort((a, b) => (a.path < b.path ? -1 : 1))
    .map(({ file, path }) => {
      try {
        const text = readProjectText(root, file);
        return {
          path,
          text,
          ...readRuleFile(text, path, file, (from, url, at) => noteStyle(loadFileUse(root, from, url, at), styleFiles)),
        };
      } catch (error) {
        if (!(error instanceof ProblemError)) throw error;
        access ||= error.kind === 'access';
        return { path, text: '', rules: [], findings: [], problems: error.problems };
      }
    })
    // A stylesheet that a rule names by @style is plain CSS and no rule file, wherever it lies.
    .filter(({ path }) => !styleFiles.has(path));
  for (const each of read) {
    project.rules.push(...each.rules);
    project.findings.push(...each.findings);
    problems.push(...each.problems);
  }
  const texts = new Map(read.map(({ path, text }) => [path, text]));
  problems.push(
    ...doubleNames(project.rules).flatMap((problem) => withSource([problem], texts.get(problem.at?.file ?? '') ?? '')),
  );
  if (problems.length > 0) throw new ProblemError(problems, access ? 'access' : 'input');
  return project;
}

function noteStyle(loaded: ReturnType<typeof loadFileUse>, styleFiles: Set<string>) {
  if (loaded.use.path?.endsWith('.css') && loaded.use.content) styleFiles.add(loaded.use.path);
  return loaded;
}

/** Whether a path is a folder. Throws ProblemError with what the system said where it cannot be told. */
export function requireFolder(path: string, shown: string): void {
  try {
    if (statSync(path).isDirectory()) return;
  } catch (error) {
    throw new ProblemError(
      [
        {
          message: `The folder ${shown} cannot be read: ${systemReason(error)}`,
          hint: 'Check the name; it counts from the folder of local-needle.yaml.',
        },
      ],
      'access',
    );
  }
  throw new ProblemError(
    [{ message: `${shown} is a file, not a folder`, hint: 'Name the folder that holds the pages.' }],
    'access',
  );
}
