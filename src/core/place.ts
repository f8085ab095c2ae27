/** Where something stands in a file of the project. `file` is relative to the project with forward slashes; the rest counts from 1. */
export interface Place {
  file: string;
  line: number;
  column: number;
}

/** Something wrong with the input, as a value: only the outermost layer turns it into text. */
export interface Problem {
  message: string;
  /** Absent where no one place is at fault (a folder that is missing, say). */
  at?: Place;
  /** The line at `at`, as it stands in the file. */
  source?: string;
  /** What to do about it. */
  hint?: string;
}

/** The input cannot be read as what it should be; carries every problem found, not the first alone. */
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
