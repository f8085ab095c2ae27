import { createHash } from 'node:crypto';
import { basename, extname } from 'node:path';
import type { FileUse } from '../core/rule/rule.js';

/** A name for a shipped file that changes when its content does. */
export function shippedName(file: FileUse): string {
  const hash = createHash('sha256')
    .update(file.content ?? '')
    .digest('hex')
    .slice(0, 8);
  const ending = extname(file.path ?? '');
  return `files/${basename(file.path ?? '', ending).replace(/[^\w.-]+/g, '-')}-${hash}${ending}`;
}
