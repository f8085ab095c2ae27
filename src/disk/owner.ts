import { hostname } from 'node:os';

/** A process that works on something. Its number alone may live again: containers give the same few numbers to all. */
export interface Owner {
  host: string;
  pid: number;
  /** When the process started, in milliseconds since 1970. */
  started: number;
}

export const thisProcess: Owner = {
  host: hostname(),
  pid: process.pid,
  started: Math.round(Date.now() - process.uptime() * 1000),
};

/** Whether a process may still be at work. One of another host, which cannot be asked, counts as running. */
export function isRunning({ host, pid, started }: Owner): boolean {
  if (host !== thisProcess.host) return true;
  if (pid === thisProcess.pid) return Math.abs(started - thisProcess.started) < 2000;
  try {
    return pid > 0 && process.kill(pid, 0);
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'EPERM';
  }
}
