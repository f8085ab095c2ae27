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

/**
 * Values kept between runs by text keys. Entries that a run does not use are dropped; a damaged file counts as empty.
 */
export class Cache<T> {
  private readonly path: string;
  private known: Map<string, T> | undefined;
  private readonly used = new Map<string, T>();
  private changed = false;

  /** `form`: how values are written, if not as they are; one that cannot be read counts as none. */
  constructor(
    directory: string,
    name: string,
    private readonly form: { write: (value: T) => unknown; read: (written: never) => T } | null = null,
  ) {
    this.path = join(directory, cacheFolder, `${name.replace(/[^\w.-]+/g, '-')}.json`);
  }

  /** What an earlier run kept; read when it is first asked for. */
  private get old(): Map<string, T> {
    return (this.known ??= this.read());
  }

  private read(): Map<string, T> {
    try {
      const value = JSON.parse(readFileSync(this.path, 'utf8')) as { program: string; entries: [string, T][] };
      if (value.program !== program) return new Map<string, T>();
      const { form } = this;
      if (!form) return new Map(value.entries);
      return new Map(value.entries.map(([key, written]) => [key, form.read(written as never)]));
    } catch {
      return new Map<string, T>();
    }
  }

  get = (key: string): T | undefined => {
    const short = digest(key);
    const value = this.used.get(short) ?? this.old.get(short);
    if (value !== undefined) this.used.set(short, value);
    return value;
  };

  set = (key: string, value: T): void => {
    const short = digest(key);
    if ((this.used.get(short) ?? this.old.get(short)) === value) return;
    this.used.set(short, value);
    this.changed = true;
  };

  /** All values, those of this run last. */
  all = function* (this: Cache<T>): Iterable<T> {
    yield* this.old.values();
    yield* this.used.values();
  }.bind(this);

  /** Drops what was not asked for since this was last called, so that a long session does not keep every state of a text. */
  age(): void {
    this.known = new Map(this.used);
    this.used.clear();
  }

  /**
   * Writes the file whole, if anything changed. A failure to write is ignored: the next run takes longer. `forget`:
   * drop entries that this run did not use.
   */
  save(forget = true): void {
    // A cache that was not read keeps all its entries.
    if (!this.known) return;
    if (!this.changed && (!forget || this.used.size === this.old.size)) return;
    const entries = forget ? [...this.used] : [...new Map([...this.old, ...this.used])];
    try {
      mkdirSync(dirname(this.path), { recursive: true });
      const { form } = this;
      const written = form ? entries.map(([key, value]) => [key, form.write(value)]) : entries;
      writeFileAtomic.sync(this.path, JSON.stringify({ program, entries: written }), { fsync: false });
    } catch {
      // A read-only folder gets no cache.
    }
  }
}
