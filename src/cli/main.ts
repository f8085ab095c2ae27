#!/usr/bin/env node
import { execute } from './execute.js';

const output = {
  out: (text: string) => void process.stdout.write(`${text}\n`),
  log: (text: string) => void process.stderr.write(`${text}\n`),
};

// A reader that stops early (head, less) is not an error.
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code === 'EPIPE') process.exit(0);
  throw error;
});

void execute(process.argv.slice(2), output).then((status) => (process.exitCode = status));
