import { availableParallelism } from 'node:os';
import { globSync } from 'tinyglobby';

export default {
  // Tests run as they are compiled, in processes of plain Node: in Jest's own sandboxes they take twice as long.
  runner: ['jest-light-runner', { runtime: 'child_process' }],
  // Of a test that is gone the compiler leaves what it made.
  testMatch: globSync('tests/**/*.test.ts').map((test) => `<rootDir>/dist/${test.replace(/ts$/, 'js')}`),
  // The compiler's copy of package.json.
  modulePathIgnorePatterns: ['<rootDir>/dist/package\\.json'],
  setupFiles: ['<rootDir>/tests/setup.js'],
  snapshotResolver: '<rootDir>/tests/snapshot-resolver.js',
  transform: {},
  // One more than cores: a third of the time goes into waiting for programs and pages.
  maxWorkers: availableParallelism() + 1,
};
