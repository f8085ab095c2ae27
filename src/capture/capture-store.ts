import { createHash } from 'node:crypto';
import {
  closeSync,
  cpSync,
  existsSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
  writeSync,
} from 'node:fs';
import { basename, dirname, join } from 'node:path';
import writeFileAtomic from 'write-file-atomic';
import { finding } from '../core/finding.js';
import { readOpening } from '../core/page/opening.js';
import type { PageIdForm } from '../core/page/page-id.js';
import type { PathOptions } from '../core/page/path.js';
import { ProblemError } from '../core/place.js';
import { CannotBeWritten } from '../disk/system-reason.js';
import { decodePage, decodeStyle, readStart } from './decode.js';
import { assembleSite, type KeptPages, type SiteContent } from './site-content.js';
import { CaptureLock, lockName } from './capture-lock.js';
import {
  readEntry,
  readHeader,
  type CaptureHeader,
  type Entry,
  type NotCaptured,
  type StoredPage,
  type StoredStyle,
} from './stored.js';

/** A capture as it is on disk (docs/capture.md). */
export interface Capture {
  header: CaptureHeader;
  pages: Map<string, StoredPage>;
  styles: Map<string, StoredStyle>;
  notCaptured: NotCaptured[];
  /** Paths that an interrupted run had captured; null if the last run came to its end. */
  unfinished: Set<string> | null;
  /** What cannot be read, and is left out. */
  faults: { file: string; line: number; message: string }[];
}

/** The folder of all captures in a project. */
export const capturesFolder = (directory: string) => join(directory, 'captured');

/** The folder of a site's capture as one visitor sees it. */
export const captureFolder = (directory: string, site: string, visitor: string | null) =>
  join(capturesFolder(directory), visitor === null ? site : `${site}.${visitor}`);

const indexName = 'index.jsonl';
/** What a run has captured so far; becomes a part of the index when the run ends. */
const journalName = 'journal.jsonl';

export const hashOf = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex').slice(0, 16);

/** A file name for a path or address: readable where it is plain, and never the same for two of them, whatever they hold. */
export function safeName(text: string, ending: string): string {
  const trimmed = text.replace(/^\/+/, '');
  if (trimmed === '') return `index${ending}`;
  const plain =
    /^[a-z0-9_-][a-z0-9._-]*(\/[a-z0-9_-][a-z0-9._-]*)*$/.test(trimmed) &&
    trimmed.length <= 120 &&
    trimmed !== 'index' &&
    !trimmed.includes('..');
  if (plain) return trimmed + ending;
  const readable = trimmed
    .replace(/[^A-Za-z0-9._/-]+/g, '-')
    .replace(/(^|\/)\.+/g, '$1')
    .replace(/\/+/g, '/')
    .slice(0, 80)
    .replace(/[/.-]+$/, '');
  return `${readable || 'page'}~${createHash('sha256').update(text).digest('hex').slice(0, 10)}${ending}`;
}

function damaged(folder: string, what: string): ProblemError {
  return new ProblemError(
    [
      {
        message: `The capture ${folder} is damaged: ${what}`,
        hint: 'Run local-needle capture --refetch, or restore the folder from git.',
      },
    ],
    'access',
  );
}

/** Where the capture of a visitor is kept while the next run may still turn out to have lost its session. */
const beforeOf = (folder: string) => `${folder}.before`;

/** Does something on the disk. Throws CannotBeWritten. */
function onDisk<T>(path: string, action: () => T): T {
  try {
    return action();
  } catch (error) {
    if (error instanceof ProblemError) throw error;
    throw new CannotBeWritten(path, error, 'What was captured is kept: run the same command again to continue.');
  }
}

