import { createHash, randomBytes } from 'node:crypto';
import {
  chmodSync,
  chownSync,
  copyFileSync,
  cpSync,
  existsSync,
  lstatSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  realpathSync,
  renameSync,
  rmdirSync,
  rmSync,
  statSync,
  writeFileSync,
  type Stats,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, dirname, join, resolve } from 'node:path';
import { ProblemError } from '../core/place.js';
import { isRunning, thisProcess } from './owner.js';
import { CannotBeWritten } from './system-reason.js';

/** Where the sets of a project are prepared: nothing in its public folders tells of a command that was killed. */
const writing = (project: string) => join(project, '.local-needle', 'writing');

/** A set that nothing was done with for so long is left over, whoever made it; in milliseconds. */
const leaseMs = 10 * 60_000;

const movesName = 'moves.json';

/** A file or folder that was made aside, and where it belongs. */
interface Move {
  made: string;
  to: string;
  /** What stood there when all was prepared, `size modified`; null: nothing did. */
  before: string | null;
}

/** Takes the files and folders of a set. Paths are absolute or relative to the current directory. */
export interface FileSet {
  /** A file; the one that it replaces gives it its mode and, where it is a link, its place. */
  file(path: string, content: string | Uint8Array): void;
  /** A folder, as `fill` makes it elsewhere. */
  folder(path: string, fill: (made: string) => void): void;
}

/**
 * Writes files and folders all or not at all. They are prepared in the project's own folder, recorded, and then moved to
 * their places; a set that a killed process leaves is ended or removed by `endKilledSets`. Throws ProblemError if something
 * cannot be written: then nothing is changed.
 */
export function writeSet(project: string, prepare: (set: FileSet) => void): void {
  const home = makeHome(project);
  const moves: Move[] = [];
  let current = project;
  const place = (path: string) => {
    const to = existsSync(path) ? realpathSync(path) : resolve(path);
    current = path;
    return { made: join(home, String(moves.length)), to, before: identity(to) };
  };
  try {
    prepare({
      file(path, content) {
        const move = place(path);
        const old = statSync(move.to, { throwIfNoEntry: false });
        if (old?.isDirectory()) throw Object.assign(new Error(), { code: 'EISDIR' });
        writeFileSync(move.made, content, { flush: true });
        if (old) keepOwner(move.made, old);
        moves.push(move);
      },
      folder(path, fill) {
        const move = place(path);
        mkdirSync(move.made);
        fill(move.made);
        moves.push(move);
      },
    });
    // A folder comes last: it alone could not be taken back from another disk.
    moves.sort((a, b) => Number(isFolder(a.made)) - Number(isFolder(b.made)));
    // One move is done or not done; several are ended by the next start.
    if (moves.length > 1) {
      writeFileSync(join(home, 'moves'), JSON.stringify({ mark: markOf(home), moves }), { flush: true });
      renameSync(join(home, 'moves'), join(home, movesName));
    }
    moveAll(moves, (to) => (current = to));
  } catch (error) {
    if (error instanceof ProblemError) throw error;
    throw new CannotBeWritten(current, error);
  } finally {
    removeHome(home);
  }
}

/** Fills a new folder, such as one of a set, with files. Throws what the system throws. */
export function fillFolder(folder: string, files: Map<string, string | Uint8Array>): void {
  for (const [name, content] of files) {
    mkdirSync(dirname(join(folder, name)), { recursive: true });
    writeFileSync(join(folder, name), content, { flush: true });
  }
}

/**
 * Ends the sets that killed processes left in a project: those that were complete are moved to their places, all others are
 * removed. What someone else changed since then stays as it is. Never throws.
 */
export function endKilledSets(project: string): void {
  try {
    for (const name of readdirSync(writing(project))) {
      const home = join(writing(project), name);
      if (!homeName.test(name) || isAtWork(home, name)) continue;
      const moves = recorded(home);
      // A folder that is being replaced is missing for a moment.
      if (moves.every((move) => isDone(move) || [move.before, null].includes(identity(move.to))))
        moveAll(moves, () => undefined);
      removeHome(home);
    }
  } catch {
    // There is none, or the folder cannot be written: the next start tries again.
  }
}

const homeName = /^[0-9a-f]{8}-\d+-\d+-[0-9a-f]{8}$/;

/** What a folder is known by on this disk: a record that came with a project from elsewhere moves nothing. */
function markOf(home: string): string {
  const { dev, ino, birthtimeMs } = lstatSync(home);
  return `${dev} ${ino} ${birthtimeMs}`;
}

