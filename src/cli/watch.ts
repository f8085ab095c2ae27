import { watch, type FSWatcher } from 'chokidar';
import type { CheckReport } from '../core/check/verdict.js';
import { ProblemError } from '../core/place.js';
import { problemsText } from '../report/problems.js';
import { changesText } from '../report/changes.js';
import { styleFor } from '../report/text.js';
import type { Output } from './command.js';

/** Files saved within this time are one change, in milliseconds. */
const settleMs = 120;

/** Calls back with the files below these folders that changed. Links are not followed: they may lead in a circle. */
export function watchFolders(
  folders: (string | null)[],
  log: Output['log'],
  changed: (paths: string[]) => void,
): FSWatcher {
  let timer: NodeJS.Timeout | undefined;
  const paths: string[] = [];
  return watch(
    folders.filter((each) => each !== null),
    {
      ignoreInitial: true,
      followSymlinks: false,
      ignored: /(^|[/\\])(node_modules|\.git|\.local-needle)([/\\]|$)/,
    },
  )
    .on('error', (error) => log(`Changes may be missed: ${(error as Error).message}`))
    .on('all', (_event, path) => {
      paths.push(path);
      clearTimeout(timer);
      timer = setTimeout(() => changed(paths.splice(0)), settleMs);
    });
}

/**
 * Checks once, then after every change in these folders, which is told with the absolute paths of the files, until the program is
 * stopped. After the first check only changes are shown. If a file has an error, the error is shown and the next check is compared with the last good one.
 */
export async function watchAndCheck(
  folders: (string | null)[],
  {
    checkOnce,
    changed,
  }: { checkOnce: () => { report: CheckReport; text: string }; changed: (paths: string[]) => void },
  { out, log }: Output,
): Promise<never> {
  const style = styleFor(process.stdout, process.env);
  let last: CheckReport | null = null;
  const look = () => {
    try {
      const { report, text } = checkOnce();
      out(last === null ? text : changesText(last, report, style));
      last = report;
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      log(problemsText(error.problems, style));
    }
  };
  look();
  watchFolders(folders, log, (paths) => {
    changed(paths);
    look();
  }).on('ready', () => log('Watching for changes. Press Ctrl+C to stop.'));
  return new Promise<never>(() => undefined);
}
