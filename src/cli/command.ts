import type { Argv, Options } from 'yargs';

/** Where a command's output goes; a test or `demo` can give its own. */
export interface Output {
  /** Results. */
  out: (text: string) => void;
  /** Progress and logs. */
  log: (text: string) => void;
}

/** Options that every command takes. */
export interface CommonArguments {
  project?: string;
  site?: string;
  format: string;
  debug?: boolean;
}

/** One command: its own options and what it does. `run` returns the exit status. */
export interface Command<T extends CommonArguments = CommonArguments> {
  /** Positional arguments as yargs writes them: `[path]`. */
  usage?: string;
  positionals?: (yargs: Argv) => Argv;
  options?: Record<string, Options>;
  /** What `--format` can be; the first is the default. */
  formats?: string[];
  examples: [string, string][];
  run: (args: T, output: Output) => Promise<number>;
}

/** For commands that take the name of a site as their first word. */
export const siteByName = {
  usage: '[name]',
  positionals: (yargs: Argv) =>
    yargs.positional('name', { type: 'string', describe: 'Site of local-needle.yaml (default: the first)' }),
};

/** Exit statuses, the same for every command. */
export const status = { fine: 0, findings: 1, input: 2, access: 3 } as const;

/** The day where the user is, `2026-11-23`. */
export function today(now = new Date()): string {
  return new Date(now.getTime() - now.getTimezoneOffset() * 60_000).toISOString().slice(0, 10);
}
