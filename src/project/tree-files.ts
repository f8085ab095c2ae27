import { mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { FlatTree, KeptTrees } from '../core/page/flat-tree.js';
import { cacheFolder, digest, program } from './cache.js';

/** Maximum size of all trees of a site, in bytes. */
const mostBytes = 768 * 1024 * 1024;
/** Length of the part before the tree itself: the sizes of its key, its nodes, its words and its texts, in bytes. */
const headBytes = 16;

/**
 * The trees of a site's pages in a folder of the cache, a file for each page. One that is damaged or of another program
 * counts as none.
 */
export class TreeFiles implements KeptTrees {
  private readonly folder: string;
  private room: number | null = null;

  constructor(directory: string, name: string) {
    this.folder = join(directory, cacheFolder, name.replace(/[^\w.-]+/g, '-'));
  }

  get = (file: string, identity: string): FlatTree | undefined => {
    try {
      const bytes = readFileSync(this.pathOf(file));
      const key = keyOf(file, identity);
      const [keyBytes = 0, nodeBytes = 0, wordBytes = 0, textBytes = 0] = [0, 4, 8, 12].map((at) =>
        bytes.readUInt32LE(at),
      );
      const nodes = headBytes + keyBytes;
      // Written in part only: another run is writing it, or was stopped.
      if (bytes.length !== nodes + nodeBytes + wordBytes + textBytes) return undefined;
      if (bytes.toString('utf8', headBytes, nodes) !== key) return undefined;
      const words = nodes + nodeBytes;
      return {
        nodes: bytes.subarray(nodes, words),
        words: bytes.toString('utf8', words, words + wordBytes),
        texts: bytes.toString('utf8', words + wordBytes),
      };
    } catch {
      return undefined;
    }
  };

  /** A failure to write is ignored: the next run takes longer. */
  set = (file: string, identity: string, { nodes, words, texts }: FlatTree): void => {
    const parts = [Buffer.from(keyOf(file, identity)), nodes, Buffer.from(words), Buffer.from(texts)];
    const head = Buffer.alloc(headBytes);
    parts.forEach((part, index) => head.writeUInt32LE(part.length, index * 4));
    const bytes = Buffer.concat([head, ...parts]);
    try {
      this.room ??= mostBytes - sizeOf(this.folder);
      const before = statSync(this.pathOf(file), { throwIfNoEntry: false })?.size ?? 0;
      if (this.room + before < bytes.length) return;
      this.room += before - bytes.length;
      mkdirSync(this.folder, { recursive: true });
      writeFileSync(this.pathOf(file), bytes);
    } catch {
      // A read-only folder gets no cache.
    }
  };

  private pathOf = (file: string) => join(this.folder, digest(file));
}

const keyOf = (file: string, identity: string) => `${program} ${identity} ${file}`;

function sizeOf(folder: string): number {
  try {
    return readdirSync(folder).reduce((sum, name) => sum + statSync(join(folder, name)).size, 0);
  } catch {
    return 0;
  }
}
