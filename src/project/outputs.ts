import { existsSync, readdirSync, readFileSync, realpathSync } from 'node:fs';
import { basename, dirname, join, relative, resolve, sep } from 'node:path';
import { anyBegin } from '../core/page/build-comments.js';
import { ProblemError } from '../core/place.js';
import { projectPath } from './files.js';

const listName = join('.local-needle', 'outputs.json');

/** Folders that builds of this project wrote completely; a damaged list counts as empty. */
function known(directory: string): string[] {
  try {
    const value: unknown = JSON.parse(readFileSync(join(directory, listName), 'utf8'));
    const paths = Array.isArray(value) ? value.filter((each) => typeof each === 'string') : [];
    return paths.map((each) => resolve(realPlace(directory), each));
  } catch {
    return [];
  }
}

/** The file that records folders that builds wrote and may overwrite, with one more: its path and its content. */
export function notedOutputs(directory: string, folder: string): [path: string, content: string] {
  const all = new Set([...known(directory), realPlace(folder)].map((each) => projectPath(realPlace(directory), each)));
  return [join(directory, listName), JSON.stringify([...all].sort())];
}

/** A path with the links of its folders followed, whether it is there yet or not. */
function realPlace(path: string): string {
  const whole = resolve(path);
  if (existsSync(whole) || dirname(whole) === whole) return existsSync(whole) ? realpathSync(whole) : whole;
  return join(realPlace(dirname(whole)), basename(whole));
}

/**
 * Throws ProblemError if replacing a folder would lose files that are not ours: it holds something that no build of
 * this project wrote, or `source` and it lie in one another.
 */
export function requireOwnFolder(directory: string, folder: string, source: string | null): void {
  const place = realPlace(folder);
  const inside = (outer: string, inner: string) => {
    const way = relative(outer, inner);
    return way === '' || !(way === '..' || way.startsWith(`..${sep}`));
  };
  const overlaps = (other: string) => inside(place, other) || inside(other, place);
  if (source !== null && overlaps(realpathSync(source)))
    throw new ProblemError([
      { message: `${folder} and the folder of the site overlap`, hint: 'Choose a separate folder with --out.' },
    ]);
  if (inside(place, directory))
    throw new ProblemError([
      { message: `${folder} contains the project itself`, hint: 'Choose another folder with --out.' },
    ]);
  if (!existsSync(folder) || readdirSync(folder).length === 0 || known(directory).includes(place)) return;
  throw new ProblemError([
    {
      message: `${folder} is not empty and was not written by a build of this project; it was not changed`,
      hint: 'Choose a new folder with --out, or empty this one.',
    },
  ]);
}

/** Throws ProblemError if a file of the name is there that no build wrote. */
export function requireOwnFiles(folder: string, names: string[]): void {
  for (const name of names) {
    const file = join(folder, name);
    if (!existsSync(file) || isOurs(readFileSync(file, 'utf8'), name)) continue;
    throw new ProblemError([
      {
        message: `${join(folder, name)} already exists and was not written by a build; nothing was written`,
        hint: 'Choose another folder with --out, or move the file.',
      },
    ]);
  }
}

/** Whether a file's text says that a build wrote it. */
function isOurs(text: string, name: string): boolean {
  if (name === 'manifest.json') return text.includes('"local-needle.css"');
  return text.trimStart().startsWith(anyBegin);
}
