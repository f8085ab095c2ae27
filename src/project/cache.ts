import { createHash } from 'node:crypto';
import { mkdirSync, readFileSync, statSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import writeFileAtomic from 'write-file-atomic';

/** The folder of caches; it can be deleted at any time. */
export const cacheFolder = '.local-needle';

/** Changes with every build of the program, so that no cache outlives the code that wrote it. */
export const program = (() => {
  try {
    return String(statSync(fileURLToPath(import.meta.url)).mtimeMs);
  } catch {
    return '';
  }
})();

export const digest = (text: string) => createHash('sha256').update(text).digest('base64url').slice(0, 22);

/** How the values of a cache are written. */
export interface CacheForm<T> {
  write: (value: T) => unknown;
  /** Throws where it is damaged; such a value counts as none. */
  read: (written: never) => T;
  /** What a value is about, by which the last one can be found. */
  about?: (value: T) => string;
}

/** A value as its line of the file has it, or as it was set. */
interface Entry<T> {
  about: string;
  text: Buffer | null;
  value: T | undefined;
}

/** The beginning of a line: its key, and what it is about. */
const headPattern = /^\["([\w-]+)","([\w-]*)",/;
const mostHead = 200;
const lineBreak = 10;

/**
 * Values kept between runs by text keys, a line each (JSON Lines), which are read only when they are asked for. Entries that
 * a run does not use are dropped; damaged ones count as none.
 */
export class Cache<T> {
  private readonly path: string;
  private known: Map<string, Entry<T>> | undefined;
  private readonly used = new Map<string, Entry<T>>();
  private byAbout: Map<string, Entry<T>> | undefined;
  private changed = false;

  /** `form`: how values are written, if not as they are. */
  constructor(
    directory: string,
    name: string,
    private readonly form: CacheForm<T> = { write: (value) => value, read: (written) => written },
  ) {
    this.path = join(directory, cacheFolder, `${name.replace(/[^\w.-]+/g, '-')}.jsonl`);
  }

  /** What an earlier run kept; its file is read when it is first asked for. */
  private get old(): Map<string, Entry<T>> {
    return (this.known ??= this.read());
  }

  private read(): Map<string, Entry<T>> {
    const entries = new Map<string, Entry<T>>();
    let bytes: Buffer;
    try {
      bytes = readFileSync(this.path);
    } catch {
      // There is none yet.
      return entries;
    }
    // Of a large site it is longer than a text can be.
    for (let from = 0, to = 0; from < bytes.length; from = to + 1) {
      to = bytes.indexOf(lineBreak, from);
      if (to < 0) to = bytes.length;
      if (from === 0 && bytes.toString('utf8', 0, to) !== firstLine) return entries;
      const [head = '', key, about = ''] =
        headPattern.exec(bytes.toString('latin1', from, Math.min(to, from + mostHead))) ?? [];
      if (key !== undefined)
        entries.set(key, { about, text: bytes.subarray(from + head.length, to - 1), value: undefined });
    }
    return entries;
  }

  /** The value of an entry; undefined if it is damaged. */
  private valueOf({ text, value }: Entry<T>): T | undefined {
    if (value !== undefined || text === null) return value;
    try {
      return this.form.read(JSON.parse(text.toString()) as never);
    } catch {
      return undefined;
    }
  }

  private entry(short: string): Entry<T> | undefined {
    const entry = this.used.get(short) ?? this.old.get(short);
    if (entry) entry.value = this.valueOf(entry);
    return entry?.value === undefined ? undefined : entry;
  }

  get = (key: string): T | undefined => {
    const short = digest(key);
    const entry = this.entry(short);
    if (entry) this.used.set(short, entry);
    return entry?.value;
  };

  set = (key: string, value: T): void => {
    const short = digest(key);
    if (this.entry(short)?.value === value) return;
    const entry: Entry<T> = { about: this.form.about?.(value) ?? '', text: null, value };
    // The last in the list is the last one about something.
    this.used.delete(short);
    this.used.set(short, entry);
    this.byAbout?.set(entry.about, entry);
    this.changed = true;
  };

  /** The last value about something. It is not used by that. */
  find = (about: string): T | undefined => {
    this.byAbout ??= new Map([...this.old.values(), ...this.used.values()].map((entry) => [entry.about, entry]));
    const entry = this.byAbout.get(about);
    return entry && this.valueOf(entry);
  };

  /** Drops what was not asked for since this was last called, so that a long session does not keep every state of a text. */
  age(): void {
    this.known = new Map(this.used);
    this.used.clear();
    this.byAbout = undefined;
  }

  /**
   * Writes the file whole, if anything changed. A failure to write is ignored: the next run takes longer. `forget`:
   * drop entries that this run did not use.
   */
  save(forget = true): void {
    // A cache that was not read keeps all its entries.
    if (!this.known) return;
    if (!this.changed && (!forget || this.used.size === this.old.size)) return;
    const entries = forget ? this.used : new Map([...this.old, ...this.used]);
    try {
      mkdirSync(dirname(this.path), { recursive: true });
      const parts = [...entries].flatMap(([key, { about, text, value }]) => [
        Buffer.from(`\n["${key}","${about}",`),
        text ?? Buffer.from(JSON.stringify(value === undefined ? null : this.form.write(value))),
        closing,
      ]);
      writeFileAtomic.sync(this.path, Buffer.concat([Buffer.from(firstLine), ...parts]), { fsync: false });
    } catch {
      // A read-only folder gets no cache.
    }
  }
}

const firstLine = JSON.stringify({ program });
const closing = Buffer.from(']');
