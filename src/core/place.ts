import type { Proposal } from './fix/proposal.js';

/** Where something is in a file of the project. `file` is relative to the project with forward slashes; the rest counts from 1. */
export interface Place {
  file: string;
  line: number;
  column: number;
}

/** An error in the input, as a value: only the outermost layer turns it into text. */
export interface Problem {
  message: string;
  /** Absent where no one place is at fault (a folder that is missing, say). */
  at?: Place;
  /** The line at `at`, as it is in the file. */
  source?: string;
  /** What to do about it. */
  hint?: string;
  /** Changes that may mend it; not tried yet. */
  proposals?: Proposal[];
  /** Nothing of the file could be read because of it. */
  stopsReading?: true;
}

/** An error in a piece of text: a selector, or a term of a condition. */
export interface TextFault {
  message: string;
  /** Where in the text, counted from 0 in UTF-16 units. */
  offset: number;
  hint?: string;
  /** Other text that may mend it, and where in the text it belongs. */
  mend?: { offset: number; from: string; to: string };
  /** `invalid-path`: a path is at fault, which is a finding rather than a broken file. */
  code?: 'invalid-path';
}

/** A text cannot be parsed; code that knows its location turns this into a problem or a finding. */
export class TextError extends Error implements TextFault {
  constructor(
    message: string,
    readonly offset: number,
    readonly hint?: string,
    readonly code?: TextFault['code'],
    readonly mend?: TextFault['mend'],
  ) {
    super(message);
    this.name = 'TextError';
  }
}

/** The fault of a text, from a parser that throws TextError; null if it is valid. */
export function faultOf(read: () => unknown): TextFault | null {
  try {
    read();
    return null;
  } catch (error) {
    if (error instanceof TextError) return error;
    throw error;
  }
}

/** The input is invalid or cannot be accessed; holds every problem found, not only the first. */
export class ProblemError extends Error {
  constructor(
    readonly problems: Problem[],
    /** `input`: the call, local-needle.yaml or a rule file is wrong (exit status 2). `access`: it could not be read, fetched or written (3). */
    readonly kind: 'input' | 'access' = 'input',
  ) {
    super(problems.map((problem) => problem.message).join('\n'));
    this.name = 'ProblemError';
  }
}
