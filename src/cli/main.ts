#!/usr/bin/env node
import { runCommandLine } from './run.js';

const output = {
  out: (text: string) => void process.stdout.write(`${text}\n`),
  log: (text: string) => void process.stderr.write(`${text}\n`),
};

// A reader that stops early (head, less) is no error.
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code === 'EPIPE') process.exit(0);
  throw error;
});

try {
  process.exitCode = await runCommandLine(process.argv.slice(2), output);
} catch (error) {
  const { ProblemError } = await import('../core/place.js');
  const { problemsText } = await import('../report/problems.js');
  const { styleFor } = await import('../report/text.js');
  const style = styleFor(process.stderr, process.env);
  if (error instanceof ProblemError) {
    output.log(problemsText(error.problems, style));
    process.exitCode = error.kind === 'access' ? 3 : 2;
  } else {
    output.log(
      problemsText(
        [
          {
            message: `Local Needle stumbled: ${(error as Error).message}`,
            hint: 'This is a fault of ours. Run it again with --debug and send us what it prints.',
          },
        ],
        style,
      ),
    );
    process.exitCode = 3;
  }
  if (process.argv.includes('--debug')) output.log((error as Error).stack ?? '');
}
