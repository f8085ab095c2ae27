import { spawn } from 'node:child_process';
import { closeSync, mkdirSync, mkdtempSync, openSync, readFileSync, rmSync, writeFileSync, writeSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { folderWith, noteFigure, pageHtml, runsOf } from '../helpers.js';

const program = join(process.cwd(), 'dist/program/local-needle.js');
/** The whole process takes less, with the heap that it is given. */
const mostMegabytes = 1024;
const heapMegabytes = 800;
const mostSeconds = 240;

/** Runs the program and measures it. */
function measured(directory: string, words: string[]) {
  const used = join(mkdtempSync(join(tmpdir(), 'needle-used-')), 'megabytes');
  const measure = `import { writeFileSync } from 'node:fs'; process.on('exit', () => writeFileSync(${JSON.stringify(used)}, String(process.resourceUsage().maxRSS / 1024)));`;
  const start = Date.now();
  return new Promise<{ status: number | null; log: string; megabytes: number; seconds: number }>((done) => {
    const child = spawn(
      process.execPath,
      [
        `--max-old-space-size=${heapMegabytes}`,
        '--import',
        `data:text/javascript,${encodeURIComponent(measure)}`,
        program,
        ...words,
      ],
      { cwd: directory, timeout: mostSeconds * 1000 },
    );
    let log = '';
    child.stderr.on('data', (piece: Buffer) => (log += piece.toString()));
    child.stdout.resume();
    child.on('close', (status) =>
      done({
        status,
        log,
        megabytes: status === null ? Infinity : Number(readFileSync(used, 'utf8')),
        seconds: (Date.now() - start) / 1000,
      }),
    );
  });
}

const page = (id: number, inside = '') => pageHtml(`class="page-${id}"`, `<p class="x">a</p>${inside}`);
const many = (count: number, of: (index: number) => string) => Array.from({ length: count }, (_, index) => of(index));

/** A project with these files beside the usual ones; the files of large sites are written one by one. */
function giant(files: Record<string, string>, write: (folder: string) => void = () => undefined): string {
  const folder = folderWith({
    'local-needle.yaml': 'version: 1\nsites: { live: { folder: public } }\n',
    'rules/a.css': '@needle a { pages: path("/"); .x { color: teal } }\n',
    'public/index.html': page(0, '<link rel="stylesheet" href="/theme.css">'),
    'public/theme.css': '.x { color: red }',
    ...files,
  });
  write(folder);
  return folder;
}

const giants: [what: string, make: () => string, statuses: number[]][] = [
  [
    'a HAR file of 300 MB',
    () =>
      giant({ 'local-needle.yaml': 'version: 1\nsites: { live: { har: visit.har } }\n' }, (folder) => {
        const [file, filler] = [openSync(join(folder, 'visit.har'), 'w'), `<p>${'word '.repeat(20)}</p>`.repeat(900)];
        writeSync(file, '{"log":{"version":"1.2","entries":[');
        for (let index = 0; index < 3200; index++) {
          const content = { mimeType: 'text/html', text: page(index, filler) };
          const request = { method: 'GET', url: `http://saltmere.example/${index || ''}`, headers: [] };
          writeSync(
            file,
            (index ? ',' : '') + JSON.stringify({ request, response: { status: 200, headers: [], content } }),
          );
        }
        writeSync(file, ']}}');
        closeSync(file);
      }),
    [0],
  ],
  [
    '30,000 pages',
    () =>
      giant(
        {
          'rules/a.css':
            '@needle a { pages: path("/s1/*"); .x { color: teal } }\n@needle b { pages: all; @hide .x; .y { order: 1 } }\n',
        },
        (folder) => {
          for (let index = 1; index < 30_000; index++) {
            const file = join(folder, 'public', `s${index % 100}`, `p${index}.html`);
            mkdirSync(dirname(file), { recursive: true });
            writeFileSync(file, page(index, '<p>The ferry is late</p>'.repeat(40)));
          }
        },
      ),
    [1],
  ],
  [
    '5,000 rules on 30 pages',
    () =>
      giant({
        ...Object.fromEntries(
          many(30, (id) => page(id, '<b>x</b>'.repeat(50))).map((text, id) => [`public/p${id}.html`, text]),
        ),
        'rules/a.css': many(
          5000,
          (index) =>
            `@needle r${index} { pages: path("/p${index % 30}.html"); .x { margin-top: ${index}px } @hide .gone${index}; }`,
        ).join('\n'),
      }),
    [1],
  ],
  [
    'an element with a million attributes',
    () => giant({ 'public/index.html': page(0, `<i ${many(1e6, (at) => `a${at}=1`).join(' ')}></i>`) }),
    [0],
  ],
  [
    '100,000 elements with ten attributes each',
    () =>
      giant({
        'public/index.html': page(0, many(1e5, (at) => `<i a=1 b=2 c=3 d=4 e=5 f=6 g=7 h=8 i=9 j=${at}></i>`).join('')),
      }),
    [0],
  ],
  [
    'selectors of a megabyte in a rule',
    () =>
      giant({
        'rules/a.css': `@needle a { pages: path("/"); ${'.x, '.repeat(250_000)}.x { order: 1 } @hide ${'.x '.repeat(330_000)}; }`,
      }),
    [1],
  ],
  [
    'selectors of a megabyte in a stylesheet',
    () =>
      giant({ 'public/theme.css': `${'.x, '.repeat(250_000)}.x { order: 1 } ${'.x '.repeat(330_000)} { order: 2 }` }),
    [0],
  ],
  [
    '100,000 nested blocks in a rule',
    () =>
      giant({
        'rules/a.css': `@needle a { pages: path("/"); ${'@media all {'.repeat(100_000)} .x { order: 1 } ${'}'.repeat(100_000)} }`,
      }),
    [2],
  ],
  [
    '100,000 nested blocks in a stylesheet',
    () => giant({ 'public/theme.css': `${'& {'.repeat(100_000)} order: 1 ${'}'.repeat(100_000)}` }),
    [0],
  ],
];

const tried =
  runsOf(0, 1) > 0 ? giants : giants.filter(([what]) => /megabyte in a rule|nested blocks in a rule/.test(what));

describe(`Ends within ${mostSeconds} seconds and ${mostMegabytes} MB`, () => {
  test.each(tried)('%s', async (what, make, statuses) => {
    const folder = make();
    for (const words of runsOf(0, 1) > 0 ? [['check'], ['find', '.x'], ['build', '--force']] : [['check']]) {
      const { status, log, megabytes, seconds } = await measured(folder, words);
      noteFigure('giants', `${what}: ${words[0]} ${seconds.toFixed(1)} s, ${Math.round(megabytes)} MB`);
      expect([words[0], log]).toEqual([words[0], expect.not.stringContaining('Internal error')]);
      // find needs no rules, but for files that cannot be read.
      expect([words[0], ...statuses, ...(words[0] === 'find' ? [0] : [])]).toContain(status);
      expect([words[0], seconds < mostSeconds, megabytes < mostMegabytes]).toEqual([words[0], true, true]);
    }
    rmSync(folder, { recursive: true });
  });
});
