import { basename, sep } from 'node:path';
import { checkInSteps } from '../core/check/check.js';
import type { CheckInput } from '../core/check/input.js';
import type { CheckReport } from '../core/check/verdict.js';
import { ProblemError, type Problem } from '../core/place.js';
import { rulePages } from '../core/target/delivery.js';
import { loadProject, type KeptRuleFiles, type Project } from '../project/project.js';
import { readForEdit } from '../project/edit.js';
import { configurationName } from '../project/settings.js';
import { checkOf, openCheck, withRules, type OpenedCheck } from './check-input.js';
import type { Rule } from '../core/rule/rule.js';
import type { LookCall } from './open.js';
import { parallelCheckInSteps } from './parallel-check.js';
import { pagePlaces } from './sites.js';

/** The project as it is now, unsaved texts included. */
export interface LiveReading {
  opened: OpenedCheck;
  input: CheckInput;
  project: Project;
}

/** How pages are looked at: viewport, state and visitor by their names. */
export type Look = Pick<LookCall, 'viewport' | 'state' | 'visitor' | 'more'>;

/** After so many checks, results that none of them used are dropped. */
const checksKept = 50;

/**
 * A project that stays in memory while its files are edited: its pages are read once, rule files where their text changed, and
 * pages are judged where what reaches them did.
 */
export class LiveProject {
  /** Texts of editors that are not saved, by path in the project. */
  private readonly texts = new Map<string, string>();
  private readonly kept: KeptRuleFiles = new Map();
  private checks = 0;
  private opened: OpenedCheck | null = null;
  private now: LiveReading | null = null;
  /** The last one that could be read, for what is asked while a file is broken. */
  private good: LiveReading | null = null;

  /** `tolerant`: whether files with problems are left out, if others are sound. */
  constructor(
    readonly directory: string,
    private call: LookCall,
    private readonly tolerant = true,
  ) {}

  /** Takes a text that stands for the one of a file; null: the file itself counts again. */
  setText(file: string, text: string | null): void {
    if (text === null) this.texts.delete(file);
    else this.texts.set(file, text);
    this.now = null;
  }

  /** Forgets what was read: rule files only, or pages and settings too. */
  forget(pages: boolean): void {
    this.now = null;
    this.kept.clear();
    if (pages) {
      this.opened?.keep(false);
      this.opened = null;
    }
  }

  /** How the pages are looked at. */
  get look(): Look {
    const { viewport, state, visitor, more } = this.call;
    return { viewport, state, visitor, more };
  }

  /** Looks at the same pages in another way; the next reading is of that. Throws ProblemError for what local-needle.yaml lacks. */
  lookAt(look: Look): void {
    const { project, source, content } = this.read().opened;
    const call: LookCall = { ...this.call, ...look, project: this.directory, tolerant: this.tolerant };
    const opened = checkOf(project, source, content, { ...call, texts: this.texts });
    this.opened?.keep(false);
    this.call = call;
    this.opened = opened;
    this.now = null;
  }

  /** Forgets what files that changed on disk hold, by their absolute paths; whether any of them belongs to a site's pages. */
  changedOnDisk(paths: string[]): boolean {
    const settings = this.good?.project.settings;
    const places = settings ? pagePlaces(this.directory, settings) : [this.directory];
    const isPage = (path: string) => places.some((place) => path === place || path.startsWith(place + sep));
    const hasPages = paths.some(isPage);
    // Settings say which pages there are.
    this.forget(hasPages || paths.some((path) => basename(path) === configurationName));
    return hasPages;
  }

  /** The text of a file of the project as it is now; null if there is none. */
  textOf(file: string): string | null {
    const own = this.texts.get(file);
    if (own !== undefined) return own;
    const form = readForEdit(this.directory, file);
    return form.bytes === null ? null : form.text;
  }

  get unsaved(): ReadonlyMap<string, string> {
    return this.texts;
  }

  /** Reads what changed. Throws ProblemError where no rule file can be read, or the pages cannot. */
  read(): LiveReading {
    if (this.now) return this.now;
    const { directory, tolerant, texts, kept } = this;
    const project = loadProject(directory, { tolerant, texts, kept });
    this.opened ??= openCheck({ ...this.call, project: directory, tolerant, texts });
    this.good = this.now = { opened: this.opened, input: withRules(this.opened, project), project };
    return this.now;
  }

  /** The project as it is, or as it last could be read; null if it never could. Throws what is no error of input. */
  latest(): LiveReading | null {
    try {
      return this.read();
    } catch (error) {
      problemsOf(error);
      return this.good;
    }
  }

  /** What keeps rule files from being read now. */
  problems(): Problem[] {
    try {
      return this.read().project.problems;
    } catch (error) {
      return problemsOf(error);
    }
  }

  /** Judges the pages of the rules in one file alone; what it finds of other pages is not known. */
  checkFile(file: string): Generator<undefined, CheckReport> {
    const { input } = this.read();
    const site = input.view(null)?.site;
    const own = new Set(
      site ? input.rules.filter(({ at }) => at.file === file).flatMap((rule) => [...rulePages(rule, site)]) : [],
    );
    return checkInSteps({ ...input, hints: null, loading: null, isKnown: (page) => !own.has(page) });
  }

  /** Judges everything, in steps that can be given up. `off`: names of rules that are judged as if paused. */
  async *check(off: ReadonlySet<string> = new Set()): AsyncGenerator<undefined, CheckReport> {
    const { opened, input } = this.read();
    const { results } = opened.input;
    // Other threads know nothing of what is switched off.
    const report =
      off.size === 0
        ? yield* parallelCheckInSteps({ ...input, results }, this.threadCall())
        : yield* checkInSteps({ ...input, rules: withOff(input.rules, off) });
    if (++this.checks % checksKept === 0) opened.age();
    return report;
  }

  /** What other threads read: the texts as they are now. */
  private threadCall(): LookCall {
    return { ...this.call, project: this.directory, tolerant: this.tolerant, texts: new Map(this.texts) };
  }

  /** Reads what completion asks for. */
  warm(): void {
    this.now?.input.view(null)?.words().countOf('p');
  }

  /** Keeps what was judged for the next start. */
  save(): void {
    this.opened?.keep(false);
  }
}

/** Rules as they count where some are switched off. */
const withOff = (rules: Rule[], off: ReadonlySet<string>): Rule[] =>
  rules.map((rule) => (off.has(rule.name) ? { ...rule, paused: true } : rule));

/** What keeps a project from being read. Throws what is no error of input. */
export function problemsOf(error: unknown): Problem[] {
  if (error instanceof ProblemError) return error.problems;
  if (error instanceof Error && 'syscall' in error) return [{ message: error.message }];
  throw error;
}
