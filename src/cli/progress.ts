import cliProgress from 'cli-progress';

/** A progress bar on stderr, ending with the current task; null if stderr is not a terminal. */
export function progressBar(noun: string, total: number): cliProgress.SingleBar | null {
  if (!process.stderr.isTTY) return null;
  const bar = new cliProgress.SingleBar(
    {
      format: `  {bar} {value} of {total} ${noun}  {path}`,
      ...{ hideCursor: true, clearOnComplete: true, barsize: 30, stream: process.stderr },
    },
    cliProgress.Presets.shades_classic,
  );
  bar.start(total, 0, { path: '' });
  return bar;
}
