// The tests on generated input with all of their cases: 30,000 pages and stylesheets against Chromium, 10,000 broken ones, and
// so on. ORACLE_SEED repeats a run of the cascade.
import { spawnSync } from 'node:child_process';

const generated = [
  'tests/browser/cascade',
  'tests/browser/reach',
  'tests/core/hostile-input',
  'tests/core/delivery',
  'tests/core/kept-results',
];
const { status } = spawnSync(process.execPath, ['tools/test.mjs', ...generated], {
  stdio: 'inherit',
  env: { LONG_TESTS: '1', ...process.env, CI: 'true' },
});
process.exit(status ?? 1);
