// Makes the checkout ready to run: installs the packages if they are missing or older than the lock file, then compiles
// what changed. Needs nothing but Node and npm.
import { execFileSync } from 'node:child_process';
import { existsSync, readFileSync, readdirSync, statSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = dirname(dirname(fileURLToPath(import.meta.url)));
const marker = join(root, 'node_modules', '.package-lock.json');
const time = (file) => (existsSync(file) ? statSync(file).mtimeMs : 0);
const run = (file, args) => execFileSync(file, args, { cwd: root, stdio: ['ignore', 2, 2] });

if (time(marker) < time(join(root, 'package-lock.json'))) {
  console.error('Installing packages (once) …');
  // Not `npm ci`: it insists on packages for other systems, which not every registry mirror has.
  run('npm', ['install', '--no-save', '--no-audit', '--no-fund', '--loglevel=error']);
}
run(process.execPath, [
  join(root, 'node_modules', 'typescript', 'bin', 'tsc'),
  '--build',
  'tsconfig.json',
  'tsconfig.core.json',
]);
/** When what the program is made of was last changed, and by which Node it is compiled. */
const sources = ['dist/src', 'tools'].flatMap((folder) => [
  folder,
  ...readdirSync(join(root, folder), { recursive: true, encoding: 'utf8' }).map((name) => join(folder, name)),
]);
const newest = Math.max(...[...sources, 'package.json', 'package-lock.json'].map((name) => time(join(root, name))));
const state = `${process.version} ${newest}`;
const stamp = join(root, 'dist', '.program');
const isMade = existsSync(join(root, 'dist/program/local-needle.js')) && existsSync(stamp);
if (!isMade || readFileSync(stamp, 'utf8') !== state) {
  run(process.execPath, [join(root, 'tools', 'bundle.mjs')]);
  writeFileSync(stamp, state);
}
