// A long run of the cascade against Chromium: ORACLE_RUNS generated cases (30,000), with ORACLE_SEED where it is given.
import { spawnSync } from 'node:child_process';

const { status } = spawnSync(
  process.execPath,
  ['--experimental-vm-modules', '--no-warnings', 'node_modules/jest/bin/jest.js', 'tests/browser/cascade.test.ts'],
  { stdio: 'inherit', env: { ORACLE_RUNS: '30000', ...process.env, CI: 'true' } },
);
process.exit(status ?? 1);
