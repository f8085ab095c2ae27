/** Which project and site a call is about. */
export interface SiteCall {
  /** The project's folder; the nearest upwards with a local-needle.yaml if left out. */
  project?: string;
  /** The first of local-needle.yaml if left out. */
  site?: string;
  /** Goes on without the rule files that have errors, if others have rules. */
  tolerant?: boolean;
  /** Tells states of a page apart by what it holds, not by size and time: for results of another machine. */
  byContent?: boolean;
  /** Texts that stand for those of rule files, by their path in the project: what an editor has not saved. */
  texts?: ReadonlyMap<string, string>;
}

/** The day where the user is, `2026-11-23`. */
export function today(now = new Date()): string {
  return new Date(now.getTime() - now.getTimezoneOffset() * 60_000).toISOString().slice(0, 10);
}