/** Reads the index and, after an interrupted run, the journal. Null where there is no capture. Throws ProblemError if it is damaged. */
export function readCapture(folder: string): Capture | null {
  const [index, journal] = [join(folder, indexName), join(folder, journalName)];
  if (!existsSync(index) && !existsSync(journal)) {
    if (!existsSync(beforeOf(folder))) return null;
    // A run was killed while it restored the capture of before.
    rmSync(folder, { recursive: true, force: true });
    renameSync(beforeOf(folder), folder);
  }
  const capture: Capture = {
    header: { capture: 1, site: '', visitor: null, address: '', rendered: false },
    pages: new Map(),
    styles: new Map(),
    notCaptured: [],
    unfinished: null,
    faults: [],
  };
  if (existsSync(index)) readLines(capture, folder, indexName, false);
  if (existsSync(journal)) {
    capture.unfinished = new Set();
    capture.notCaptured = [];
    readLines(capture, folder, journalName, true);
  }
  return capture;
}

function readLines(capture: Capture, folder: string, name: string, isJournal: boolean): void {
  const text = readFileSync(join(folder, name), 'utf8');
  const lines = text.split('\n');
  // A killed run may leave its last line incomplete; the page of that line was not reported as captured.
  const last = lines.pop();
  const end = isJournal ? null : endOf(lines.pop());
  if ((last !== '' || end === null) && !isJournal)
    throw damaged(folder, `${name} ends early in line ${lines.length + 1}`);
  // With a valid checksum the lines are unchanged; otherwise each is validated again.
  const asWritten = end !== null && end === hashOf(new TextEncoder().encode(lines.join('\n')));
  lines.forEach((line, number) => {
    try {
      if (number === 0) capture.header = readHeader(line);
      else keep(capture, asWritten ? (JSON.parse(line) as Entry) : readEntry(line), isJournal);
    } catch (error) {
      const reason = (error as Error).message.slice(0, 120);
      if (number === 0) throw damaged(folder, `${name}:1 cannot be read (${reason})`);
      capture.faults.push({ file: name, line: number + 1, message: `The line cannot be read: ${reason}` });
    }
  });
}

/** The checksum in the last line of an index; null for any other line. */
const endOf = (line: string | undefined) => /^\{"end":"([0-9a-f]{16})"\}$/.exec(line ?? '')?.[1] ?? null;

function keep(capture: Capture, entry: Entry, isJournal: boolean): void {
  if ('page' in entry) {
    capture.pages.set(entry.page.path, entry.page);
    if (isJournal) capture.unfinished?.add(entry.page.path);
  } else if ('style' in entry) capture.styles.set(entry.style.url, entry.style);
  else capture.notCaptured.push(entry.notCaptured);
}

/** Writes a capture while a run goes on. A page is reported as captured only once it is on disk. */
export class CaptureWriter {
  private readonly journal: number;
  private readonly before: string;
  /** A line was written in part, perhaps: none may follow it. */
  private isBroken = false;
  private readonly lock: CaptureLock;

  /** Goes on from `earlier` where it was interrupted. */
  constructor(
    readonly folder: string,
    readonly header: CaptureHeader,
    readonly earlier: Capture | null,
  ) {
    this.before = beforeOf(folder);
    [this.lock, this.journal] = onDisk(folder, () => {
      mkdirSync(folder, { recursive: true });
      return [new CaptureLock(folder), this.begin()];
    });
  }

  /** Opens the journal. */
  private begin(): number {
    const { folder, header, earlier } = this;
    // A visitor's session may turn out to have ended: then the capture of before is restored.
    if (header.visitor !== null && earlier && !earlier.unfinished) {
      rmSync(this.before, { recursive: true, force: true });
      cpSync(folder, this.before, { recursive: true, filter: (source) => !source.endsWith(lockName) });
    }
    const path = join(folder, journalName);
    if (earlier?.unfinished) {
      // The incomplete line of a killed run is removed before more is written.
      const text = readFileSync(path, 'utf8');
      if (!text.endsWith('\n'))
        writeFileAtomic.sync(path, text.slice(0, text.lastIndexOf('\n') + 1) || `${JSON.stringify(header)}\n`);
    } else writeFileAtomic.sync(path, `${JSON.stringify(header)}\n`);
    return openSync(path, 'a');
  }

