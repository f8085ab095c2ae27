import type { Output } from './command.js';
import { runCommandLine } from './run.js';

/** Runs one command line, tells what goes wrong as text, and returns the exit status. Never throws. */
export async function execute(words: string[], output: Output): Promise<number> {
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
      const hint = 'This is a fault of ours. Run it again with --debug and send us what it prints.';
      output.log(problemsText([{ message: `Local Needle stumbled: ${message}`, hint }], style));
    }
    if (words.includes('--debug')) output.log(stack);
    return error instanceof ProblemError && error.kind === 'input' ? 2 : 3;
  }
}
