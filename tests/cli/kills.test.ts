import { spawn } from 'node:child_process';
import { createHash } from 'node:crypto';
import { cpSync, existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { hostname, tmpdir } from 'node:os';
import { join, relative } from 'node:path';
import { pathToFileURL } from 'node:url';
import { endKilledSets } from '../../src/disk/file-set.js';
import { folderWith, noteFigure, pageHtml, runBuilt, runsOf } from '../helpers.js';

const faults = pathToFileURL(join(process.cwd(), 'tests/faults.mjs')).href;
const fileSets = pathToFileURL(join(process.cwd(), 'dist/src/disk/file-set.js')).href;
const program = join(process.cwd(), 'dist/program/local-needle.js');

const faultsMade: Record<string, number> = {};
afterAll(() => {
  const { kill = 0, half = 0, ENOSPC = 0 } = faultsMade;
  noteFigure('kills', `${kill} kills before a call, ${half} in the middle of a write, ${ENOSPC} full disks`);
});

/** Runs Node with a fault at one of its calls that change a folder; `at`: null counts them. */
function withFault(words: string[], folder: string, at: number | null, fault: string) {
  const count = join(mkdtempSync(join(tmpdir(), 'needle-count-')), 'count');
  const env = {
    ...process.env,
    ...{ FAULT: fault, FAULT_IN: folder, ...(at === null ? { FAULT_COUNT: count } : { FAULT_AT: String(at) }) },
  };
  if (at !== null) faultsMade[fault] = (faultsMade[fault] ?? 0) + 1;
  return new Promise<{ killed: boolean; status: number | null; log: string; calls: number }>((done) => {
    const child = spawn(process.execPath, ['--import', faults, ...words], { cwd: folder, env });
    let log = '';
    child.stderr.on('data', (piece: Buffer) => (log += piece.toString()));
    child.stdout.resume();
    child.on('close', (status, signal) =>
      done({ killed: signal === 'SIGKILL', status, log, calls: at === null ? Number(readFileSync(count, 'utf8')) : 0 }),
    );
  });
}

/** Everything in a folder but what the program keeps for itself. */
function contentOf(folder: string): Record<string, string> {
  const files = readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((each) => each.isFile())
    .map(({ parentPath, name }) => join(parentPath, name));
  return Object.fromEntries(
    files
      .map((file): [string, string] => [relative(folder, file), readFileSync(file, 'latin1')])
      .filter(([name]) => !/^\.local-needle[/\\](?!writing)/.test(name))
      .sort(([a], [b]) => (a < b ? -1 : 1)),
  );
}

const isSame = (one: Record<string, string>, other: Record<string, string>) =>
  JSON.stringify(one) === JSON.stringify(other);

const copyOf = (folder: string) => {
  const copy = mkdtempSync(join(tmpdir(), 'needle-test-'));
  cpSync(folder, copy, { recursive: true });
  return copy;
};

/** The points to stop at: all of them, or some that go from end to end with a new start in each run. */
const pointsOf = (calls: number, most: number) => {
  const step = Math.max(1, Math.ceil(calls / most));
  const first = step === 1 ? 0 : Math.floor(Math.random() * step);
  return Array.from({ length: calls }, (_, at) => at).filter((at) => at % step === first);
};

describe('a set of files', () => {
  const elsewhere = '/dev/shm';
  const hasOtherDisk = existsSync(elsewhere) && statSync(elsewhere).dev !== statSync(tmpdir()).dev;
  const call = (body: string) => [
    '--input-type=module',
    '-e',
    `import { fillFolder, writeSet } from ${JSON.stringify(fileSets)}; ${body}`,
  ];
  const files =
    "writeSet('.', (set) => { for (const name of ['a.css', 'b.js', 'sub/c.map']) set.file(name, 'new ' + name); });";
  const withFolder = (folder: string) =>
    `writeSet('.', (set) => { set.folder(${JSON.stringify(folder)}, (made) => fillFolder(made, new Map([['x', 'new'], ['y/z', 'new']]))); set.file('list', 'new'); });`;
  const before = { 'a.css': 'old a', 'b.js': 'old b', list: 'old', 'other.css': 'somebody else' };

  test.each([
    ['of files', files, before],
    ['of files that are new', files, { 'other.css': 'x' }],
    ['with a folder', withFolder('out'), { ...before, 'out/x': 'old', 'out/w': 'old' }],
    ['with a folder that is new', withFolder('deep/out'), before],
  ])('%s: stopped at any call, it is the old or the new one', async (_name, body, content) => {
    const template = folderWith(content);
    const done = copyOf(template);
    const { calls } = await withFault(call(body), done, null, 'kill');
    expect(calls).toBeGreaterThan(5);
    const [old, fresh] = [contentOf(template), contentOf(done)];
    expect(fresh).not.toEqual(old);
    for (const at of pointsOf(calls, runsOf(2, calls)))
      for (const fault of ['kill', 'half', 'ENOSPC']) {
        const folder = copyOf(template);
        const { killed, status, log } = await withFault(call(body), folder, at, fault);
        expect([at, fault, killed]).toEqual([at, fault, fault !== 'ENOSPC']);
        // Only the tidying up may fail in silence: the next start does it.
        const failed = fault === 'ENOSPC' && status !== 0;
        if (failed) expect(log).toContain('cannot be written: the disk is full');
        endKilledSets(folder);
        const now = contentOf(folder);
        expect([at, fault, now]).toEqual([at, fault, !failed && isSame(now, fresh) ? fresh : old]);
        rmSync(folder, { recursive: true });
      }
  });

  (hasOtherDisk ? test : test.skip)('that goes to another disk is copied there', async () => {
    const out = mkdtempSync(join(elsewhere, 'needle-test-'));
    try {
      const body = withFolder(join(out, 'site'));
      for (const at of [null, ...pointsOf(20, runsOf(4, 20))]) {
        const folder = folderWith(before);
        await withFault(call(body), folder, at, 'kill');
        endKilledSets(folder);
        const written = contentOf(out);
        const isNew = contentOf(folder)['list'] === 'new';
        expect([at, Object.keys(written)]).toEqual([at, ['site/x', 'site/y/z']]);
        if (at === null) expect(isNew).toBe(true);
      }
    } finally {
      rmSync(out, { recursive: true });
    }
  });

  test('of a killed process overwrites nothing that was edited since', async () => {
    const template = folderWith(before);
    const { calls } = await withFault(call(files), copyOf(template), null, 'kill');
    let edited = 0;
    for (const at of pointsOf(calls, runsOf(10, 100))) {
      const folder = copyOf(template);
      await withFault(call(files), folder, at, 'kill');
      if (readFileSync(join(folder, 'b.js'), 'utf8') !== 'old b') continue;
      writeFileSync(join(folder, 'b.js'), 'by hand');
      edited++;
      endKilledSets(folder);
      expect([at, readFileSync(join(folder, 'b.js'), 'utf8')]).toEqual([at, 'by hand']);
    }
    expect(edited).toBeGreaterThan(1);
  });
});

test('a record that came with a project from elsewhere moves and removes nothing', async () => {
  const elsewhere = mkdtempSync(join(tmpdir(), 'needle-elsewhere-'));
  const to = join(elsewhere, 'written');
  const record = (name: string) => `.local-needle/writing/${name}/moves.json`;
  const moves = [0, 1].map((index) => ({ made: join(elsewhere, 'made'), to: `${to}${index}`, before: null }));
  const project = folderWith({
    'local-needle.yaml': 'version: 1\nsites: { live: { folder: public } }\n',
    // The first is as one of this host.
    [record(`${createHash('sha256').update(hostname()).digest('hex').slice(0, 8)}-999999-1-89abcdef`)]: JSON.stringify({
      mark: '1 2 3',
      moves,
    }),
    [record('letters')]: JSON.stringify(moves),
  });
  writeFileSync(join(elsewhere, 'made'), 'hostile');
  await runBuilt(project, ['rules']);
  expect(readdirSync(elsewhere)).toEqual(['made']);
  expect(readdirSync(join(project, '.local-needle/writing'))).toEqual(['letters']);
});

describe('a command that is killed', () => {
  const project = {
    'local-needle.yaml': 'version: 1\nsites: { live: { folder: public } }\n',
    'rules/a.css': '@needle teal {\n  pages: path("/");\n  .x { color: teal }\n  @swap .l { image: url("b.svg") }\n}\n',
    'rules/b.svg': '<svg xmlns="http://www.w3.org/2000/svg"/>',
    'old.css': '.page-1 .x { color: red }\n',
    'public/index.html': pageHtml('class="page-1"', '<p class="x"><img class="l" src="a.svg"></p>'),
  };
  /** The second is a build of before, which the command replaces; a rule was changed since. */
  const cases: [name: string, words: string[], earlier: string[] | null][] = [
    ['build', ['build'], null],
    ['build again', ['build'], ['build', '--as', 'bundle']],
    ['build --hashed', ['build', '--hashed'], null],
    ['build --as snippets', ['build', '--as', 'snippets'], null],
    ['build --as snippets again', ['build', '--as', 'snippets'], ['build', '--as', 'snippets']],
    ['build --as pages', ['build', '--as', 'pages'], null],
    ['build --as pages again', ['build', '--as', 'pages'], ['build', '--as', 'pages']],
    ['check --accept', ['check', '--accept'], null],
    ['convert', ['convert', 'old.css', '--out', 'rules/old.css'], null],
    ['add', ['add', 'gone', '--path', '/', '--hide', '.l', '--note', 'A test.', '--file', 'rules/more.css'], null],
    ['rules pause', ['rules', 'pause', 'teal'], null],
  ];

  // `npm test` takes three of them, and one call of each.
  const tried = cases.filter(([name]) => runsOf(0, 1) > 0 || /^(build again|build --as pages|add)$/.test(name));

  test.each(tried)('%s: the project is the old or the new one, and it works again', async (_name, words, before) => {
    const template = folderWith(project);
    if (before) {
      expect((await runBuilt(template, before)).status).toBe(0);
      writeFileSync(join(template, 'rules/a.css'), project['rules/a.css'].replace(/teal/g, 'navy'));
    }
    const done = copyOf(template);
    const { calls, status } = await withFault([program, ...words], done, null, 'kill');
    expect([status, calls > 3]).toEqual([0, true]);
    const [old, fresh] = [contentOf(template), contentOf(done)];
    for (const at of pointsOf(calls, runsOf(1, calls))) {
      const folder = copyOf(template);
      expect([at, (await withFault([program, ...words], folder, at, at % 2 ? 'half' : 'kill')).killed]).toEqual([
        at,
        true,
      ]);
      expect((await runBuilt(folder, ['rules'])).status).toBe(0);
      const now = contentOf(folder);
      expect([at, now]).toEqual([at, isSame(now, fresh) ? fresh : old]);
      if (isSame(now, old)) {
        expect([at, (await runBuilt(folder, words)).status]).toEqual([at, 0]);
        expect([at, contentOf(folder)]).toEqual([at, fresh]);
      }
      rmSync(folder, { recursive: true });
    }
  });
});

describe('a capture that is killed, or that fills the disk', () => {
  let server: Server;
  let project: string;
  const pages: Record<string, string> = {
    '/': pageHtml('class="page-1"', '<a href="/tickets">Tickets</a><a href="/harbours">Harbours</a>'),
    '/tickets': pageHtml('class="page-2"', '<p>Tickets</p>'),
    '/harbours': pageHtml('class="page-3"', '<link rel="stylesheet" href="/theme.css">'),
    '/theme.css': 'p { color: red }',
  };

  beforeAll(async () => {
    server = createServer(({ url = '' }, answer) => {
      answer.setHeader('content-type', url.endsWith('.css') ? 'text/css' : 'text/html');
      answer.statusCode = pages[url] === undefined ? 404 : 200;
      answer.end(pages[url]);
    });
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
    const { port } = server.address() as AddressInfo;
    project = folderWith({
      'local-needle.yaml': `version: 1\nsites: { live: { address: "http://127.0.0.1:${port}" } }\n`,
      'rules/a.css': '@needle a { pages: path("/"); p { color: teal } }\n',
    });
  });

  afterAll(() => server.close());

  test.each([false, true])('the next one ends it (one was there before: %s)', async (again) => {
    const template = copyOf(project);
    if (again) expect((await runBuilt(template, ['capture'])).status).toBe(0);
    const words = [program, 'capture', '--refetch'];
    const done = copyOf(template);
    const { calls } = await withFault(words, done, null, '');
    const fresh = contentOf(done);
    expect(Object.keys(fresh).filter((name) => name.startsWith('captured'))).toHaveLength(5);
    for (const [count, at] of pointsOf(calls, runsOf(2, calls)).entries())
      for (const fault of runsOf(0, 1) ? ['kill', 'half', 'ENOSPC'] : [count % 2 ? 'kill' : 'ENOSPC']) {
        const folder = copyOf(template);
        const { killed, status, log } = await withFault(words, folder, at, fault);
        expect([at, fault, killed]).toEqual([at, fault, fault !== 'ENOSPC']);
        if (fault === 'ENOSPC' && status !== 0)
          expect([at, status, log]).toEqual([at, 3, expect.stringMatching(/cannot be written: the disk is full/)]);
        expect([at, await runBuilt(folder, ['capture'])]).toEqual([at, expect.objectContaining({ status: 0 })]);
        expect([at, fault, contentOf(folder)]).toEqual([at, fault, fresh]);
        rmSync(folder, { recursive: true });
      }
  });
});
