// Lint, formatting and the tests, in this order; arguments go to Jest. Types were checked by the compile before.
import { spawnSync } from 'node:child_process';

const jest = ['node_modules/jest/bin/jest.js', ...process.argv.slice(2)];
const steps =
  process.argv.length > 2
    ? []
    : [
        ['node_modules/eslint/bin/eslint.js', '.'],
        ['node_modules/prettier/bin/prettier.cjs', '--check', '--log-level', 'warn', '.'],
      ];
let failed = false;
for (const args of [...steps, ['--experimental-vm-modules', '--no-warnings', ...jest]]) {
  failed = spawnSync(process.execPath, args, { stdio: 'inherit' }).status !== 0 || failed;
}
process.exit(failed ? 1 : 0);
