import type { Output } from './command.js';
import { runCommandLine } from './run.js';

/** Runs one command line, writes what goes wrong as text, and returns the exit status. Never throws. */
export async function execute(words: string[], output: Output): Promise<number> {
  const { NO_COLOR: none, FORCE_COLOR: forced } = process.env;
  if (words.includes('--no-color')) Object.assign(process.env, { NO_COLOR: '1', FORCE_COLOR: '0' });
  try {
    return await runCommandLine(words, output);
  } catch (error) {
    const { ProblemError } = await import('../core/place.js');
    const { problemsText } = await import('../report/problems.js');
    const { styleFor } = await import('../report/text.js');
    const style = styleFor(process.stderr, process.env);
    const { message, stack = '' } = error as Error;
    if (error instanceof ProblemError) output.log(problemsText(error.problems, style));
    else {
      const hint = 'This is a bug in Local Needle. Please report it with what --debug prints.';
      output.log(problemsText([{ message: `Internal error: ${message}`, hint }], style));
    }
    if (words.includes('--debug')) output.log(stack);
    return error instanceof ProblemError && error.kind === 'input' ? 2 : 3;
  } finally {
    restore('NO_COLOR', none);
    restore('FORCE_COLOR', forced);
  }
}

function restore(name: string, value: string | undefined): void {
  if (value === undefined) delete process.env[name];
  else process.env[name] = value;
}
