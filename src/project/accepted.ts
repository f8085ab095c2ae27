import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Accepted } from '../core/check/accepted.js';
import { ProblemError } from '../core/place.js';

/** Holds the verdicts of the last accepted check; sorted and one line a page, for git. */
export const acceptedName = 'local-needle.accepted.json';

/** Reads the accepted verdicts; null if none were accepted yet. Throws ProblemError if the file is damaged. */
export function readAccepted(directory: string): Accepted | null {
  const path = join(directory, acceptedName);
  if (!existsSync(path)) return null;
  try {
    const value = JSON.parse(readFileSync(path, 'utf8')) as { accepted?: unknown; looks?: unknown };
    if (value.accepted !== 1 || !isAccepted(value.looks)) throw new Error('it is not a list of accepted verdicts');
    return value.looks;
  } catch (error) {
    throw new ProblemError([
      {
        message: `${acceptedName} cannot be read: ${(error as Error).message}`,
        hint: 'Restore it from git, or delete it and run local-needle check --accept.',
      },
    ]);
  }
}

const isRecord = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

const isAccepted = (value: unknown): value is Accepted =>
  isRecord(value) &&
  Object.values(value).every(
    (rules) =>
      isRecord(rules) &&
      Object.values(rules).every(
        (pages) => isRecord(pages) && Object.values(pages).every((each) => typeof each === 'string'),
      ),
  );

/** The file's text. */
export function acceptedText(accepted: Accepted): string {
  const sorted = <T>(record: Record<string, T>) => Object.entries(record).sort(([a], [b]) => (a < b ? -1 : 1));
  const looks = sorted(accepted).map(([look, rules]): [string, unknown] => [
    look,
    Object.fromEntries(sorted(rules).map(([rule, pages]) => [rule, Object.fromEntries(sorted(pages))])),
  ]);
  return `${JSON.stringify({ accepted: 1, looks: Object.fromEntries(looks) }, null, 1)}\n`;
}
