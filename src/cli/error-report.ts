import { writeFileSync } from 'node:fs';
import { homedir, tmpdir } from 'node:os';
import { join } from 'node:path';
import packageJson from '../../package.json' with { type: 'json' };

/** Environment variables whose values are no secrets, and may be a part of every path. */
const plainNames =
  /^(_|HOME|PATH|PWD|OLDPWD|INIT_CWD|SHELL|TERM|EDITOR|LANG|LC_.*|USER|LOGNAME|NODE|NODE_.*|NO_COLOR|FORCE_COLOR|COLOR|CI|npm_(?!.*(auth|token|password)).*)$/i;

/**
 * A text without secrets: values of environment variables, and the users, passwords and queries of addresses. The user's own
 * folder is written as ~.
 */
export function withoutSecrets(text: string, environment: Record<string, string | undefined>, home: string): string {
  const secrets = Object.entries(environment)
    .filter(([name, value = '']) => value.length >= 4 && !plainNames.test(name))
    .sort(([, a = ''], [, b = '']) => b.length - a.length);
  let shown = text;
  for (const [name, value = ''] of secrets) shown = shown.split(value).join(`\${${name}}`);
  shown = shown.replace(/(https?:\/\/)[^/@\s]*@/gi, '$1…@').replace(/(https?:\/\/[^\s?#"'<>]*)\?[^\s#"'<>]*/gi, '$1?…');
  return home.length > 1 ? shown.split(home).join('~') : shown;
}

/** Writes a file to attach to a report of a bug. Returns its path; null if it cannot be written. */
export function writeErrorReport(error: Error, words: string[]): string | null {
  const { version } = packageJson;
  const text = [
    `local-needle ${version}, Node ${process.version}, ${process.platform} ${process.arch}`,
    `Command: ${words.map((word) => JSON.stringify(word)).join(' ')}`,
    '',
    error.stack ?? error.message,
  ];
  for (let cause = error.cause; cause instanceof Error; cause = cause.cause) text.push('', `Cause: ${cause.stack}`);
  const file = join(tmpdir(), `local-needle-error-${process.pid}-${Date.now()}.txt`);
  try {
    // Nobody else may read it, and a link that stands there is not followed.
    writeFileSync(file, `${withoutSecrets(text.join('\n'), process.env, homedir())}\n`, { flag: 'wx', mode: 0o600 });
    return file;
  } catch {
    return null;
  }
}
