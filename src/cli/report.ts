import { readFileSync, statSync } from 'node:fs';
import { openCheck } from '../app/check-input.js';
import { withLostHits } from '../app/lost-hits.js';
import { readPart, resultsOf, wholeOf, type Part } from '../app/parts.js';
import { check } from '../core/check/check.js';
import { ProblemError } from '../core/place.js';
import { count } from '../report/text.js';
import { failOn, statusFor } from './check.js';
import { giveReport, written } from './check-formats.js';
import { defineCommand, type ArgumentsOf } from './command.js';

/** Maximum size of a part, in bytes. */
const mostBytes = 512 * 1024 * 1024;

const positionals = {
  parts: { type: 'string', array: true, demandOption: true, describe: 'Files of local-needle check --shard' },
} as const;

const options = { out: { type: 'string', describe: 'Write the report to this file' }, ...failOn } as const;

type ReportArguments = ArgumentsOf<typeof positionals, typeof options>;

function partIn(file: string): [string, Part] {
  let text: string;
  try {
    if (statSync(file).size > mostBytes) throw new Error(`it is larger than ${mostBytes / 1024 / 1024} MB`);
    text = readFileSync(file, 'utf8');
  } catch (error) {
    throw new ProblemError([{ message: `${file} cannot be read: ${(error as Error).message}` }], 'access');
  }
  return [file, readPart(text, file)];
}

export const command = defineCommand<ReportArguments>({
  formats: ['text', ...Object.keys(written)],
  positionals,
  options,
  examples: [
    ['$0 report part-*.json', 'the report that one machine would have made'],
    ['$0 report part-*.json --format html --out report.html', 'as a page'],
  ],
  async run({ parts, ...args }, { out, log }) {
    const { look, results: known } = wholeOf(parts.map(partIn));
    const { site, viewport, state, visitor } = look;
    const asked = { site, viewport, state: state ?? undefined, visitor: visitor ?? undefined };
    const opened = openCheck({ ...args, ...asked, byContent: true });
    const { results, judged } = resultsOf(known);
    const report = withLostHits(opened.project.directory, opened.input, check({ ...opened.input, results }));
    if (judged() > 0) log(`${count(judged(), 'page')} differed from what the parts judged, and was judged here.`);
    const command = commandOf(look, opened.input.viewports[0]?.name);
    await giveReport(report, { ...args, directory: opened.project.directory, command }, out);
    return statusFor(
      report.findings.map(({ level }) => level),
      args['fail-on'],
    );
  },
});

/** The command that one machine would have been given. */
function commandOf({ viewport, state, visitor }: Part['look'], usual: string | undefined): string {
  const named = { viewport: viewport === usual ? null : viewport, state, visitor };
  const words = Object.entries(named).flatMap(([name, value]) => (value === null ? [] : [`--${name}`, value]));
  return ['local-needle check', ...words].join(' ');
}
