import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { stringify } from 'yaml';
import { readSitemap } from '../../src/capture/sitemap.js';
import { folderWith, noteFigure, pageHtml, run, runsOf } from '../helpers.js';
import { mutated, withOtherKind } from '../mutations.js';

const page = pageHtml(
  'class="page-1 home"',
  '<link rel="stylesheet" href="theme.css"><header class="masthead"><img class="logo" src="l.svg" width="10"></header><p class="x">a</p>',
);
const at = 'http://saltmere.example';
const har = {
  log: {
    version: '1.2',
    entries: ['/', '/tickets', '/theme.css'].map((path) => ({
      request: { method: 'GET', url: at + path, headers: [{ name: 'Accept', value: '*/*' }] },
      response: {
        status: 200,
        headers: [{ name: 'Content-Type', value: path.endsWith('.css') ? 'text/css' : 'text/html; charset=utf-8' }],
        content: {
          mimeType: path.endsWith('.css') ? 'text/css' : 'text/html',
          text: path.endsWith('.css') ? 'p { color: red }' : page,
        },
      },
    })),
  },
};
const hash = '0123456789abcdef';
const index = [
  { capture: 1, site: 'kept', visitor: null, address: at, rendered: false, day: '2026-11-25' },
  {
    page: {
      path: '/',
      url: `${at}/`,
      title: 'Saltmere',
      body: { class: 'page-1' },
      styles: [`${at}/theme.css`],
      charset: 'utf-8',
      csp: "default-src 'self'",
      file: 'pages/index.html',
      bytes: page.length,
      hash,
    },
  },
  { style: { url: `${at}/theme.css`, imports: [], file: 'styles/theme.css', bytes: 16, hash } },
  { notCaptured: { url: `${at}/gone`, reason: 'the server answered 404' } },
];
/** An index that was edited by hand: its checksum is that of another text. */
const lines = (values: unknown[]) => [...values, { end: hash }].map((value) => `${JSON.stringify(value)}\n`).join('');
const configuration = {
  version: 1,
  sites: {
    live: { folder: 'public', 'drop-extension': '.html' },
    clicked: { har: 'visit.har', 'query-keys': ['p'] },
    kept: { address: at, headers: { 'x-key': '${KEY}' }, follow: ['/*'], 'also-hosts': ['styles.example'] },
  },
  'page-id': [{ in: 'body-class', like: 'page-{id}' }],
  viewports: { desktop: '1280x800' },
  states: { scrolled: { 'add-class': { body: 'scrolled' } } },
  allow: [{ code: 'flash', reason: 'It is short.' }],
};
const rules = `@needle teal {
  pages: page-id("1"), path("/tickets{/*}?"); except: path("/tickets/old"); page-count: 2; note: "A test."; until: 2030-01-01;
  .x { color: teal; &:hover { margin: calc(1px + 2em) } }
  @hide .masthead > img; @only-here .x;
  @swap .logo { image: url("logo.svg"); alt: "x" }
  @script url("a.js") { wait-for: ".x"; } @mark-current p { order: 1 }
  @on body-class("home") { :is(.x, .x) { order: 2 } }
}
@keep-visible .masthead { note: "The law."; }
@expect pay { note: "x"; pages: path("/tickets"); @shown .x; .x { color: teal } }`;

const files: Record<string, string> = {
  'local-needle.yaml': stringify(configuration),
  'rules/a.css': rules,
  'rules/a.js': 'document.title = "x";\n',
  'rules/logo.svg': '<svg xmlns="http://www.w3.org/2000/svg" width="10" height="10"/>',
  'public/index.html': page,
  'public/tickets.html': page.replace('page-1', 'page-2'),
  'public/theme.css': '.x { color: red !important } @media (min-width: 1px) { .logo { width: 1px } }',
  'visit.har': JSON.stringify(har),
  'captured/kept/index.jsonl': lines(index),
  'captured/kept/pages/index.html': page,
  'captured/kept/styles/theme.css': 'p { color: red }',
  'old.css': '.page-1 .x { color: red }\nbody.page-1 .y { display: none }\n#gone { }',
};

