import { execFile } from 'node:child_process';
import { appendFileSync, mkdirSync, mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { execute } from '../src/cli/execute.js';
import { chromiumPath } from '../src/browser/chromium.js';
import { buildBundle } from '../src/core/ship/bundle.js';
import { prepareShipments, type ShipmentInput } from '../src/core/ship/shipment.js';
import { assembleSite } from '../src/capture/site-content.js';
import type { CheckInput } from '../src/core/check/input.js';
import { readOpening } from '../src/core/page/opening.js';
import { readWords } from '../src/core/page/site-words.js';
import { readSkeleton } from '../src/core/page/skeleton.js';
import { readRuleFile } from '../src/project/rule-file.js';
import type { FileUse } from '../src/core/action/action.js';

/** How many generated cases a test tries: few in `npm test`, all of them in `npm run test:long`. */
export const runsOf = (short: number, long: number) => (process.env['LONG_TESTS'] === undefined ? short : long);

/** Notes what a test counted or measured, for the table in docs/reliability.md (tools/test-long.mjs). */
export function noteFigure(about: string, figure: string): void {
  const file = process.env['FIGURES'];
  if (file !== undefined) appendFileSync(file, `${JSON.stringify({ about, figure })}\n`);
}

/** What a run of the program gave. */
export interface Run {
  status: number;
  out: string;
  log: string;
}

const program = join(process.cwd(), 'dist/program/local-needle.js');

/** Runs the built program in a folder, in a process of its own. */
export function runBuilt(directory: string, words: string[], environment: Record<string, string> = {}): Promise<Run> {
  return new Promise((done) => {
    const options = { cwd: directory, env: { ...process.env, ...environment }, maxBuffer: 64 * 1024 * 1024 };
    execFile(process.execPath, [program, ...words], options, (error, out, log) => {
      done({ status: error ? Number(error.code) : 0, out, log });
    });
  });
}

let running: Promise<unknown> = Promise.resolve();

/** Runs a command in a folder through the program's own entry, in this process: one after the other. */
export const run = (directory: string, words: string[], environment: Record<string, string> = {}): Promise<Run> =>
  afterOthers(() => runHere(execute, directory, words, environment));

/** Does the same with the built program, for what needs the files that lie beside it: it saves the start of a process. */
export const runBuiltHere = (
  directory: string,
  words: string[],
  environment: Record<string, string> = {},
): Promise<Run> => afterOthers(async () => runHere(await builtEntry(), directory, words, environment));

/** The entry of the built program, loaded into this process. */
export async function builtEntry(): Promise<typeof execute> {
  const { load } = (await import(join(dirname(program), 'load.js'))) as typeof import('../src/load.js');
  return (load('execute') as { execute: typeof execute }).execute;
}

function afterOthers(each: () => Promise<Run>): Promise<Run> {
  const next = running.then(each);
  running = next;
  return next;
}

async function runHere(
  entry: typeof execute,
  directory: string,
  words: string[],
  environment: Record<string, string>,
): Promise<Run> {
  const before = { directory: process.cwd(), environment: { ...process.env } };
  const [out, log]: [string[], string[]] = [[], []];
  process.chdir(directory);
  Object.assign(process.env, environment);
  try {
    const status = await entry(words, {
      out: (text) => void out.push(`${text}\n`),
      log: (text) => void log.push(`${text}\n`),
    });
    return { status, out: out.join(''), log: log.join('') };
  } finally {
    process.chdir(before.directory);
    for (const name of Object.keys(environment)) delete process.env[name];
    Object.assign(process.env, before.environment);
  }
}

/** Makes a temporary folder with these files. */
export function folderWith(files: Record<string, string | Uint8Array>): string {
  const directory = mkdtempSync(join(tmpdir(), 'needle-test-'));
  for (const [name, content] of Object.entries(files)) {
    mkdirSync(dirname(join(directory, name)), { recursive: true });
    writeFileSync(join(directory, name), content);
  }
  return directory;
}

/** A page of the usual form. */
export const pageHtml = (bodyAttributes: string, inside = '', title = 'Saltmere') =>
  `<!DOCTYPE html><html><head><meta charset="utf-8"><title>${title}</title></head><body ${bodyAttributes}>${inside}</body></html>`;

/** A small project: three pages and the rule file given. */
export function smallProject(rules: string, more: Record<string, string | Uint8Array> = {}): string {
  return folderWith({
    'local-needle.yaml': 'version: 1\nsites: { live: { folder: public } }\n',
    'rules/a.css': rules,
    'public/index.html': pageHtml(
      'class="page-1 home"',
      '<header class="masthead"><img class="logo" src="/l.svg"></header><p class="x">a</p><p class="x">b</p>',
    ),
    'public/tickets/pay.html': pageHtml(
      'id="pay" class="page-46 section-tickets"',
      '<header class="masthead"></header><div class="promo-field">c</div>',
    ),
    'public/legal/index.html': pageHtml('', '<header class="masthead"></header>'),
    ...more,
  });
}

/** `describe` for tests that need Chromium: they fail without one where CI=true, and are skipped elsewhere. */
export const describeInBrowser: typeof describe =
  chromiumPath() === null && process.env['CI'] !== 'true' ? (describe.skip as typeof describe) : describe;

/** The bundle of some rules, as `build` makes it. */
export const bundleOf = (input: ShipmentInput, shippedName: (file: FileUse) => string = () => '') =>
  buildBundle(prepareShipments(input), {
    ...{ site: input.site.name, pathOptions: {}, minify: null, withScript: true, shippedName },
    nameOf: (name) => name,
  });

/** A site of these pages (bodies of documents), and a check of these rules on it. */
export function siteOf(
  bodies: Record<string, string>,
  ruleText: string,
  file = 'a.css',
  contentOf: (url: string) => Uint8Array | null = () => null,
) {
  const forms = [{ in: 'body-class' as const, like: 'page-{id}' }];
  const html = new Map(
    Object.entries(bodies).map(([path, body]) => [path, `<!doctype html><html><head></head>${body}`]),
  );
  const content = assembleSite(
    'live',
    [...html].map(([path, text]) => ({
      ...{ path, url: `http://saltmere.example${path}`, file: path, identity: null },
      opening: readOpening(text),
    })),
    forms,
    [],
    {
      html: ({ path }) => html.get(path) ?? '',
      markup: ({ path }) => ({ words: readWords(html.get(path) ?? ''), skeleton: readSkeleton(html.get(path) ?? '') }),
      ...{
        style: () => null,
        file: () => null,
        onDisk: () => null,
        policy: () => null,
        pathOptions: { queryKeys: ['p'] },
      },
    },
  );
  const read = readRuleFile(ruleText, file, file, (_from, url, at) => ({
    use: { url, at, path: contentOf(url) && url, content: contentOf(url) },
    fault: null,
  }));
  if (read.problems.length > 0) throw new Error(JSON.stringify(read.problems));
  const input: CheckInput = {
    ...{
      rules: read.rules,
      keptVisible: read.keptVisible,
      expectations: read.expectations,
      others: [],
      findings: read.findings,
    },
    ...{ paths: 'handles', place: 'head-end', viewport: 'desktop', state: null, visitor: null, loading: null },
    viewports: [{ name: 'desktop', width: 1280, height: 800 }],
    ...{ states: {}, visitors: [], today: '2026-11-23' },
    view: (visitor) => (visitor === null ? content : null),
  };
  return { input, site: content.site, view: content };
}
