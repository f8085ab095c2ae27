import { readFileSync, rmSync, statSync, utimesSync, writeFileSync } from 'node:fs';
import { hostname } from 'node:os';
import { join } from 'node:path';
import { ProblemError } from '../core/place.js';

/** The file that says that a run is writing to a capture. */
export const lockName = 'running.pid';

/** A lock that was not renewed for so long is left over, whoever took it; in milliseconds. */
const leaseMs = 60_000;
const renewMs = 15_000;

/** Who holds a lock. A process number alone may live again: containers give the same few numbers to all. */
interface Holder {
  host: string;
  pid: number;
  /** When the process started, in milliseconds since 1970. */
  started: number;
}

const startOfProcess = Math.round(Date.now() - process.uptime() * 1000);

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
    const holder: Holder = { host: hostname(), pid: process.pid, started: startOfProcess };
    for (let again = false; ; again = true) {
      try {
        return writeFileSync(this.path, JSON.stringify(holder), { flag: 'wx' });
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
      const holder = JSON.parse(readFileSync(this.path, 'utf8')) as Partial<Holder> | number;
      // A version before this one kept the number alone.
      if (typeof holder === 'number') return false;
      if (holder.host !== hostname()) return true;
      if (holder.pid === process.pid) return Math.abs((holder.started ?? 0) - startOfProcess) < 2000;
      return isRunning(Number(holder.pid));
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

function isRunning(pid: number): boolean {
  try {
    return pid > 0 && process.kill(pid, 0);
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'EPERM';
  }
}