/** A broken file and the commands that read it. */
const readers: [what: string, file: string, broken: fc.Arbitrary<string>, ...lines: string[][]][] = [
  ['local-needle.yaml', 'local-needle.yaml', mutated(files['local-needle.yaml'] ?? ''), ['check'], ['pages']],
  [
    'kinds in local-needle.yaml',
    'local-needle.yaml',
    withOtherKind(configuration).map((value) => stringify(value)),
    ['check'],
    ['capture', 'live'],
  ],
  ['a rule file', 'rules/a.css', mutated(rules), ['check'], ['rules'], ['build', '--force']],
  ['a script', 'rules/a.js', mutated(files['rules/a.js'] ?? ''), ['build', '--force', '--minify']],
  ['an image', 'rules/logo.svg', mutated(files['rules/logo.svg'] ?? ''), ['check']],
  ['a page', 'public/index.html', mutated(page), ['check'], ['find', '.x'], ['build', '--force', '--as', 'pages']],
  ['a stylesheet', 'public/theme.css', mutated(files['public/theme.css'] ?? ''), ['check']],
  ['a HAR file', 'visit.har', mutated(files['visit.har'] ?? ''), ['check', '--site', 'clicked']],
  [
    'kinds in a HAR file',
    'visit.har',
    withOtherKind(har).map((value) => JSON.stringify(value)),
    ['check', '--site', 'clicked'],
  ],
  ['the index of a capture', 'captured/kept/index.jsonl', mutated(lines(index)), ['check', '--site', 'kept']],
  [
    'kinds in the index',
    'captured/kept/index.jsonl',
    withOtherKind(index).map((value) => lines(Array.isArray(value) ? value : [value])),
    ['check', '--site', 'kept'],
    ['pages', '--site', 'kept'],
  ],
  [
    'a journal',
    'captured/kept/journal.jsonl',
    withOtherKind(index).map((value) => lines(Array.isArray(value) ? value : [value])),
    ['check', '--site', 'kept'],
  ],
  ['a captured page', 'captured/kept/pages/index.html', mutated(page), ['why', 'teal', '/', '--site', 'kept']],
  ['old CSS', 'old.css', mutated(files['old.css'] ?? ''), ['convert', 'old.css', '--dry-run']],
];

const runs = runsOf(4, 400);
const seed = Number(process.env['ORACLE_SEED'] ?? Date.now() % 1_000_000);

let inputs = 0;
afterAll(() => noteFigure('mutated', `${inputs} inputs to ${readers.length + 4} readers (seed ${seed})`));

/** Time of the processor that broken input may take. */
const mostMicroseconds = 20_000_000;

/** Whether a run ended as one may: with a status of the four, and where something is wrong with words that are ours. */
async function endsWell(folder: string, words: string[], given = words.join(' ')): Promise<string | null> {
  inputs++;
  const start = process.cpuUsage();
  const { status, log } = await run(folder, words, { KEY: 'a key' });
  const ours = given.includes('undefined') ? log.replaceAll('undefined', '') : log;
  if (/Internal error|undefined|\[object|is not a function/.test(ours)) return log;
  if (status >= 2 && !/^error {2}\S/m.test(log)) return `status ${status}: ${log}`;
  return process.cpuUsage(start).user > mostMicroseconds ? 'it took too long' : null;
}

describe(`Broken input of every kind (seed ${seed})`, () => {
  test.each(readers)('%s', async (_what, file, broken, ...calls) => {
    const folder = folderWith(files);
    await fc.assert(
      fc.asyncProperty(broken, async (text) => {
        writeFileSync(join(folder, file), text);
        for (const words of calls) expect(await endsWell(folder, words, text)).toBeNull();
      }),
      { numRuns: runs, seed },
    );
  });

  test('what a run keeps for itself, and accepted verdicts', async () => {
    const folder = folderWith(files);
    await run(folder, ['check', '--accept']);
    await run(folder, ['build', '--force', '--as', 'snippets']);
    const kept = ['.local-needle/outputs.json', 'local-needle.accepted.json'];
    for (const file of kept) {
      const text = readFileSync(join(folder, file), 'utf8');
      const broken = fc.oneof(
        mutated(text),
        withOtherKind(JSON.parse(text)).map((value) => JSON.stringify(value)),
      );
      await fc.assert(
        fc.asyncProperty(broken, async (content) => {
          writeFileSync(join(folder, file), content);
          expect(await endsWell(folder, ['check'])).toBeNull();
          expect(await endsWell(folder, ['build', '--force', '--as', 'snippets'])).toBeNull();
        }),
        { numRuns: runs, seed },
      );
    }
  });

  test('words of a call', async () => {
    const folder = folderWith(files);
    const calls = fc.oneof(
      mutated(':is(.x, #a) > p:not([b="c"])::before').map((word) => ['find', word]),
      mutated('/tickets/pay?p=1').map((word) => ['find', '.x', '--page', word]),
      mutated('/tickets{/*}?').map((word) => ['pages', word]),
      mutated('/a').map((word) => ['why', 'teal', word]),
      mutated('.x { color: teal }').map((word) => [
        'add',
        'new',
        '--path',
        '/',
        '--style',
        word,
        '--note',
        word,
        '--dry-run',
      ]),
    );
    await fc.assert(
      fc.asyncProperty(calls, async (words) => expect(await endsWell(folder, words)).toBeNull()),
      { numRuns: runs * 2, seed },
    );
  });

  test('sitemaps', () => {
    const sitemap = `<?xml version="1.0"?><urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"><url><loc>${at}/a</loc></url></urlset>`;
    fc.assert(
      fc.property(mutated(sitemap), (xml) => {
        inputs++;
        try {
          expect(Array.isArray(readSitemap(Buffer.from(xml)).pages)).toBe(true);
        } catch (error) {
          // What it says goes on behind "the sitemap cannot be read:".
          expect((error as Error).message).not.toMatch(/undefined|not a function|null/);
        }
      }),
      { numRuns: runs * 5, seed },
    );
  });
});
