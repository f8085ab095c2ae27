import { existsSync, mkdirSync, mkdtempSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { basename, dirname, join, resolve } from 'node:path';
import { ProblemError } from '../core/place.js';
import { systemReason } from '../project/files.js';

const cannotBeWritten = (what: string, error: unknown) =>
  new ProblemError(
    [{ message: `${what} cannot be written: ${systemReason(error)}`, hint: 'The previous content was not changed.' }],
    'access',
  );

/** Writes files below a folder atomically: all of them or none. Throws ProblemError if one cannot be written. */
export function writeFiles(folder: string, files: Map<string, string | Uint8Array>): void {
  const staged: [from: string, to: string][] = [];
  let current = folder;
  try {
    for (const [name, content] of files) {
      current = join(folder, name);
      const made = `${current}.${process.pid}.new`;
      mkdirSync(dirname(current), { recursive: true });
      // No command reads a temporary file that a crash leaves behind.
      staged.push([made, current]);
      const mode = existsSync(current) ? statSync(current).mode : undefined;
      writeFileSync(made, content, { flush: true, mode });
    }
    for (const [made, file] of staged) {
      current = file;
      renameSync(made, file);
    }
  } catch (error) {
    for (const [made] of staged) rmSync(made, { force: true });
    throw cannotBeWritten(current, error);
  }
}

/** Replaces a folder atomically: `fill` writes the new one elsewhere first. Throws ProblemError. */
export function replaceFolder(folder: string, fill: (made: string) => void): void {
  const target = resolve(folder);
  let made: string | undefined;
  try {
    mkdirSync(dirname(target), { recursive: true });
    made = mkdtempSync(join(dirname(target), `.${basename(target)}-new-`));
    const inner = join(made, 'new');
    mkdirSync(inner);
    fill(inner);
    if (existsSync(target)) renameSync(target, join(made, 'old'));
    renameSync(inner, target);
  } catch (error) {
    if (made && existsSync(join(made, 'old')) && !existsSync(target)) renameSync(join(made, 'old'), target);
    throw error instanceof ProblemError ? error : cannotBeWritten(folder, error);
  } finally {
    if (made) rmSync(made, { recursive: true, force: true });
  }
}

/** Replaces a folder atomically by one with these files. Throws ProblemError. */
export function writeFolder(folder: string, files: Map<string, string | Uint8Array>): void {
  replaceFolder(folder, (made) => fillFolder(made, files));
}

/** Writes files into a new folder that nothing reads yet. */
export function fillFolder(folder: string, files: Map<string, string | Uint8Array>): void {
  for (const [name, content] of files) {
    mkdirSync(dirname(join(folder, name)), { recursive: true });
    writeFileSync(join(folder, name), content, { flush: true });
  }
}