/** The moves of a set that was complete; none of one that was not, or that was not made here. */
function recorded(home: string): Move[] {
  try {
    const { mark, moves } = JSON.parse(readFileSync(join(home, movesName), 'utf8')) as { mark: string; moves: Move[] };
    return mark === markOf(home) ? moves : [];
  } catch {
    return [];
  }
}

/** Makes the folder of a set, which tells in its name who is at work. */
function makeHome(project: string): string {
  const { host, pid, started } = thisProcess;
  // Whole, since the next start may be from another folder.
  const home = resolve(writing(project), [hashOf(host), pid, started, randomBytes(4).toString('hex')].join('-'));
  try {
    mkdirSync(home, { recursive: true });
    return home;
  } catch {
    // A report may go elsewhere from a project that cannot be written.
    return mkdtempSync(join(tmpdir(), 'local-needle-'));
  }
}

const hashOf = (text: string) => createHash('sha256').update(text).digest('hex').slice(0, 8);

function isAtWork(home: string, name: string): boolean {
  const [host, pid, started] = name.split('-');
  if (Date.now() - statSync(home).mtimeMs > leaseMs) return false;
  const isHere = host === hashOf(thisProcess.host);
  return isRunning({ host: isHere ? thisProcess.host : '', pid: Number(pid), started: Number(started) });
}

/** Removes the folder of a set, and those above that were made for it alone. */
function removeHome(home: string): void {
  try {
    rmSync(home, { recursive: true, force: true });
    if (basename(dirname(home)) !== 'writing') return;
    rmdirSync(dirname(home));
    rmdirSync(dirname(dirname(home)));
  } catch {
    // They hold other things.
  }
}

function identity(path: string): string | null {
  const stat = statSync(path, { throwIfNoEntry: false });
  return stat ? `${stat.size} ${stat.mtimeMs}` : null;
}

function keepOwner(file: string, { mode, uid, gid }: Stats): void {
  chmodSync(file, mode);
  try {
    chownSync(file, uid, gid);
  } catch {
    // Only the superuser can give files to others.
  }
}

const isFolder = (path: string) => statSync(path).isDirectory();
const aside = (made: string) => `${made}.old`;

/** Does the moves of a set that are not done yet; where one fails, those before it are taken back. */
function moveAll(moves: Move[], at: (to: string) => void): void {
  const done: Move[] = [];
  try {
    for (const move of moves) {
      at(move.to);
      mkdirSync(dirname(move.to), { recursive: true });
      moveOne(move, moves.length > 1);
      done.push(move);
    }
  } catch (error) {
    for (const move of done.reverse()) takeBack(move);
    throw error;
  }
}

/** `keep`: the file that is replaced is kept aside until the set is done. */
function moveOne({ made, to }: Move, keep: boolean): void {
  if (existsSync(made)) {
    if (keep && !isFolder(made) && existsSync(to)) copyFileSync(to, aside(made));
    try {
      swap(made, to, aside(made));
      return;
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'EXDEV') throw error;
    }
    // On another disk it is copied beside its place first.
    rmSync(beside(to, 'new'), { recursive: true, force: true });
    cpSync(made, beside(to, 'new'), { recursive: true, preserveTimestamps: true });
    renameSync(made, `${made}.copied`);
  }
  if (existsSync(beside(to, 'new'))) swap(beside(to, 'new'), to, beside(to, 'old'));
  if (existsSync(to)) rmSync(beside(to, 'old'), { recursive: true, force: true });
}

/** A name beside a place, the same each time: a later start finds it. */
const beside = (to: string, end: 'new' | 'old') => join(dirname(to), `.${basename(to)}.local-needle-${end}`);

const isDone = ({ made, to }: Move) => !existsSync(made) && !existsSync(beside(to, 'new'));

/** Puts something in its place; a folder that is there goes to `old`. */
function swap(from: string, to: string, old: string): void {
  const replaces = isFolder(from) && existsSync(to);
  if (replaces) renameSync(to, old);
  try {
    renameSync(from, to);
  } catch (error) {
    if (replaces) renameSync(old, to);
    throw error;
  }
}

/** Takes a move back that was done. */
function takeBack({ made, to }: Move): void {
  try {
    rmSync(to, { recursive: true });
    if (existsSync(aside(made))) cpSync(aside(made), to, { recursive: true, preserveTimestamps: true });
  } catch {
    // The first error is told.
  }
}
