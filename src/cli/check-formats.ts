import { existsSync, readFileSync } from 'node:fs';
import { dirname, join, relative, sep } from 'node:path';
import packageJson from '../../package.json' with { type: 'json' };
import { packageFolder } from '../../demo/site.js';
import type { CheckReport } from '../core/check/verdict.js';
import { readForEdit } from '../project/edit.js';
import { writeSet } from '../disk/file-set.js';
import { checkText, totalsText } from '../report/check-text.js';
import { plainStyle, styleFor } from '../report/text.js';
import { today } from '../app/call.js';
import { jsonParts } from '../report/json.js';

/** The folder of a project in its git repository, with a slash at its end; empty where it is none, or is the same. */
function inRepository(directory: string): string {
  for (let folder = directory; ; folder = dirname(folder)) {
    if (existsSync(join(folder, '.git'))) {
      const way = relative(folder, directory).split(sep).join('/');
      return way === '' ? '' : `${way}/`;
    }
    if (folder === dirname(folder)) return '';
  }
}

/** A text, or its parts of whole lines. */
type Text = string | Iterable<string>;

/** Every report format but text; each is loaded only when it is used. */
export const written: Record<
  string,
  (report: CheckReport, directory: string, command: string) => Text | Promise<Text>
> = {
  json: (report) => jsonParts(report),
  csv: async (report) => (await import('../report/csv.js')).checkCsv(report),
  sarif: async (report, directory) => {
    const docs = readFileSync(join(packageFolder(), 'docs', 'findings.md'), 'utf8');
    const { checkSarif } = await import('../report/sarif.js');
    return checkSarif(report, {
      ...{ version: packageJson.version, docs, base: inRepository(directory) },
      textOf: (file) => readForEdit(directory, file).text,
    });
  },
  junit: async (report, directory) => (await import('../report/junit.js')).checkJunit(report, inRepository(directory)),
  markdown: async (report, directory) =>
    (await import('../report/markdown.js')).checkMarkdown(report, inRepository(directory)),
  html: async (report, _directory, command) =>
    (await import('../report/html.js')).checkHtml(report, { command, version: packageJson.version, day: today() }),
};

/** Which report is given, and where; `out`: a file. */
export interface Asked {
  format: string;
  out?: string;
  directory: string;
  command: string;
  asText?: Parameters<typeof checkText>[2];
}

/** Prints a report in the form that is asked for, or writes it to a file and prints its totals. */
export async function giveReport(
  report: CheckReport,
  { format, out: file, directory, command, asText }: Asked,
  out: (text: string) => void,
): Promise<void> {
  const style = styleFor(process.stdout, process.env);
  const inForm = await (written[format]?.(report, directory, command) ??
    checkText(report, file === undefined ? style : plainStyle, asText));
  const parts = typeof inForm === 'string' ? [inForm] : inForm;
  if (file === undefined) {
    for (const part of parts) out(part.replace(/\r?\n$/, ''));
    return;
  }
  const content = Buffer.concat(Array.from(parts, (part) => Buffer.from(part.endsWith('\n') ? part : `${part}\n`)));
  writeSet(directory, (set) => set.file(file, content));
  out(`${file}: ${totalsText(report, style)}`);
}
