// Lint, formatting and the tests, in this order, and one closing line that counts them all; arguments go to Jest. Types
// were checked by the compile before.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** The folder for what tests write. Nobody looks at it later, so it goes with the run. */
const room = mkdtempSync(join(tmpdir(), 'needle-tests-'));
process.on('exit', () => rmSync(room, { recursive: true, force: true }));
const env = { ...process.env, TMPDIR: room, TEMP: room, TMP: room };

const node = (...args) => spawnSync(process.execPath, args, { stdio: 'inherit', env }).status === 0;
const counts = { passed: 0, failed: 0, skipped: 0 };
const jestOnly = process.argv.slice(2);

if (jestOnly.length === 0) {
  for (const check of [
    ['node_modules/eslint/bin/eslint.js', '.'],
    ['node_modules/prettier/bin/prettier.cjs', '--check', '--log-level', 'warn', '.'],
  ]) {
    counts[node(...check) ? 'passed' : 'failed']++;
  }
}
/** Runs Jest and counts its tests. */
function jest(...args) {
  const results = join(mkdtempSync(join(room, 'results-')), 'results.json');
  const fine = node(
    '--experimental-vm-modules',
    '--no-warnings',
    'node_modules/jest/bin/jest.js',
    // Before the options: one that takes a list would swallow what follows it.
    ...args,
    '--json',
    `--outputFile=${results}`,
    '--reporters=default',
  );
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
  if (!fine && counts.failed === failedBefore) counts.failed++;
}

if (jestOnly.length > 0 || process.env.CI !== 'true') jest(...jestOnly);
else {
  // Coverage slows down what it counts: it is taken where no browser is waited for.
  jest('tests/core', 'tests/capture', 'tests/cli', 'tests/preview', '--coverage');
  jest('tests/browser', 'tests/types');
}
if (counts.skipped > 0)
  console.log(
    `Skipped: the tests that need Chromium. Install it (apt-get install chromium) or set LOCAL_NEEDLE_CHROMIUM.`,
  );
console.log(
  `${counts.passed} passed, ${counts.failed} failed${counts.skipped > 0 ? `, ${counts.skipped} skipped` : ''}`,
);
process.exit(counts.failed > 0 ? 1 : 0);
