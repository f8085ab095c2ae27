import { ProblemError } from '../core/place.js';

/** A system error in words. */
export function systemReason(error: unknown): string {
  const { code, message } = error as NodeJS.ErrnoException;
  const words: Record<string, string> = {
    ENOENT: 'there is no such file',
    EACCES: 'permission denied',
    EPERM: 'permission denied',
    EISDIR: 'it is a folder',
    ENOTDIR: 'a part of its path is not a folder',
    ELOOP: 'its symbolic links form a loop',
    ENOSPC: 'the disk is full',
    EROFS: 'the disk is read-only',
  };
  return words[code ?? ''] ?? message;
}

/** Something that cannot be written. `kept`: what became of the content of before. */
export class CannotBeWritten extends ProblemError {
  constructor(path: string, error: unknown, kept = 'The previous content was not changed.') {
    super([{ message: `${path} cannot be written: ${systemReason(error)}`, hint: kept }], 'access');
  }
}
