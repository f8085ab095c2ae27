import tables from '../core/css/browser-tables.json' with { type: 'json' };
import type { Problem } from '../core/place.js';
import { safeForTerminal } from '../report/printable.js';
import type { Output } from './command.js';
import { runCommandLine } from './run.js';

/** Whether what a command prints is for other programs, or goes into a file: it must not be changed on its way. */
function printsData(words: string[]): boolean {
  const [command = ''] = words;
  const format = words.flatMap((word, at) =>
    word === '--format' ? (words[at + 1] ?? []) : (/^--format=(.*)/.exec(word)?.[1] ?? []),
  )[0];
  const isSnippet = command === 'build' && words.some((word) => /^--page(=|$)/.test(word));
  return (
    (format !== undefined && format !== 'text') ||
    isSnippet ||
    /^(schema|completion|convert)$/.test(command) ||
    command.startsWith('-')
  );
}

/** An output whose texts cannot steer a terminal, whatever names, titles and arguments brought into them. */
function guarded({ out, log }: Output, words: string[], safe: (text: string, coloured: boolean) => string): Output {
  const coloured = (stream: { isTTY?: boolean }) =>
    process.env['FORCE_COLOR'] !== undefined || (stream.isTTY === true && process.env['NO_COLOR'] === undefined);
  return {
    out: process.stdout.isTTY !== true && printsData(words) ? out : (text) => out(safe(text, coloured(process.stdout))),
    log: (text) => log(safe(text, coloured(process.stderr))),
  };
}

/** Runs one command line, writes what goes wrong as text, and returns the exit status. Never throws. */
export async function execute(words: string[], given: Output): Promise<number> {
  const { NO_COLOR: none, FORCE_COLOR: forced } = process.env;
  if (words.includes('--no-color')) Object.assign(process.env, { NO_COLOR: '1', FORCE_COLOR: '0' });
  const output = guarded(given, words, safeForTerminal);
  try {
    return await runCommandLine(words, output);
  } catch (error) {
    const { ProblemError } = await import('../core/place.js');
    const { problemsText } = await import('../report/problems.js');
    const { styleFor } = await import('../report/text.js');
    const style = styleFor(process.stderr, process.env);
    const problems = error instanceof ProblemError ? error.problems : [await unexpected(error as Error, words)];
    output.log(problemsText(problems, style));
    if (words.includes('--debug'))
      output.log(`${(error as Error).stack ?? ''}\nTables of Chromium ${tables.chromium}, Node.js ${process.version}`);
    return error instanceof ProblemError && error.kind === 'input' ? 2 : 3;
  } finally {
    restore('NO_COLOR', none);
    restore('FORCE_COLOR', forced);
  }
}

/** An error that no command foresaw: of the system, or a bug. */
async function unexpected(error: Error, words: string[]): Promise<Problem> {
  const { code, syscall, path } = error as NodeJS.ErrnoException;
  if (code !== undefined && syscall !== undefined && path !== undefined) {
    const { systemReason } = await import('../disk/system-reason.js');
    return { message: `${path} cannot be read or written: ${systemReason(error)}` };
  }
  const { writeErrorReport } = await import('./error-report.js');
  const file = writeErrorReport(error, words);
  return {
    message: `Internal error: ${error.message}`,
    hint:
      file === null
        ? 'This is a bug in Local Needle. Please report it with what --debug prints.'
        : `This is a bug in Local Needle. Please report it and attach ${file}: it tells where it happened. Values of environment variables, passwords and queries of addresses are not in it.`,
  };
}

function restore(name: string, value: string | undefined): void {
  if (value === undefined) delete process.env[name];
  else process.env[name] = value;
}
