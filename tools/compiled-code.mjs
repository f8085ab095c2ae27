// Keeps what V8 compiles of the program when commands of every day run, beside the program's parts (src/load.ts).
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { setFlagsFromString } from 'node:v8';
import { startDemoServer } from '../dist/demo/server.js';
import { writeDemoProject } from '../dist/demo/site.js';

const program = join(dirname(dirname(fileURLToPath(import.meta.url))), 'dist', 'program');
// What the first command has compiled must still be there after the last one.
setFlagsFromString('--no-flush-bytecode');
const { load, scripts, takeProcess } = await import(join(program, 'load.js'));
takeProcess();
const { execute } = load('execute');
const quiet = { out: () => undefined, log: () => undefined };

const directory = mkdtempSync(join(tmpdir(), 'saltmere-'));
const server = await startDemoServer('live');
try {
  writeDemoProject(directory);
  process.chdir(directory);
  const lines = ['capture', 'pages', 'pages /tickets/pay', 'check', 'check', 'check --format json', 'find h2', 'rules'];
  for (const line of [`init live=${server.address}`, ...lines, 'build --force', '--version'])
    await execute(line.split(' '), quiet);
} finally {
  await server.close();
  process.chdir(program);
  rmSync(directory, { recursive: true });
}
// V8 takes code only where it runs with the flags that it was compiled with.
setFlagsFromString('--flush-bytecode');
for (const [name, script] of scripts)
  writeFileSync(join(program, 'parts', `${name}.compiled`), script.createCachedData());
