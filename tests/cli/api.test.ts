import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { writeDemoProject, writeDemoSite } from '../../demo/site.js';
import { folderWith, run, smallProject } from '../helpers.js';

/** Runs a module that imports the built package. */
function inProgram(directory: string, text: string): { out: string; log: string; status: number | null } {
  mkdirSync(join(directory, 'node_modules'), { recursive: true });
  const link = join(directory, 'node_modules/local-needle');
  try {
    symlinkSync(process.cwd(), link);
  } catch {
    // It is there already.
  }
  writeFileSync(join(directory, 'own.mjs'), text);
  const { stdout, stderr, status } = spawnSync(process.execPath, ['own.mjs'], { cwd: directory, encoding: 'utf8' });
  return { out: stdout, log: stderr, status };
}

describe('The API', () => {
  test('does what the example in its docs says, with the report of the command line', async () => {
    const directory = folderWith({});
    const ferries = join(directory, 'ferries');
    writeDemoProject(ferries);
    writeDemoSite(join(ferries, 'live'), 'live');
    await run(ferries, ['init', 'live=live']);
    const docs = readFileSync('docs/api.md', 'utf8');
    const [, example = ''] = /```js\n([^]*?)```/.exec(docs) ?? [];
    const { out, log, status } = inProgram(directory, example);
    expect([log, status]).toEqual(['', 0]);
    expect(out).toMatch(
      /^live 30 \[\n {2}'camera-link',[^]*calm-payment \/tickets\/pay hit\n[^]*'local-needle\.css',[^]*\] 6 0\n$/,
    );
    expect(readFileSync(join(directory, 'assets/local-needle.css'), 'utf8')).toContain('calm-payment');
    const whole = inProgram(
      directory,
      "import { openProject, check } from 'local-needle';\nconsole.log(JSON.stringify(await check(openProject({ project: 'ferries' })), null, 2));",
    );
    expect(whole.out).toBe((await run(ferries, ['check', '--format', 'json'])).out);
  });

  test('exports four things, and tells what is wrong with a project', () => {
    const directory = smallProject('@needle a { pages: all; @hid .x; }');
    const { out, log } = inProgram(
      directory,
      `import * as all from 'local-needle';
      console.log(Object.keys(all).join());
      try { all.openProject(); } catch (error) { console.log(error instanceof all.ProblemError, error.kind, error.problems[0].hint, error.problems[0].at.line); }
      try { await all.check({}); } catch (error) { console.log(error.message); }
      import('local-needle/dist/program/local-needle.js').catch((error) => console.log(error.code));`,
    );
    expect([log, out.split('\n')]).toEqual([
      '',
      [
        'ProblemError,build,check,openProject',
        'true input Did you mean @hide? 1',
        'This is no project of openProject',
        'ERR_PACKAGE_PATH_NOT_EXPORTED',
        '',
      ],
    ]);
  });
});
