import { readFileSync, rmSync, statSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ProblemError } from '../core/place.js';
import { isRunning, thisProcess, type Owner } from '../disk/owner.js';

/** The file that says that a run is writing to a capture. */
export const lockName = 'running.pid';

/** A lock that was not renewed for so long is left over, whoever took it; in milliseconds. */
const leaseMs = 60_000;
const renewMs = 15_000;

/** Keeps two runs from writing to one capture: their journals would mix. */
export class CaptureLock {
  private readonly path: string;
  private readonly timer: ReturnType<typeof setInterval>;

  /** Throws ProblemError while another run is active. */
  constructor(private readonly folder: string) {
    this.path = join(folder, lockName);
    this.take();
    this.timer = setInterval(() => this.renew(), renewMs);
    this.timer.unref();
  }

  release(): void {
    clearInterval(this.timer);
    rmSync(this.path, { force: true });
  }

  private take(): void {
    for (let again = false; ; again = true) {
      try {
        return writeFileSync(this.path, JSON.stringify(thisProcess), { flag: 'wx' });
      } catch (error) {
        if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
      }
      if (again || this.isHeld())
        throw new ProblemError(
          [
            {
              message: `Another capture is writing to ${this.folder}`,
              hint: `Wait for it to end. If none is running, delete ${lockName} there, or try again in a minute.`,
            },
          ],
          'access',
        );
      rmSync(this.path, { force: true });
    }
  }

  private isHeld(): boolean {
    try {
      if (Date.now() - statSync(this.path).mtimeMs > leaseMs) return false;
      const { host = '', pid = 0, started = 0 } = JSON.parse(readFileSync(this.path, 'utf8')) as Partial<Owner>;
      // A version before this one kept the number alone.
      return pid > 0 && isRunning({ host, pid, started });
    } catch {
      // Gone meanwhile, or broken off.
      return false;
    }
  }

  private renew(): void {
    try {
      utimesSync(this.path, new Date(), new Date());
    } catch {
      // The folder is gone: the run itself will say so.
    }
  }
}
