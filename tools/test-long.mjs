// The tests on generated input with all of their cases: 30,000 pages and stylesheets against Chromium, every kill, the largest
// inputs, and so on. What they count goes into docs/reliability.md. ORACLE_SEED repeats a run of the cascade and of mutated
// input. Arguments name some of the tests; the figures of the others stay.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { cpus, tmpdir } from 'node:os';
import { join } from 'node:path';

/** What is promised, the test that holds it, and the figures that the test notes. */
const promises = [
  ['Selectors are valid and match as in Chromium', 'tests/browser/selectors', 'selectors'],
  ['Values are valid where Chromium takes them', 'tests/browser/values', 'values'],
  ['Shorthands expand and values compute as in Chromium', 'tests/browser/shorthands', 'shorthands'],
  ['Verdicts and values are as in Chromium', 'tests/browser/cascade', 'cascade'],
  ['Verdicts on sites that nobody here wrote are as in Chromium', 'tests/browser/site-folders', 'sites'],
  ['The start of a page tells what the whole page tells', 'tests/core/opening', 'opening'],
  ['What ships reaches the right pages only', 'tests/browser/reach', null],
  ['Broken pages and stylesheets are read', 'tests/core/hostile-input', 'hostile'],
  ['Broken input of every kind ends in words, never in an internal error', 'tests/cli/mutated-input', 'mutated'],
  ['A kill leaves the old or the new files, and the next run works', 'tests/cli/kills', 'kills'],
  ['Large input ends in time and memory', 'tests/cli/giants', null],
  ['local-needle.js costs at most half a millisecond a burst of changes', 'tests/browser/run-time', 'burst'],
  ['Nothing on the screen steers the terminal', 'tests/cli/terminal-safety', null],
  ['Other hosts, sessions and links that do something are left alone', 'tests/cli/sessions', null],
  ['Other websites get nothing from the preview', 'tests/browser/preview', null],
  ['What is shipped is what was checked', 'tests/core/delivery', null],
  ['Kept results are those of a new check', 'tests/core/kept-results', null],
  ['What pages share is what each is told by itself', 'tests/core/shared-styles', null],
];
const path = 'docs/reliability.md';
const [begin, end] = ['<!-- figures of npm run test:long -->', '<!-- end of figures -->'];

const wanted = process.argv.slice(2);
const tests = promises.map(([, test]) => test).filter((test) => wanted.length === 0 || wanted.includes(test));
const file = join(mkdtempSync(join(tmpdir(), 'needle-figures-')), 'figures');
writeFileSync(file, '');
const passed = new Map();
for (const test of tests) {
  const { status } = spawnSync(process.execPath, ['tools/test.mjs', test], {
    stdio: 'inherit',
    env: { ...process.env, LONG_TESTS: '1', CI: 'true', FIGURES: file },
  });
  passed.set(test, status === 0);
}

const noted = readFileSync(file, 'utf8')
  .split('\n')
  .filter((line) => line !== '')
  .map((line) => JSON.parse(line));
const today = new Date().toISOString().slice(0, 10);
const text = readFileSync(path, 'utf8');
const [from, to] = [text.indexOf(begin), text.indexOf(end)];
const kept = new Map(
  text
    .slice(from, to)
    .split('\n')
    .filter((line) => line.startsWith('| '))
    .map((line) => [/`([^`]+)`/.exec(line)?.[1], line]),
);
const rows = promises.map(([promise, test, about]) => {
  if (!passed.has(test)) return kept.get(test) ?? `| ${promise} | \`${test}\` | not run yet |`;
  const figures = noted.filter((each) => each.about === about).map(({ figure }) => figure);
  const result = passed.get(test) ? [today, ...figures].join(': ') : `${today}: failed`;
  return `| ${promise} | \`${test}\` | ${result} |`;
});
const giants = noted.filter(({ about }) => about === 'giants');
const large = passed.has('tests/cli/giants')
  ? [
      '| Input and command | took |',
      '| --- | --- |',
      ...giants.map(({ figure }) => `| ${figure.replace(/: (\w+) /, ', `$1` | ')} |`),
    ]
  : [
      ...text
        .slice(from, to)
        .matchAll(/^\| (?:Input and command|---) \| (?:took|---) \|$|^\| .*`(?:check|find|build)` \|.*$/gm),
    ].map(([line]) => line);
const table = [
  begin,
  '',
  `The last run, with Node ${process.version} on ${cpus().length} cores:`,
  '',
  '| Promise | Test | Last run |',
  '| --- | --- | --- |',
  ...rows,
  '',
  ...large,
  '',
];
writeFileSync(path, text.slice(0, from) + table.join('\n') + text.slice(to));
spawnSync(process.execPath, ['node_modules/prettier/bin/prettier.cjs', '--write', '--log-level', 'warn', path]);
process.exit([...passed.values()].every(Boolean) ? 0 : 1);
