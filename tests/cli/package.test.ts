import { execFile } from 'node:child_process';
import { readFileSync, readdirSync, statSync, truncateSync } from 'node:fs';
import { join } from 'node:path';
import { promisify } from 'node:util';
import packageJson from '../../package.json' with { type: 'json' };
import { chromiumPath } from '../../src/browser/chromium.js';
import { folderWith, smallProject } from '../helpers.js';

const execute = promisify(execFile);
const megabyte = 1024 * 1024;

/** What a command gave, whatever its exit status. */
async function call(directory: string, program: string, ...words: string[]) {
  try {
    return { status: 0, ...(await execute(program, words, { cwd: directory, maxBuffer: 32 * megabyte })) };
  } catch (error) {
    const { code, stdout, stderr } = error as { code: number; stdout: string; stderr: string };
    return { status: code, stdout, stderr };
  }
}

describe('The package, installed into an empty folder', () => {
  const home = folderWith({ 'package.json': '{ "name": "ferries", "private": true }' });
  const program = join(home, 'node_modules/.bin/local-needle');

  beforeAll(async () => {
    const packed = await call(process.cwd(), 'npm', 'pack', '--ignore-scripts', '--silent', '--pack-destination', home);
    expect([packed.status, packed.stdout.trim()]).toEqual([0, `local-needle-${packageJson.version}.tgz`]);
    const installed = await call(
      home,
      'npm',
      'install',
      '--offline',
      '--no-audit',
      '--no-fund',
      `./${packed.stdout.trim()}`,
    );
    expect([installed.status, installed.stderr]).toEqual([0, expect.not.stringContaining('EBADENGINE')]);
  });

  test('is small, alone, and has the licences of all that is in it', () => {
    const file = readdirSync(home).find((name) => name.endsWith('.tgz')) ?? '';
    expect(statSync(join(home, file)).size).toBeLessThan(5 * megabyte);
    expect(readdirSync(join(home, 'node_modules')).filter((name) => !name.startsWith('.'))).toEqual(['local-needle']);
    const files = readdirSync(join(home, 'node_modules'), { recursive: true, withFileTypes: true });
    const bytes = files.filter((each) => each.isFile()).map((each) => statSync(join(each.parentPath, each.name)).size);
    expect(bytes.reduce((sum, each) => sum + each, 0)).toBeLessThan(30 * megabyte);
    const licences = readFileSync(join(home, 'node_modules/local-needle/THIRD-PARTY-LICENSES'), 'utf8');
    for (const name of ['parse5', 'postcss', 'css-tree', 'yargs', 'class-validator'])
      expect(licences).toContain(`\n${name} `);
  });

  test('says its version, checks a project, explains a finding and shows the demo', async () => {
    expect((await call(home, program, '--version')).stdout.trim()).toBe(packageJson.version);
    const project = smallProject('@needle calm { pages: path("/"); @hide .x, .gone; }');
    const { status, stdout } = await call(project, program, 'check');
    expect([status, stdout]).toEqual([1, expect.stringMatching(/calm\t\/\thit/)]);
    expect((await call(project, program, 'explain', 'missing-element')).stdout).toContain('What to do:');
    const demo = await call(home, program, 'demo');
    expect([demo.status, demo.stdout]).toEqual([0, expect.stringContaining('verdicts as checked')]);
  });

  test('takes what was compiled of its parts, and does without where that is damaged', async () => {
    const parts = join(home, 'node_modules/local-needle/dist/program/parts');
    const counting = `
      const { load, scripts, takeProcess } = await import(${JSON.stringify(join(parts, '../load.js'))});
      takeProcess();
      await load('execute').execute(['pages'], { out: () => undefined, log: () => undefined });
      console.log([...scripts.values()].map((script) => script.cachedDataRejected).join());`;
    const project = smallProject('@needle calm { pages: path("/"); @hide .x; }');
    const taken = (flags: string[]) => call(project, 'node', ...flags, '--input-type=module', '-e', counting);
    expect((await taken([])).stdout.trim()).toMatch(/^false(,false){20,}$/);
    expect((await taken(['--no-opt'])).stdout.trim()).toMatch(/^true(,true){20,}$/);
    for (const name of readdirSync(parts).filter((each) => each.endsWith('.compiled')))
      truncateSync(join(parts, name), 1000);
    expect((await taken([])).stdout.trim()).toMatch(/^true(,true){20,}$/);
    expect((await call(project, program, 'check')).stdout).toMatch(/calm\t\/\thit/);
  });

  test('says what to install where a command needs a browser', async () => {
    if (chromiumPath() === null) return;
    const { status, stderr } = await call(
      smallProject('@needle calm { pages: path("/"); @hide .x; }'),
      program,
      'before-after',
    );
    expect([status, stderr]).toEqual([3, expect.stringMatching(/needs the package playwright-core\n.*npm install/)]);
  });
});
