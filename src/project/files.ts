import { closeSync, fstatSync, openSync, readFileSync, realpathSync } from 'node:fs';
import { dirname, relative, resolve, sep } from 'node:path';
import { ProblemError, type Place, type Problem } from '../core/place.js';
import type { FileUse } from '../core/action/action.js';
import { systemReason } from '../disk/system-reason.js';

/** Maximum size of a project file, in bytes. */
const mostBytes = 8 * 1024 * 1024;

/** The file's path from the project's folder, with forward slashes. */
export const projectPath = (directory: string, file: string) => relative(directory, file).split(sep).join('/');

/** Whether a path lies in a folder, links followed. */
function isInside(directory: string, file: string): boolean {
  const way = relative(realpathSync(directory), realpathSync(file));
  return way !== '' && way !== '..' && !way.startsWith(`..${sep}`) && resolve(directory, way) !== way;
}

function readBytes(file: string): Buffer {
  const handle = openSync(file, 'r');
  try {
    const { size } = fstatSync(handle);
    if (size > mostBytes) throw new Error(`it has ${size} bytes; at most ${mostBytes} are read`);
    return readFileSync(handle);
  } finally {
    closeSync(handle);
  }
}

/** The text of a file of the project (UTF-8, a BOM taken off). Throws ProblemError if it cannot be read or is no UTF-8. */
export function readProjectText(directory: string, file: string): string {
  const shown = projectPath(directory, file);
  let bytes: Buffer;
  try {
    bytes = readBytes(file);
  } catch (error) {
    throw new ProblemError([{ message: `${shown} cannot be read: ${systemReason(error)}` }], 'access');
  }
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    throw new ProblemError([
      { message: `${shown} is not UTF-8 text`, hint: 'Save it as UTF-8.', at: { file: shown, line: 1, column: 1 } },
    ]);
  }
}

/** Reads a file that a rule names, relative to the file that names it. `fault` says why it cannot be used. */
export function loadFileUse(
  directory: string,
  fromFile: string,
  url: string,
  at: Place,
): { use: FileUse; fault: string | null } {
  const address = /^([a-z][a-z0-9+.-]*:|\/)/i.test(url);
  if (address) return { use: { url, at, path: null, content: null }, fault: null };
  const file = resolve(directory, dirname(fromFile), decodeURI(url.replace(/[?#].*$/, '')));
  const path = projectPath(directory, file);
  const use: FileUse = { url, at, path, content: null };
  try {
    if (path.startsWith('../') || !isInside(directory, file))
      return { use, fault: `${url} is outside the project, and rules can only use files of the project` };
    return { use: { ...use, content: readBytes(file) }, fault: null };
  } catch (error) {
    return { use, fault: `${url} cannot be read: ${systemReason(error)} (looked for ${path})` };
  }
}

/** Adds the offending line to each problem that has a place in this text. */
export function withSource(problems: Problem[], text: string): Problem[] {
  if (problems.length === 0) return problems;
  const lines = text.split(/\r\n|\n|\r|\f/);
  return problems.map((problem) => (problem.at ? { ...problem, source: lines[problem.at.line - 1] } : problem));
}
