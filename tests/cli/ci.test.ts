import { execFileSync, spawnSync } from 'node:child_process';
import { existsSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { writeDemoProject, writeDemoSite } from '../../demo/site.js';
import { folderWith, pageHtml, run } from '../helpers.js';

test('The example for CI is in the docs, and runs as it is written in a fresh repository', async () => {
  const directory = join(folderWith({}), 'ferries');
  writeDemoProject(directory);
  writeDemoSite(join(directory, 'live'), 'live');
  writeFileSync(
    join(directory, 'package.json'),
    '{ "name": "ferries", "version": "1.0.0", "scripts": { "build-site": "echo built > built.txt" } }',
  );
  writeFileSync(
    join(directory, 'package-lock.json'),
    '{ "name": "ferries", "version": "1.0.0", "lockfileVersion": 3, "packages": { "": { "name": "ferries", "version": "1.0.0" } } }',
  );
  const { out } = await run(directory, ['init', 'live=live', '--ci']);
  expect(out).toContain('local-needle-ci.sh');
  const text = readFileSync(join(directory, 'local-needle-ci.sh'), 'utf8');
  expect(readFileSync('docs/ci.md', 'utf8')).toContain(`\`\`\`sh\n${text}\`\`\`\n`);
  // Without Chromium, and with a npx that knows the program of this build.
  const bin = folderWith({});
  const program = join(process.cwd(), 'dist/program/local-needle.js');
  writeFileSync(join(bin, 'npx'), `#!/bin/sh\nshift\nexec node ${program} "$@"\n`, { mode: 0o755 });
  for (const name of ['npm', 'node']) symlinkSync(join(process.execPath, '..', name), join(bin, name));
  for (const name of ['sh', 'mkdir', 'env', 'uname', 'cat']) symlinkSync(`/bin/${name}`, join(bin, name));
  const ci = () =>
    spawnSync('/bin/sh', ['local-needle-ci.sh'], {
      cwd: directory,
      encoding: 'utf8',
      env: { ...process.env, PATH: bin },
    });
  const failed = ci();
  expect([failed.status, failed.stdout]).toEqual([1, expect.stringMatching(/local-needle\.xml: 33 cells.*6 errors/)]);
  for (const name of ['xml', 'sarif', 'html'])
    expect(existsSync(join(directory, `reports/local-needle.${name}`))).toBe(true);
  expect([existsSync(join(directory, 'built.txt')), existsSync(join(directory, 'dist'))]).toEqual([true, false]);
  await run(directory, ['check', '--fix']);
  const passed = ci();
  expect([passed.stderr.replace(/npm .*\n/g, ''), passed.status]).toEqual([expect.not.stringContaining('error'), 0]);
  expect(readFileSync(join(directory, 'dist/local-needle/manifest.json'), 'utf8')).toContain('local-needle.css');
});

test('the example of docs/shipping.md puts hashed names into a template', async () => {
  const directory = folderWith({
    'local-needle.yaml': 'version: 1\nsites: { live: { folder: public } }\n',
    'rules/a.css': '@needle calm { pages: path("/"); h1 { color: teal; } @swap h1 { text: "New"; } }',
    'public/index.html': pageHtml('class="page-1"', '<h1>Old</h1>'),
  });
  await run(directory, ['build', '--hashed', '--out', 'public/assets']);
  const [, code = ''] = /```js\n([^]*?readFileSync[^]*?)```/.exec(readFileSync('docs/shipping.md', 'utf8')) ?? [];
  writeFileSync(join(directory, 'tags.mjs'), `${code}console.log(tags);`);
  const tags = execFileSync(process.execPath, ['tags.mjs'], { cwd: directory, encoding: 'utf8' });
  writeFileSync(
    join(directory, 'public/index.html'),
    pageHtml('class="page-1"', '<h1>Old</h1>').replace('</head>', `${tags}</head>`),
  );
  writeFileSync(
    join(directory, 'local-needle.yaml'),
    'version: 1\nsites: { live: { folder: public, bundle-address: /assets/local-needle.css } }\n',
  );
  expect(tags.match(/local-needle-\w+\.(css|js)/g)).toHaveLength(2);
  expect((await run(directory, ['check'])).out).toMatch(/No errors, no warnings/);
});
