import { existsSync, statSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import { ProblemError } from '../core/place.js';
import { endKilledSets } from '../disk/file-set.js';
import { systemReason } from '../disk/system-reason.js';
import { readProjectText } from './files.js';
import { readConfiguration, type Settings } from './read-configuration.js';

export const configurationName = 'local-needle.yaml';

/**
 * The folder of the project: the one given, or the nearest upwards with a local-needle.yaml. What a killed command was
 * writing there is ended. Throws ProblemError.
 */
export function findProject(given: string | undefined, from: string): string {
  const directory = projectFolder(given, from);
  endKilledSets(directory);
  return directory;
}

function projectFolder(given: string | undefined, from: string): string {
  if (given !== undefined) {
    const directory = resolve(from, given);
    if (existsSync(join(directory, configurationName))) return directory;
    throw new ProblemError([
      { message: `${given} holds no ${configurationName}`, hint: 'Run local-needle init FOLDER there to make one.' },
    ]);
  }
  for (let directory = from; ; directory = dirname(directory)) {
    if (existsSync(join(directory, configurationName))) return directory;
    if (dirname(directory) === directory) break;
  }
  throw new ProblemError([
    {
      message: `There is no ${configurationName} here or in a folder above`,
      hint: 'Run local-needle init FOLDER, or name the project with --project DIR.',
    },
  ]);
}

/** Reads local-needle.yaml alone; `text` stands for that of the file. Throws ProblemError. */
export function loadSettings(directory: string, text?: string): Settings {
  const own = text ?? readProjectText(directory, join(directory, configurationName));
  return readConfiguration(own, configurationName);
}

/** Whether a path is a folder. Throws ProblemError with the system's error if that cannot be read. */
export function requireFolder(path: string, shown: string): void {
  try {
    if (statSync(path).isDirectory()) return;
  } catch (error) {
    throw new ProblemError(
      [
        {
          message: `The folder ${shown} cannot be read: ${systemReason(error)}`,
          hint: 'Check the name. It is relative to the folder of local-needle.yaml.',
        },
      ],
      'access',
    );
  }
  throw new ProblemError(
    [{ message: `${shown} is a file, not a folder`, hint: 'Name the folder that contains the pages.' }],
    'access',
  );
}
