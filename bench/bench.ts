import { spawn, spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { demoPages, type DemoPage } from '../demo/pages.js';
import { startDemoServer } from '../demo/server.js';
import { fileOf, renderPage } from '../demo/site.js';

/** Runs of each command; the median counts. */
const runs = 5;
const program = fileURLToPath(new URL('../program/local-needle.js', import.meta.url));
const bare = fileURLToPath(new URL('./bare-parse.js', import.meta.url));

/** A folder of pages with the demo's template and a body of some 30 KB, every `step`th of them targeted by rules. */
function makeProject(pages: number, rules: number, targeted: number): string {
  const directory = mkdtempSync(join(tmpdir(), 'needle-bench-'));
  const text = (seed: number) =>
    Array.from(
      { length: 90 },
      (_, index) =>
        `<section class="part part-${(seed + index) % 17}"><h2>Crossing ${index}</h2><p class="lead">Leaves at ${index % 24}:10 from <a href="/harbours/${index}">pier ${index}</a>, in all weathers but a north-easterly gale.</p><ul><li>Bicycles</li><li>Dogs</li></ul></section>`,
    ).join('\n');
  for (let index = 0; index < pages; index++) {
    const model = demoPages[index % demoPages.length] as DemoPage;
    const page: DemoPage = {
      ...model,
      path: `/p/${index}`,
      id: index + 1,
      entry: undefined,
      bodyId: undefined,
      body: model.body + text(index),
    };
    const file = join(directory, 'public', fileOf(page.path));
    mkdirSync(join(file, '..'), { recursive: true });
    writeFileSync(file, renderPage(page, 'live'));
  }
  const step = Math.max(1, Math.floor(pages / targeted));
  const blocks = Array.from({ length: rules }, (_, rule) => {
    const ids = Array.from(
      { length: Math.ceil(targeted / rules) },
      (_, index) => `page-id(${(((rule + index * rules) * step) % pages) + 1})`,
    );
    return `@needle rule-${rule} { note: "Number ${rule}."; pages: ${ids.join(', ')}; @hide .band.sign-up; .part-${rule % 17} h2 { color: teal; margin: 0; } }`;
  });
  mkdirSync(join(directory, 'rules'));
  writeFileSync(join(directory, 'rules/bench.css'), blocks.join('\n'));
  writeFileSync(join(directory, 'local-needle.yaml'), 'version: 1\nsites: { live: { folder: public } }\n');
  return directory;
}

/** The median time of a command in seconds. Throws where it fails. */
function time(args: string[], cwd: string): number {
  const times = Array.from({ length: runs }, () => {
    const start = performance.now();
    const { status, stderr } = spawnSync(process.execPath, args, { cwd, encoding: 'utf8', maxBuffer: 1 << 28 });
    if (status !== 0) throw new Error(`${args.join(' ')} ended with ${status}: ${stderr.slice(0, 500)}`);
    return (performance.now() - start) / 1000;
  });
  return times.sort((a, b) => a - b)[Math.floor(runs / 2)] ?? NaN;
}

function compare(what: string, ours: number, theirs: number, limit: number): void {
  const ratio = ours / theirs;
  console.log(
    `${what.padEnd(58)} ${ours.toFixed(2)} s / ${theirs.toFixed(2)} s = ${ratio.toFixed(2)}  (at most ${limit})${ratio > limit ? '  MISSED' : ''}`,
  );
}

console.log(`Node ${process.version}, median of ${runs} runs of whole processes.`);
compare('local-needle --version / node -e 0', time([program, '--version'], '.'), time(['-e', '0'], '.'), 3);
for (const [pages, rules, targeted, limit] of [
  [1000, 20, 1000, 2],
  [10_000, 200, 600, 0.5],
] as const) {
  const directory = makeProject(pages, rules, targeted);
  try {
    const parse = time([bare, join(directory, 'public')], directory);
    compare(
      `check: ${pages} pages, ${rules} rules for ${targeted} / bare parse5`,
      time([program, 'check', '--fail-on', 'never', '--format', 'json'], directory),
      parse,
      limit,
    );
    if (pages === 1000) {
      compare(
        'find on 1000 pages / bare parse5',
        time([program, 'find', '.part-3 h2', '--format', 'json'], directory),
        parse,
        2,
      );
    }
  } finally {
    rmSync(directory, { recursive: true });
  }
}

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
  peaks.push(await peakMemory([program, 'gather', '--limit', '5000'], directory));
  await server.close();
  if (amount === 2000)
    compare(
      'pages after gathering 2000 / --version',
      time([program, 'pages'], directory),
      time([program, '--version'], '.'),
      3,
    );
  rmSync(directory, { recursive: true });
}
const [small = NaN, large = NaN] = peaks;
console.log(
  `${'gather: peak memory at 2000 pages / at 200'.padEnd(58)} ${large.toFixed(0)} MB / ${small.toFixed(0)} MB = ${(large / small).toFixed(2)}`,
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
      (code) => (clearInterval(timer), code === 0 ? done(peak) : failed(new Error(`gather ended with ${code}`))),
    );
  });
}
