import { createHash } from 'node:crypto';
import { basename, extname } from 'node:path';
import type { FileUse } from '../core/action/action.js';

/** A name for a shipped file that changes when its content does. */
export function shippedName(file: FileUse): string {
  const hash = shortHash(file.content ?? '');
  const ending = extname(file.path ?? '');
  return `files/${basename(file.path ?? '', ending).replace(/[^\w.-]+/g, '-')}-${hash}${ending}`;
}

/** The name of a text that changes when it does: `local-needle-3f2a9b1c.css`. */
export function hashName(name: string, text: string): string {
  const ending = extname(name);
  return `${name.slice(0, -ending.length)}-${shortHash(text)}${ending}`;
}

const shortHash = (content: string | Uint8Array) => createHash('sha256').update(content).digest('hex').slice(0, 8);
