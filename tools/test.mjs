// Lint and formatting, beside the tests, and one closing line that counts them all; arguments go to Jest. Types were checked
// by the compile before.
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { text } from 'node:stream/consumers';

/** The folder for what tests write. Nobody looks at it later, so it goes with the run. */
const room = mkdtempSync(join(tmpdir(), 'needle-tests-'));
process.on('exit', () => rmSync(room, { recursive: true, force: true }));
const env = { ...process.env, TMPDIR: room, TEMP: room, TMP: room };

const counts = { passed: 0, failed: 0, skipped: 0 };
// Tests run as they are compiled.
const jestOnly = process.argv.slice(2).map((word) => word.replace(/\.test\.ts$/, '.test.js'));

/** Runs a check that says nothing where all is well; gives what it said. */
async function check(...args) {
  const child = spawn(process.execPath, args, { stdio: ['ignore', 'pipe', 'pipe'], env });
  const said = Promise.all([text(child.stdout), text(child.stderr)]);
  const [status] = await once(child, 'close');
  counts[status === 0 ? 'passed' : 'failed']++;
  return (await said).join('');
}

/** A run that takes longer hangs: no test has a limit of its own. In milliseconds. */
const hangsMs = 30 * 60_000;

/** Runs Jest and counts its tests. `more`: environment of its processes. */
async function jest(words, more = {}) {
  const results = join(mkdtempSync(join(room, 'results-')), 'results.json');
  const args = [
    '--no-warnings',
    'node_modules/jest/bin/jest.js',
    // Before the options: one that takes a list would swallow what follows it.
    ...words,
    '--json',
    `--outputFile=${results}`,
    '--reporters=default',
  ];
  const timeout = env.LONG_TESTS === undefined ? hangsMs : undefined;
  const options = { stdio: 'inherit', env: { ...env, ...more }, timeout };
  const [status] = await once(spawn(process.execPath, args, options), 'close');
  const failedBefore = counts.failed;
  try {
    const { numPassedTests, numFailedTests, numPendingTests, numRuntimeErrorTestSuites } = JSON.parse(
      readFileSync(results, 'utf8'),
    );
    counts.passed += numPassedTests;
    counts.failed += numFailedTests + numRuntimeErrorTestSuites;
    counts.skipped += numPendingTests;
  } catch {
    counts.failed++;
  }
  if (status !== 0 && counts.failed === failedBefore) counts.failed++;
}

/** Tells how much of the source the tests ran, and fails below a floor. */
const coverage = (folder) =>
  check(
    ...['node_modules/c8/bin/c8.js', 'report', '--temp-directory', folder, '--exclude-after-remap', '--all'],
    ...['--src', 'src', '--include', 'src/**/*.ts', '--reporter', 'text-summary'],
    // What runs in browsers and in programs of its own is not counted.
    ...['--exclude', 'src/**/client/**', '--exclude', 'src/cli/main.ts', '--exclude', 'src/**/*.d.ts'],
    ...['--check-coverage', '--lines', '85', '--branches', '84', '--functions', '0', '--statements', '0'],
  );

/** A file that is as it was needs no second look: its form depends on nothing else. */
const kept = ['--cache', '--cache-strategy', 'content'];
const checks =
  jestOnly.length > 0
    ? []
    : [
        check('node_modules/eslint/bin/eslint.js', '.'),
        check('node_modules/prettier/bin/prettier.cjs', '--check', '--log-level', 'warn', ...kept, '.'),
      ];
if (jestOnly.length > 0 || process.env.CI !== 'true') await jest(jestOnly);
else {
  // Coverage slows down what it counts: it is taken where no browser is waited for.
  const covered = join(room, 'coverage');
  await jest(['tests/core', 'tests/capture', 'tests/cli', 'tests/preview'], { NODE_V8_COVERAGE: covered });
  checks.push(coverage(covered));
  await jest(['tests/browser', 'tests/types']);
}
process.stdout.write((await Promise.all(checks)).join(''));
if (counts.skipped > 0)
  console.log(
    `Skipped: the tests that need Chromium. Install it (apt-get install chromium) or set LOCAL_NEEDLE_CHROMIUM.`,
  );
console.log(
  `${counts.passed} passed, ${counts.failed} failed${counts.skipped > 0 ? `, ${counts.skipped} skipped` : ''}`,
);
process.exit(counts.failed > 0 ? 1 : 0);