  /** Stores a page; unchanged bytes leave the file as it is. */
  page(entry: Omit<StoredPage, 'file' | 'bytes' | 'hash'>, bytes: Uint8Array): StoredPage {
    const stored: StoredPage = {
      ...entry,
      ...this.store('pages', safeName(entry.path, '.html'), bytes, this.earlier?.pages.get(entry.path)?.hash),
    };
    this.append({ page: stored });
    return stored;
  }

  style(entry: Omit<StoredStyle, 'file' | 'bytes' | 'hash'>, bytes: Uint8Array): void {
    const { host, pathname, search } = new URL(entry.url);
    const name = safeName(`${host.replace(/:/g, '-')}${pathname}${search}`.replace(/\.css$/, ''), '.css');
    this.append({
      style: { ...entry, ...this.store('styles', name, bytes, this.earlier?.styles.get(entry.url)?.hash) },
    });
  }

  private store(part: string, name: string, bytes: Uint8Array, known: string | undefined) {
    const file = `${part}/${name}`;
    const hash = hashOf(bytes);
    const path = join(this.folder, file);
    if (known !== hash || !existsSync(path)) {
      onDisk(path, () => {
        mkdirSync(dirname(path), { recursive: true });
        writeFileAtomic.sync(path, Buffer.from(bytes), { fsync: false });
      });
    }
    return { file, bytes: bytes.length, hash };
  }

  /** Notes that a page or stylesheet is as it was, or that an address could not be loaded. */
  append(entry: Entry): void {
    const line = Buffer.from(`${JSON.stringify(entry)}\n`);
    if (this.isBroken) throw new CannotBeWritten(this.folder, new Error('an earlier write failed'));
    this.isBroken = true;
    onDisk(join(this.folder, journalName), () => {
      // A disk that is almost full takes a part.
      for (let at = 0; at < line.length;) at += writeSync(this.journal, line, at);
    });
    this.isBroken = false;
  }

  /** Whether a stored page's file is there. */
  hasFile = (page: StoredPage) => existsSync(join(this.folder, page.file));

  /** The text of a stored page. */
  text = (page: StoredPage) => decodePage(readFileSync(join(this.folder, page.file)), page.charset).html;

  /**
   * Ends the run: the journal becomes a part of the index. `complete`: pages that the run did not see are gone from the
   * site and are removed from the capture; otherwise they stay. `gone`: addresses that answered that there is no such
   * page.
   */
  finish(complete: boolean, gone: ReadonlySet<string>): Capture {
    return onDisk(this.folder, () => this.end(complete, gone));
  }

  private end(complete: boolean, gone: ReadonlySet<string>): Capture {
    closeSync(this.journal);
    const now = readCapture(this.folder);
    if (!now?.unfinished) throw damaged(this.folder, 'its journal is missing');
    const seen = now.unfinished;
    const dropped = [...now.pages.values()].filter(({ path }) => !seen.has(path) && (complete || gone.has(path)));
    for (const { path } of dropped) now.pages.delete(path);
    const used = new Set([...now.pages.values()].flatMap(({ styles }) => styles));
    for (let before = -1; before !== used.size;) {
      before = used.size;
      for (const url of [...used]) now.styles.get(url)?.imports.forEach((each) => used.add(each));
    }
    const unused = [...now.styles.values()].filter(({ url }) => !used.has(url));
    for (const { url } of unused) now.styles.delete(url);
    const sorted = <T>(map: Map<string, T>) =>
      [...map.entries()].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, value]) => value);
    const entries: Entry[] = [
      ...sorted(now.pages).map((page) => ({ page })),
      ...sorted(now.styles).map((style) => ({ style })),
      ...now.notCaptured.map((notCaptured) => ({ notCaptured })),
    ];
    const text = [this.header, ...entries].map((each) => JSON.stringify(each)).join('\n');
    writeFileAtomic.sync(
      join(this.folder, indexName),
      `${text}\n{"end":"${hashOf(new TextEncoder().encode(text))}"}\n`,
    );
    rmSync(join(this.folder, journalName));
    this.lock.release();
    rmSync(this.before, { recursive: true, force: true });
    for (const { file } of [...dropped, ...unused]) rmSync(join(this.folder, file), { force: true });
    // What killed runs had begun to write; the names of our own files never end in a number.
    for (const file of readdirSync(this.folder, { recursive: true }))
      if (/\.\d+$/.test(String(file))) rmSync(join(this.folder, String(file)), { force: true });
    return { ...now, header: this.header, unfinished: null };
  }

  /** Takes back everything that the run wrote; an earlier capture of the visitor is restored. */
  discard(): void {
    closeSync(this.journal);
    this.lock.release();
    if (existsSync(this.before)) {
      rmSync(this.folder, { recursive: true, force: true });
      renameSync(this.before, this.folder);
    } else if (!existsSync(join(this.folder, indexName))) {
      rmSync(this.folder, { recursive: true, force: true });
    } else {
      rmSync(join(this.folder, journalName), { force: true });
    }
  }

  /** Leaves the run so that the next one can continue it. */
  interrupt(): void {
    closeSync(this.journal);
    this.lock.release();
  }
}

