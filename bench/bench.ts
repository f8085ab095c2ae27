import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { cpus, tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { parseArgs } from 'node:util';
import {
  createProtocolConnection,
  StreamMessageReader,
  StreamMessageWriter,
} from 'vscode-languageserver-protocol/node';
import type { DemoPage } from '../demo/pages.js';
import { startDemoServer } from '../demo/server.js';
import { makePages, makeProject, type Load } from './project.js';

// npm run bench [-- --pages FOLDER] [--sizes 100,1000] [--runs 3] [--write]: times whole processes and prints ratios to what they
// are measured against. --write puts the table into docs/performance.md. --shape only tells what the pages are like.
const { values: given } = parseArgs({
  options: {
    pages: { type: 'string' },
    sizes: { type: 'string', default: '100,1000,10000' },
    runs: { type: 'string', default: '3' },
    write: { type: 'boolean', default: false },
    shape: { type: 'boolean', default: false },
  },
});
/** Runs of each command; the median counts. */
const runs = Number(given.runs);
/** Pages that the Chromium loop opens; its time is scaled up to all of them. */
const sample = 100;
const compiled = (name: string) => fileURLToPath(new URL(name, import.meta.url));
const program = compiled('../program/local-needle.js');

/** One line of the table. */
interface Row {
  work: string;
  ours: number;
  theirs: number;
  against: string;
  most: number | null;
  unit: 's' | 'MB';
}
const rows: Row[] = [];
const shown = ({ work, ours, theirs, against, most, unit }: Row) => {
  const ratio = ours / theirs;
  const digits = unit === 's' ? 2 : 0;
  const limit = most === null ? '' : String(Math.round(most * 1000) / 1000);
  return [
    work,
    `${ours.toFixed(digits)} ${unit}`,
    `${theirs.toFixed(digits)} ${unit} ${against}`,
    ratio.toFixed(ratio < 0.1 ? 3 : 2),
    `${limit}${most !== null && ratio > most ? ' (missed)' : ''}`,
  ];
};
function add(row: Row): void {
  rows.push(row);
  console.log(shown(row).join(' | '));
}

/** The median time of a command in seconds; `before` is not counted. Throws where it cannot do its work. */
function time(args: string[], cwd: string, before: () => void = () => undefined, repeats = runs): number {
  const times = Array.from({ length: repeats }, () => {
    before();
    const start = performance.now();
    const { status, stderr } = spawnSync(process.execPath, args, { cwd, encoding: 'utf8', maxBuffer: 1 << 29 });
    // 1: there are findings.
    if (status !== 0 && status !== 1)
      throw new Error(`${args.join(' ')} ended with ${status}: ${stderr.slice(0, 500)}`);
    return (performance.now() - start) / 1000;
  });
  return times.sort((a, b) => a - b)[Math.floor(repeats / 2)] ?? NaN;
}

/** What the pages of a folder are like. */
function shapeOf(folder: string): string {
  const pages = readdirSync(folder, { recursive: true, encoding: 'utf8' })
    .filter((file) => file.endsWith('.html'))
    .map((file) => readFileSync(join(folder, file), 'latin1'));
  const sizes = pages.map(({ length }) => length / 1024).sort((a, b) => a - b);
  const share = (part: number) => `${(sizes[Math.floor(sizes.length * part)] ?? 0).toFixed(0)} KB`;
  const sum = sizes.reduce((all, size) => all + size, 0);
  const tags = pages.reduce((all, html) => all + (html.match(/<[a-z]/gi)?.length ?? 0), 0);
  return [
    `${pages.length} pages: mean ${(sum / pages.length).toFixed(0)} KB, a tenth up to ${share(0.1)}, half up to ${share(0.5)}`,
    `nine tenths up to ${share(0.9)}; ${Math.round(tags / pages.length)} tags a page, ${((sum * 1024) / tags).toFixed(0)} bytes a tag`,
  ].join(', ');
}
if (given.shape) {
  console.log(shapeOf(given.pages ?? makePages(540)));
  process.exit();
}

const withoutCache = (cwd: string) => () => rmSync(join(cwd, '.local-needle'), { recursive: true, force: true });
const quiet = ['--format', 'json'];
const check = [program, 'check', '--fail-on', 'never', ...quiet];

/** The file of rules that is edited. */
const editedFile = 'rules/bench-000.css';

/** The same again after one rule was edited. */
function timeEdited(cwd: string): number {
  const file = join(cwd, editedFile);
  const text = readFileSync(file, 'utf8');
  let edits = 0;
  return time(check, cwd, () => writeFileSync(file, text.replace('color: teal', `color: rgb(0 0 ${++edits})`)));
}

const version = time([program, '--version'], '.');
add({ work: '`--version`', ours: version, theirs: time(['-e', '0'], '.'), against: 'node -e 0', most: 3, unit: 's' });

const peaks = new Map<number, number>();

/** Times the commands on a folder; with as many pages targeted as there are, every rule is for all of them. */
async function timeFolder(folder: string, amount: number, load: Load): Promise<void> {
  const directory = makeProject(folder, load);
  const isLarge = amount > 5000;
  try {
    const all = load.targeted >= amount;
    const about = `${amount} pages, ${load.rules} rules for ${all ? 'all' : load.targeted}`;
    const bare = time([compiled('./bare-parse.js'), folder], directory);
    const against = 'bare parse5 of all pages';
    const ratio = (work: string, ours: number, most: number | null, theirs = bare, base = against) =>
      add({ work: `${work}: ${about}`, ours, theirs, against: base, most, unit: 's' });
    const cold = time(check, directory, withoutCache(directory));
    ratio('`check`, nothing cached', cold, all ? 1.5 : isLarge ? 0.5 : null);
    ratio('`check` after one rule was edited', timeEdited(directory), all ? 0.5 : isLarge ? 1 / 15 : null);
    if (!all) {
      const keystroke = await timeKeystroke(directory);
      ratio('a keystroke in the editor to its file', keystroke.file, 1, 0.15, 'wanted');
      ratio('a keystroke in the editor to the project', keystroke.project, isLarge ? 1 / 15 : null);
    }
    const out = mkdtempSync(join(tmpdir(), 'needle-bench-out-'));
    const build = time([program, 'build', '--force', '--out', out], directory, withoutCache(directory), 1);
    rmSync(out, { recursive: true });
    ratio('`build`', build, 2, cold, '`check`, nothing cached');
    if (all) return;
    withoutCache(directory)();
    ratio('`preview` to its first overview', await timePreview(directory), 1.5, cold, '`check`, nothing cached');
    const find = time([program, 'find', 'h2', '--timeout', '600', ...quiet], directory);
    ratio('`find h2`', find, amount <= 1000 ? 1 : null);
    ratio('`pages`', time([program, 'pages', ...quiet], directory), 3, version, '`--version`');
    const old = join(directory, 'old.css');
    writeFileSync(old, '.page-1 h2, .part-3 h2 { color: teal }\n.page-2 .lead { display: none }\n');
    const convert = [program, 'convert', old, '--dry-run'];
    if (amount <= 1000) ratio('`convert`', time(convert, directory, undefined, 1), 10, cold, '`check`, nothing cached');
    peaks.set(amount, await peakMemory(check, directory, withoutCache(directory)));
    if (isLarge) {
      const loop = time([compiled('./chromium-loop.js'), folder, String(sample)], directory, undefined, 1);
      ratio('`check`, nothing cached', cold, 1 / 100, (loop * amount) / sample, `Chromium, ${sample} pages, scaled`);
    }
  } finally {
    rmSync(directory, { recursive: true });
  }
}

const sizes = given.pages === undefined ? given.sizes.split(',').map(Number) : [0];
for (const size of sizes) {
  const folder = given.pages ?? makePages(size);
  // Files that were just written may still change without looking changed; they are not cached.
  if (given.pages === undefined) await new Promise((done) => setTimeout(done, 2500));
  const amount = readdirSync(folder, { recursive: true, encoding: 'utf8' }).filter((file) =>
    file.endsWith('.html'),
  ).length;
  await timeFolder(folder, amount, { rules: 200, targeted: Math.ceil(Math.min(600, amount * 0.6)) });
  await timeFolder(folder, amount, { rules: 20, targeted: amount });
  if (given.pages === undefined) rmSync(folder, { recursive: true });
}
const [few, many] = [peaks.get(1000), peaks.get(10_000)];
if (few !== undefined && many !== undefined)
  add({ work: '`check`: peak memory', ours: many, theirs: few, against: 'at 1000 pages', most: 2, unit: 'MB' });
if (given.pages === undefined) await timeCapture();

/** Captures a local server of 2000 pages, and of 200. */
async function timeCapture(): Promise<void> {
  const body = '<main class="content"><p>The boat leaves at ten.</p></main>'.repeat(200);
  const pages = Array.from({ length: 2000 }, (_, id): DemoPage => ({
    path: `/p/${id}`,
    title: `Page ${id}`,
    id,
    body,
  }));
  const front: DemoPage = { path: '/', title: 'Front', id: 9999, body: '<main></main>' };
  const measured: number[] = [];
  for (const amount of [200, 2000]) {
    const server = await startDemoServer('live', 0, [front, ...pages.slice(0, amount)]);
    const directory = mkdtempSync(join(tmpdir(), 'needle-bench-'));
    const settings = `version: 1\nsites: { live: { address: "${server.address}" } }\n`;
    writeFileSync(join(directory, 'local-needle.yaml'), settings);
    measured.push(await peakMemory([program, 'capture', '--limit', '5000'], directory, () => undefined));
    await server.close();
    const read = time([program, 'pages', ...quiet], directory);
    if (amount === 2000)
      add({
        work: '`pages` after capturing 2000',
        ours: read,
        theirs: version,
        against: '`--version`',
        most: 3,
        unit: 's',
      });
    rmSync(directory, { recursive: true });
  }
  const [small = NaN, large = NaN] = measured;
  add({
    work: '`capture`: peak memory at 2000 pages',
    ours: large,
    theirs: small,
    against: 'at 200',
    most: 2,
    unit: 'MB',
  });
}

if (given.write) {
  const path = 'docs/performance.md';
  const text = readFileSync(path, 'utf8');
  const [begin, end] = ['<!-- figures of npm run bench -->', '<!-- end of figures -->'];
  const machine = `${cpus().length} cores (${cpus()[0]?.model.trim() ?? 'unknown'}), Node ${process.version}`;
  const on = given.pages === undefined ? 'generated pages' : 'the pages of a folder';
  const table = [
    `${new Date().toISOString().slice(0, 10)}, ${on}, median of ${runs}, on ${machine}:`,
    '',
    '| Work | Took | Measured against | Ratio | At most |',
    '| --- | --- | --- | --- | --- |',
    ...rows.map((row) => `| ${shown(row).join(' | ')} |`),
  ];
  const [from, to] = [text.indexOf(begin), text.indexOf(end)];
  writeFileSync(path, `${text.slice(0, from)}${begin}\n\n${table.join('\n')}\n\n${text.slice(to)}`);
}

/** From a change in an editor to the diagnostics of its file, and to those of the project, in seconds; the median of five. */
async function timeKeystroke(directory: string): Promise<{ file: number; project: number }> {
  const child = spawn(process.execPath, [program, 'language-server'], { stdio: ['pipe', 'pipe', 'inherit'] });
  const connection = createProtocolConnection(
    new StreamMessageReader(child.stdout),
    new StreamMessageWriter(child.stdin),
  );
  const uri = pathToFileURL(join(directory, editedFile)).href;
  let told: () => void = () => undefined;
  connection.onNotification('textDocument/publishDiagnostics', (of: { uri: string }) => {
    if (of.uri === uri) told();
  });
  connection.listen();
  const next = () => new Promise((done) => (told = () => done(undefined)));
  await connection.sendRequest('initialize', { processId: process.pid, rootUri: null, capabilities: {} });
  const text = readFileSync(join(directory, editedFile), 'utf8');
  const textDocument = { uri, languageId: 'css', version: 1, text };
  const first = next();
  await connection.sendNotification('textDocument/didOpen', { textDocument });
  await first;
  const times = { file: [] as number[], project: [] as number[] };
  // The first change finds the code that it runs not compiled yet.
  for (let version = 2; version < 8; version++) {
    await new Promise((done) => setTimeout(done, 2500));
    const start = performance.now();
    const own = next();
    const contentChanges = [{ text: text.replace('color: teal', `color: rgb(0 ${version} 0)`) }];
    await connection.sendNotification('textDocument/didChange', { textDocument: { uri, version }, contentChanges });
    await own;
    const inFile = performance.now() - start;
    await next();
    if (version === 2) continue;
    times.file.push(inFile / 1000);
    times.project.push((performance.now() - start) / 1000);
  }
  await connection.sendRequest('shutdown');
  await connection.sendNotification('exit');
  const median = (all: number[]) => all.sort((a, b) => a - b)[2] ?? NaN;
  return { file: median(times.file), project: median(times.project) };
}

/** From the start of `preview` to the verdicts in its overview, in seconds. */
async function timePreview(directory: string): Promise<number> {
  const start = performance.now();
  const child = spawn(process.execPath, [program, 'preview', '--port', '4870'], { cwd: directory });
  let said = '';
  child.stdout.on('data', (part) => (said += part));
  child.stderr.on('data', (part) => (said += part));
  try {
    for (;;) {
      if (child.exitCode !== null) throw new Error(`preview ended: ${said}`);
      const address = /Overview\s+(\S+)/.exec(said)?.[1];
      const answer = address && (await fetch(new URL('overview.json', address)).catch(() => null));
      const state = answer && ((await answer.json()) as { judging: boolean; totals: unknown });
      if (state && !state.judging && state.totals) return (performance.now() - start) / 1000;
      await new Promise((done) => setTimeout(done, 50));
    }
  } finally {
    child.kill();
  }
}

/** The largest resident size of a command, in MB; read from the system while it runs. The server of this process goes on meanwhile. */
function peakMemory(args: string[], cwd: string, before: () => void): Promise<number> {
  before();
  return new Promise((done, failed) => {
    const child = spawn(process.execPath, args, { cwd, stdio: 'ignore' });
    let peak = 0;
    const timer = setInterval(() => {
      try {
        const status = readFileSync(`/proc/${child.pid}/status`, 'utf8');
        peak = Math.max(peak, Number(/VmHWM:\s+(\d+)/.exec(status)?.[1] ?? 0) / 1024);
      } catch {
        clearInterval(timer);
      }
    }, 20);
    child.on('close', (code) => {
      clearInterval(timer);
      if (code === 0) done(peak);
      else failed(new Error(`${args.slice(1).join(' ')} ended with ${code}`));
    });
  });
}
