// Snapshots stand beside the tests, not beside what is compiled of them.
import { basename, dirname, join } from 'node:path';

export default {
  resolveSnapshotPath: (test, extension) =>
    join(dirname(test).replace('/dist/', '/'), '__snapshots__', basename(test).replace(/js$/, 'ts') + extension),
  resolveTestPath: (snapshot, extension) =>
    join(
      dirname(dirname(snapshot)).replace(/\/tests(?=\/|$)/, '/dist/tests'),
      basename(snapshot, extension).replace(/ts$/, 'js'),
    ),
  testPathForConsistencyCheck: '/ferries/dist/tests/cli/example.test.js',
};
