// What other programs may import from "local-needle"; nothing else is exported.
import { openCheck, type OpenedCheck } from './app/check-input.js';
import { makeBuild, prepareBuild, type BuildAs } from './app/build.js';
import { withLostHits } from './app/lost-hits.js';
import { pageAt } from './app/page-at.js';
import { parallelCheck } from './app/parallel-check.js';
import { ruleNamed } from './app/rule-named.js';
import { narrowed } from './core/check/narrow.js';
import type { CheckReport } from './core/check/verdict.js';
import type { Finding } from './core/finding.js';
import { plainReport } from './report/json.js';

export { ProblemError, type Problem, type Place } from './core/place.js';
export type { ActionResult, Cell, CheckReport, OverriddenPair, Verdict } from './core/check/verdict.js';
export type { Finding, FindingCode, Level } from './core/finding.js';

/** Which project, and how its pages are looked at; each is what the command line's option of that name is. */
export interface ProjectOptions {
  /** The folder with local-needle.yaml; the nearest upwards from the working directory if left out. */
  project?: string;
  /** A site of local-needle.yaml; the first if left out. */
  site?: string;
  viewport?: string;
  state?: string;
  visitor?: string;
}

/** A project whose settings, rules and pages were read. */
export interface Project {
  /** Its folder, absolute. */
  readonly directory: string;
  readonly site: string;
  readonly pages: readonly { path: string; title: string }[];
  readonly rules: readonly { name: string; note: string | null; file: string; line: number }[];
}

/** What of it is checked; everything if left out. */
export interface CheckOptions {
  rules?: readonly string[];
  /** Paths of pages. */
  pages?: readonly string[];
}

/** How a build is made; see `local-needle build --help`. */
export interface BuildOptions {
  as?: BuildAs;
  /** The folder that it is written to, from the working directory. */
  out?: string;
  /** Names files by what they hold. */
  hashed?: boolean;
  minify?: boolean;
  /** False: fails where local-needle.js would be needed. */
  script?: boolean;
  /** Builds in spite of errors. */
  force?: boolean;
}

/** What a build wrote; nothing where `errors` kept it from being written. */
export interface BuildResult {
  /** Names of files in its folder. */
  files: string[];
  /** Findings of the check that keep it from being written, unless it is forced. */
  errors: Finding[];
  /** What reading it back found: empty where the build does what the check says. */
  differences: Finding[];
}

const opened = new WeakMap<Project, { check: OpenedCheck; options: ProjectOptions }>();

function openedOf(project: Project) {
  const known = opened.get(project);
  if (!known) throw new TypeError('This is no project of openProject');
  return known;
}

/** Reads a project and the pages of one of its sites. Throws ProblemError with all that is wrong with its files. */
export function openProject(options: ProjectOptions = {}): Project {
  const check = openCheck(options);
  const { project, content } = check;
  const own: Project = {
    directory: project.directory,
    site: content.site.name,
    pages: content.site.pages.map(({ path, title }) => ({ path, title })),
    rules: project.rules.map(({ name, note, at }) => ({ name, note, file: at.file, line: at.line })),
  };
  opened.set(own, { check, options });
  return own;
}

/** The report of `local-needle check --format json`. Rejects with ProblemError for a rule or page that is not there. */
export async function check(project: Project, { rules = [], pages = [] }: CheckOptions = {}): Promise<CheckReport> {
  const { check: own, options } = openedOf(project);
  const { content, source } = own;
  const named = rules.map((name) => ruleNamed(name, own.project.rules).name);
  const paths = pages.map((path) => pageAt(path, content.site, source.pathOptions).path);
  const plain = await parallelCheck(own.input, options);
  const report = withLostHits(own.project.directory, own.input, plain);
  own.keep();
  return structuredClone(plainReport(narrowed(report, { rules: named, pages: paths })));
}

/** Checks, writes a build, and reads it back, as `local-needle build`. Rejects with ProblemError where a file cannot be written. */
export async function build(
  project: Project,
  { as = 'bundle', out, hashed = false, minify = false, script = true, force = false }: BuildOptions = {},
): Promise<BuildResult> {
  const { options } = openedOf(project);
  const call = { ...options, project: project.directory, as, out, 'all-sites': false, hashed, minify, script };
  const ready = await prepareBuild(call);
  if (ready.errors.length > 0 && !force) return { files: [], errors: ready.errors, differences: [] };
  const { made, proof } = makeBuild(call, ready);
  return { files: [...made.files.keys()], errors: ready.errors, differences: proof.findings };
}
