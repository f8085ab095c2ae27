import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { DemoPage } from '../demo/pages.js';
import { startDemoServer } from '../demo/server.js';
import { makePages, makeProject, type Load } from './project.js';

/** Runs of each command; the median counts. */
const runs = Number(process.env['BENCH_RUNS'] ?? 3);
/** Pages that the jsdom and Chromium loops open; their time is scaled up to all of them. */
const sample = 200;
const program = fileURLToPath(new URL('../program/local-needle.js', import.meta.url));
const bare = fileURLToPath(new URL('./bare-parse.js', import.meta.url));
const jsdomLoop = fileURLToPath(new URL('./jsdom-loop.js', import.meta.url));
const chromiumLoop = fileURLToPath(new URL('./chromium-loop.js', import.meta.url));

/** The median time of a command in seconds. Throws where it fails. */
function time(args: string[], cwd: string, before: () => void = () => undefined, repeats = runs): number {
  const times = Array.from({ length: repeats }, () => {
    before();
    const start = performance.now();
    const { status, stderr } = spawnSync(process.execPath, args, { cwd, encoding: 'utf8', maxBuffer: 1 << 28 });
    if (status !== 0) throw new Error(`${args.join(' ')} ended with ${status}: ${stderr.slice(0, 500)}`);
    return (performance.now() - start) / 1000;
  });
  return times.sort((a, b) => a - b)[Math.floor(repeats / 2)] ?? NaN;
}

function compare(what: string, ours: number, theirs: number, limit: number): void {
  const ratio = ours / theirs;
  console.log(
    `${what.padEnd(58)} ${ours.toFixed(2)} s / ${theirs.toFixed(2)} s = ${ratio.toFixed(2)}  (at most ${limit})${ratio > limit ? '  MISSED' : ''}`,
  );
}

console.log(`Node ${process.version}, median of ${runs} runs of whole processes.`);
compare('local-needle --version / node -e 0', time([program, '--version'], '.'), time(['-e', '0'], '.'), 3);
/** A check with nothing cached: the time of removing the cache is not counted. */
function timeCold(args: string[], cwd: string): number {
  return time(args, cwd, () => rmSync(join(cwd, '.local-needle'), { recursive: true, force: true }));
}

/** The same again after one rule was edited. */
function timeEdited(args: string[], cwd: string): number {
  const file = join(cwd, 'rules/bench.css');
  const text = readFileSync(file, 'utf8');
  let edits = 0;
  return time(args, cwd, () => writeFileSync(file, text.replace('color: teal', `color: rgb(0 0 ${++edits})`)));
}

const check = [program, 'check', '--fail-on', 'never', '--format', 'json'];
const peaksOfCheck: number[] = [];
const given = /^--pages(=|$)/.test(process.argv[2] ?? '')
  ? (process.argv[2]?.split('=')[1] ?? process.argv[3])
  : undefined;
const folders = given === undefined ? [makePages(1000), makePages(10_000)] : [given];

/** Times a check of a folder; with as many pages targeted as there are, every rule is for all of them. */
async function timeChecks(folder: string, amount: number, load: Load, cold: number, edited: number): Promise<void> {
  const directory = makeProject(folder, load);
  try {
    const whom = load.targeted >= amount ? 'all of them' : `${load.targeted} of them`;
    const title = `check: ${amount} pages, ${load.rules} rules for ${whom}`;
    const parse = time([bare, folder], directory);
    compare(`${title} / bare parse5`, timeCold(check, directory), parse, cold);
    compare(`${title}, one edited / bare parse5`, timeEdited(check, directory), parse, edited);
    if (load.targeted >= amount) return;
    peaksOfCheck.push(await peakMemory(check, directory));
    if (amount <= 1000) {
      const find = time([program, 'find', 'h2', '--timeout', '600', '--format', 'json'], directory);
      compare(`find on ${amount} pages / bare parse5`, find, parse, 2);
      return;
    }
    const scaled = (script: string) =>
      (time([script, folder, String(sample)], directory, undefined, 1) * amount) / sample;
    const ours = timeCold(check, directory);
    compare(`${title} / a jsdom loop (${sample} pages, scaled)`, ours, scaled(jsdomLoop), 1);
    compare(`${title} / a Chromium loop (${sample} pages, scaled)`, ours, scaled(chromiumLoop), 1 / 100);
  } finally {
    rmSync(directory, { recursive: true });
  }
}

// Files that were just written may still change without looking changed; they are not cached.
if (given === undefined) await new Promise((done) => setTimeout(done, 2500));
for (const folder of folders) {
  const amount = readdirSync(folder, { recursive: true, encoding: 'utf8' }).filter((file) =>
    file.endsWith('.html'),
  ).length;
  const [cold, edited] = amount > 1000 ? [0.5, 1 / 15] : [2, 2];
  await timeChecks(folder, amount, { rules: 200, targeted: Math.min(600, amount) }, cold, edited);
  if (amount > 1000) await timeChecks(folder, amount, { rules: 20, targeted: amount }, 1.5, 0.5);
}
if (given !== undefined) process.exit(0);
for (const folder of folders) rmSync(folder, { recursive: true });
const [few = NaN, many = NaN] = peaksOfCheck;
console.log(
  `${'check: peak memory at 10,000 pages / at 1000'.padEnd(58)} ${many.toFixed(0)} MB / ${few.toFixed(0)} MB = ${(many / few).toFixed(2)}  (at most 2)`,
);

const pages = Array.from({ length: 2000 }, (_, index): DemoPage => ({
  path: `/p/${index}`,
  title: `Page ${index}`,
  id: index,
  body: '<main class="content"><p>The boat leaves at ten.</p></main>'.repeat(200),
}));
const front: DemoPage = { path: '/', title: 'Front', id: 9999, body: '<main></main>' };
const peaks: number[] = [];
for (const amount of [200, 2000]) {
  const server = await startDemoServer('live', 0, [front, ...pages.slice(0, amount)]);
  const directory = mkdtempSync(join(tmpdir(), 'needle-bench-'));
  writeFileSync(
    join(directory, 'local-needle.yaml'),
    `version: 1\nsites: { live: { address: "${server.address}" } }\n`,
  );
  peaks.push(await peakMemory([program, 'capture', '--limit', '5000'], directory));
  await server.close();
  if (amount === 2000)
    compare(
      'pages after capturing 2000 / --version',
      time([program, 'pages'], directory),
      time([program, '--version'], '.'),
      3,
    );
  rmSync(directory, { recursive: true });
}
const [small = NaN, large = NaN] = peaks;
console.log(
  `${'capture: peak memory at 2000 pages / at 200'.padEnd(58)} ${large.toFixed(0)} MB / ${small.toFixed(0)} MB = ${(large / small).toFixed(2)}`,
);

/** The largest resident size of a command, in MB; read from the system while it runs. The server of this process goes on meanwhile. */
function peakMemory(args: string[], cwd: string): Promise<number> {
  return new Promise((done, failed) => {
    const child = spawn(process.execPath, args, { cwd, stdio: 'ignore' });
    let peak = 0;
    const timer = setInterval(() => {
      try {
        peak = Math.max(
          peak,
          Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${child.pid}/status`, 'utf8'))?.[1] ?? 0) / 1024,
        );
      } catch {
        clearInterval(timer);
      }
    }, 20);
    child.on(
      'close',
      (code) => (clearInterval(timer), code === 0 ? done(peak) : failed(new Error(`capture ended with ${code}`))),
    );
  });
}
