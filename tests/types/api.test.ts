import { spawnSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import ts from 'typescript';
import packageJson from '../../package.json' with { type: 'json' };
import { folderWith } from '../helpers.js';

const use = `import { build, check, openProject, ProblemError, type CheckReport, type Verdict } from './api.js';
const project = openProject({ site: 'live' });
const report: CheckReport = await check(project, { pages: ['/'] });
const verdicts: Verdict[] = report.cells.map(({ verdict }) => verdict);
const { files } = await build(project, { as: 'pages', out: 'patched' });
export const all = [verdicts, files, project.rules[0]?.note, new ProblemError([]).kind === 'input'];
`;
const wrong = `import { check, openProject } from './api.js';
void check(openProject({ sites: 'live' }), { page: '/' });
`;

test('The types of the API stand alone, and are those of what it does', () => {
  const directory = folderWith({ 'use.ts': use, 'wrong.ts': wrong });
  const [, line = ''] = /(dts-bundle-generator .*)$/.exec(packageJson.scripts.prepack) ?? [];
  const words = line.replace('dist/program/api.d.ts', join(directory, 'api.d.ts')).split(' ').slice(1);
  const { status, stderr } = spawnSync('npx', ['dts-bundle-generator', ...words], { encoding: 'utf8' });
  expect([status, stderr]).toEqual([0, expect.not.stringContaining('rror')]);
  const types = readFileSync(join(directory, 'api.d.ts'), 'utf8');
  expect(types).not.toMatch(/^import |reference /m);
  writeFileSync(join(directory, 'package.json'), '{ "type": "module" }');
  const program = ts.createProgram(
    ['use.ts', 'wrong.ts'].map((name) => join(directory, name)),
    {
      ...{ strict: true, noEmit: true, types: [], lib: ['lib.es2022.d.ts'] },
      ...{ module: ts.ModuleKind.NodeNext, target: ts.ScriptTarget.ES2022 },
    },
  );
  const errors = (file: string) =>
    ts
      .getPreEmitDiagnostics(program, program.getSourceFile(join(directory, file)))
      .map(({ messageText }) => ts.flattenDiagnosticMessageText(messageText, ' '));
  expect(errors('api.d.ts')).toEqual([]);
  expect(errors('use.ts')).toEqual([]);
  expect(errors('wrong.ts')).toEqual([expect.stringContaining("'sites'"), expect.stringContaining("'page'")]);
});
