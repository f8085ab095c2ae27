import { existsSync, readFileSync } from 'node:fs';
import { dirname, extname, join, relative, resolve } from 'node:path';
import { convert, type ConvertInput, type OldFile } from '../core/convert/convert.js';
import { ProblemError } from '../core/place.js';
import type { SiteContent } from '../capture/site-content.js';
import { writeSet } from '../disk/file-set.js';
import { systemReason } from '../disk/system-reason.js';
import { loadFileUse, withSource } from '../project/files.js';
import type { Project } from '../project/project.js';
import type { SiteSource } from '../project/read-configuration.js';
import { readRuleFile } from '../project/rule-file.js';
import { convertText } from '../report/convert.js';
import { printable, styleFor } from '../report/text.js';
import { defineCommand, type ArgumentsOf, status } from './command.js';
import { pageAt } from '../app/page-at.js';
import { openProject } from '../app/open.js';
import { progressBar } from './progress.js';

const kinds: Record<string, OldFile['kind']> = { '.css': 'css', '.js': 'js', '.html': 'html', '.htm': 'html' };
/** Bytes that an old file may have at most. */
const mostBytes = 8 * 1024 * 1024;

const positionals = {
  files: {
    type: 'string',
    array: true,
    describe: 'Stylesheets, scripts and HTML snippets; FILE=/path for the snippet of one page',
    demandOption: true,
  },
} as const;

const options = {
  out: { type: 'string', default: 'rules/converted.css', describe: 'Rule file to write' },
  leftover: {
    type: 'string',
    default: 'leftover',
    describe: 'Folder for the CSS and scripts that stay site-wide',
  },
  'dry-run': { type: 'boolean', default: false, describe: 'Show the rules and write nothing' },
} as const;

type ConvertArguments = ArgumentsOf<typeof positionals, typeof options>;

export const command = defineCommand<ConvertArguments>({
  positionals,
  options,
  formats: ['text', 'json'],
  examples: [
    ['$0 convert old/site-wide.css --dry-run', 'shows the rules only'],
    ['$0 convert old/site-wide.css old/pay.html=/tickets/pay', 'with the snippet of one page'],
  ],
  async run(args, { out, log }) {
    const { project, source, content } = openProject(args);
    const file = ruleFileNamed(args.out);
    const scriptFolder = file.replace(/^.*\//, '').replace(/\.css$/, '');
    const input: ConvertInput = {
      files: args.files.map((name) => oldFile(name, content, source)),
      view: content,
      viewports: project.settings.viewports,
      place: project.settings.place,
      taken: project.rules.map(({ name }) => name),
      scriptFolder,
      readRules: (text, scripts) => rulesOf(text, file, scripts, project),
    };
    const bar = progressBar('pages', content.site.pages.length);
    const result = convert({
      ...input,
      onPage: (done, { path }) => bar?.update(done, { path: printable(path).slice(0, 50) }),
    });
    bar?.stop();
    const scripts = [...result.scripts].map(([name, text]): [string, string] => [
      join(dirname(file), scriptFolder, name),
      text,
    ]);
    const leftovers = [...result.leftovers].map(([name, text]): [string, string] => [join(args.leftover, name), text]);
    const files = new Map<string, string>([
      ...(result.rules === '' ? [] : [[file, result.rules] as [string, string]]),
      ...scripts,
      ...leftovers,
    ]);
    const written = { rules: file, scripts: scripts.map(([name]) => name), leftovers: leftovers.map(([name]) => name) };
    const same = result.proof.differences.length === 0;
    if (!args['dry-run'] && same) {
      refuseToOverwrite(project.directory, [...files.keys()]);
      writeSet(project.directory, (set) => {
        for (const [name, text] of files) set.file(join(project.directory, name), text);
      });
    }
    if (args.format === 'json') out(JSON.stringify(reportOf(result, content), null, 2));
    else
      out(convertText(result, written, content.site, styleFor(process.stdout, process.env), args['dry-run'] || !same));
    if (args['dry-run'] && args.format !== 'json' && result.rules !== '') out(`\n${result.rules.trimEnd()}`);
    if (args['dry-run']) log('Nothing was written (--dry-run).');
    else if (!same)
      log('Nothing was written, because pages would look different. This is a bug in Local Needle; please report it.');
    return same ? status.fine : status.findings;
  },
});

function ruleFileNamed(name: string): string {
  const file = name.split('\\').join('/');
  if (!file.split('/').includes('..') && file.endsWith('.css') && !file.startsWith('/')) return file;
  throw new ProblemError([
    { message: `${name} is not a rule file of the project`, hint: 'Name one below the folder of local-needle.yaml.' },
  ]);
}

/** Reads a file to convert; `name=/path` says the page that it is pasted into. */
function oldFile(given: string, content: SiteContent, source: SiteSource): OldFile {
  const [, path = given, address] = /^(.*?)=(\/.*)$/.exec(given) ?? [];
  const kind = kinds[extname(path).toLowerCase()];
  if (!kind)
    throw new ProblemError([
      {
        message: `${path} is not a stylesheet, script or HTML snippet`,
        hint: 'Name files that end in .css, .js or .html.',
      },
    ]);
  let text: string;
  try {
    const bytes = readFileSync(path);
    if (bytes.length > mostBytes) throw new Error(`it has ${bytes.length} bytes; at most ${mostBytes} are read`);
    text = new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch (error) {
    const reason = error instanceof TypeError ? 'it is not UTF-8 text' : systemReason(error);
    throw new ProblemError([{ message: `${path} cannot be read: ${reason}` }], 'access');
  }
  const name = relative(process.cwd(), resolve(path))
    .split('\\')
    .join('/')
    .replace(/^(\.\.\/)+/, '');
  return { name, kind, text, page: address === undefined ? null : pageAt(address, content.site, source.pathOptions) };
}

/** Reads rules that are not written yet, with their scripts. Throws ProblemError. */
function rulesOf(text: string, file: string, scripts: Map<string, string>, { directory }: Project) {
  const read = readRuleFile(text, file, join(directory, file), (from, url, at) => {
    const script = scripts.get(url.replace(/^.*\//, ''));
    if (script === undefined) return loadFileUse(directory, from, url, at);
    const use = { url, at, path: join(dirname(file), url), content: new TextEncoder().encode(script) };
    return { use, fault: null };
  });
  if (read.problems.length > 0) throw new ProblemError(withSource(read.problems, text));
  return read.rules;
}

function refuseToOverwrite(directory: string, files: string[]): void {
  const there = files.filter((file) => existsSync(join(directory, file)));
  if (there.length > 0)
    throw new ProblemError([
      {
        message: `${there.join(', ')} ${there.length === 1 ? 'is' : 'are'} already there; nothing was written`,
        hint: 'Choose other places with --out and --leftover, or move the files.',
      },
    ]);
}

function reportOf({ converted, left, proof, rules }: ReturnType<typeof convert>, { site }: SiteContent) {
  const { pages, elements, values, differences } = proof;
  return {
    kind: 'local-needle.convert',
    version: 1,
    site: site.name,
    rules,
    converted,
    left,
    proof: {
      pages,
      elements,
      values,
      differences: differences.map(({ page, element, property, before, after }) => ({
        page: page.path,
        element,
        property,
        before,
        after,
      })),
    },
  };
}