/** Reads a capture as a site. Null where there is none. Throws ProblemError if it is damaged. */
export function readCapturedSite(
  name: string,
  folder: string,
  pathOptions: PathOptions,
  forms: PageIdForm[] | null,
  kept: KeptPages = {},
): SiteContent | null {
  const capture = readCapture(folder);
  if (!capture) return null;
  for (const { path, file } of [...capture.pages.values()]) {
    if (existsSync(join(folder, file))) continue;
    capture.pages.delete(path);
    capture.faults.push({ file, line: 1, message: `The file of ${path} is missing` });
  }
  const stored = [...capture.pages.values()];
  const byFile = new Map(stored.map((page) => [page.file, page]));
  const findings = capture.faults.map(({ file, line, message }) =>
    finding('damaged-capture', `${message}, so it is left out`, {
      at: { file: `captured/${basename(folder)}/${file}`, line, column: 1 },
      hint: 'Run local-needle capture --refetch, or restore the file from git.',
    }),
  );
  const bytesOf = (file: string) => {
    try {
      return readFileSync(join(folder, file));
    } catch {
      throw damaged(folder, `${file} is missing`);
    }
  };
  const text = (file: string) => decodePage(bytesOf(file), byFile.get(file)?.charset).html;
  const captured = stored.map(({ path, url, file, bytes, title, body }) => {
    const stat = statSync(join(folder, file));
    // The file was edited by hand, or its run was killed before the index was updated: use the file's content.
    const opening = stat.size === bytes ? { title, body: new Map(Object.entries(body)) } : readOpening(text(file));
    return { path, url, file, opening, identity: `${stat.size} ${stat.mtimeMs}` };
  });
  const style = (address: string) => {
    const found = capture.styles.get(address);
    if (!found) return null;
    const bytes = bytesOf(found.file);
    return { text: decodeStyle(bytes, found.charset), file: shownName(address), identity: hashOf(bytes) };
  };
  const shownName = (address: string) => {
    const { host, pathname, search } = new URL(address);
    return address.startsWith(new URL(capture.header.address).origin + '/') ? pathname + search : host + pathname;
  };
  const files = () =>
    new Map([
      ...[...capture.styles].map(([address, { file }]) => [shownName(address), file] as const),
      ...stored.map(({ file }) => [file, file] as const),
    ]);
  let byName: ReturnType<typeof files> | undefined;
  const onDisk = (name: string) => {
    const file = (byName ??= files()).get(name);
    return file !== undefined && existsSync(join(folder, file)) ? join(folder, file) : null;
  };
  return assembleSite(name, captured, forms, findings, {
    html: (page) => text(page.file),
    style,
    file: () => null,
    onDisk,
    policy: ({ file }) => byFile.get(file)?.csp ?? null,
    markup: ({ file }) => readStart(bytesOf(file), byFile.get(file)?.charset),
    ...{ kept, pathOptions, day: capture.header.day ?? null },
  });
}
