import type { InferredOptionTypes, Options } from 'yargs';
import type { FailedPage } from '../browser/page-window.js';
import { printable } from '../report/text.js';
import type { SiteCall } from '../app/call.js';
import type { LookCall } from '../app/open.js';

/** Where a command's output goes; tests and `demo` pass their own. */
export interface Output {
  /** Results. */
  out: (text: string) => void;
  /** Progress and logs. */
  log: (text: string) => void;
}

/** Options that every command takes. */
export interface CommonArguments extends SiteCall {
  format: string;
  debug?: boolean;
}

/** Options of `check`, `why` and `find` for viewport, state and visitor. */
export interface LookArguments extends CommonArguments, LookCall {}

export const lookOptions = {
  viewport: { type: 'string', describe: 'Viewport of local-needle.yaml (default: the first)' },
  state: { type: 'string', describe: 'State of local-needle.yaml, such as scrolled' },
  visitor: { type: 'string', describe: 'Visitor of local-needle.yaml, such as member' },
} as const;

/** How long a page in Chromium may take. */
export const pageTimeout = {
  timeout: { type: 'number', default: 30, describe: 'Timeout of a page in Chromium, in seconds' },
} as const;

/** Pages that could not be looked at, as far as they are named. */
const mostNamed = 10;

/** Logs the pages that could not be looked at. `what`: what could not be done with them. */
export function logFailed(failed: FailedPage[], what: string, { log }: Output): void {
  for (const { path, reason } of failed.slice(0, mostNamed))
    log(`${printable(path)} could not be ${what}: ${printable(reason)}`);
  if (failed.length > mostNamed) log(`and ${failed.length - mostNamed} more`);
}

/** Runs a command line and returns its exit status. */
export type RunLine = (words: string[], output: Output) => Promise<number>;

type OptionSet = Record<string, Options>;

/** A command's arguments, as yargs types its positionals and options. */
export type ArgumentsOf<Positionals extends OptionSet, Own extends OptionSet> = CommonArguments &
  InferredOptionTypes<Positionals> &
  InferredOptionTypes<Own>;

/** One command: its own options and what it does. `run` returns the exit status. */
export interface Command<T extends CommonArguments = CommonArguments> {
  positionals?: OptionSet;
  options?: OptionSet;
  /** What `--format` can be; the first is the default. */
  formats?: string[];
  examples: [string, string][];
  /** `runLine`: runs another command line, as `demo` does. */
  run: (args: T, output: Output, runLine: RunLine) => Promise<number>;
}

/** A command for the table in run.ts; its arguments have the types of its own options. */
export const defineCommand = <T extends CommonArguments>(command: Command<T>): Command => command as unknown as Command;

/** For commands that take the name of a site as their first word. */
export const siteByName = {
  positionals: { name: { type: 'string', describe: 'Site of local-needle.yaml (default: the first)' } },
} as const;

/** Exit statuses, the same for every command. */
export const status = { fine: 0, findings: 1, input: 2, access: 3 } as const;
