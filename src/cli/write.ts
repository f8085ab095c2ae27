import { mkdirSync } from 'node:fs';
import { dirname, join } from 'node:path';
import writeFileAtomic from 'write-file-atomic';
import { ProblemError } from '../core/place.js';
import { systemReason } from '../project/files.js';

/** Writes files below a folder, each whole or not at all. Throws ProblemError where one cannot be written. */
export function writeFiles(folder: string, files: Map<string, string | Uint8Array>): void {
  for (const [name, content] of files) {
    const file = join(folder, name);
    try {
      mkdirSync(dirname(file), { recursive: true });
      writeFileAtomic.sync(file, typeof content === 'string' ? content : Buffer.from(content));
    } catch (error) {
      throw new ProblemError(
        [
          {
            message: `${file} cannot be written: ${systemReason(error)}`,
            hint: 'What stood there before is untouched.',
          },
        ],
        'access',
      );
    }
  }
}
