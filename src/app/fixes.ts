import { check } from '../core/check/check.js';
import { narrowed, type Narrowing } from '../core/check/narrow.js';
import type { PageResult } from '../core/check/result-cache.js';
import type { CheckReport } from '../core/check/verdict.js';
import type { Finding, FindingCode } from '../core/finding.js';
import {
  findingKey,
  fixesOf,
  mostTried,
  resultIn,
  type Budget,
  type Fix,
  type Mended,
  type Judged,
} from '../core/fix/fixes.js';
import { applyEdits, editsOf, overlap } from '../core/fix/proposal.js';
import { ProblemError, type Place, type Problem } from '../core/place.js';
import { loadProject, type KeptRuleFiles } from '../project/project.js';
import { readForEdit, writeEditedFiles, type FileForm } from '../project/edit.js';
import { withRules, type OpenedCheck } from './check-input.js';

/** What would be changed, and what is then found. */
export interface FixPlan {
  /** The files to change, with their texts before and after. */
  files: Map<string, { before: FileForm; after: string }>;
  /** What kept files from being read, and was mended. */
  problems: MendedProblem[];
  applied: Mended[];
  /** Findings with several fixes that are as likely. */
  choices: Mended[];
  /** Whether there were more changes than are tried in one run. */
  isCut: boolean;
  report: CheckReport;
}

/** What kept a file from being read, and the change that mended it. */
export interface MendedProblem {
  problem: Problem;
  fix: Fix;
}

/** Texts of rule files that can be read, or read further, and what was mended in them. */
export interface MendedProblems {
  texts: ReadonlyMap<string, string>;
  applied: MendedProblem[];
}

/** A count guards a rule, so it is changed only where that is asked for. */
const onlyByName: FindingCode = 'page-count';

/** Rounds of fixing: one fix may show what another one is for. */
const mostRounds = 4;

/** Works out fixes on the texts of an opened project; its site is read once for all of them. */
export class Fixer {
  private readonly forms = new Map<string, FileForm>();
  private readonly judged = new Map<string, PageResult>();
  private readonly kept: KeptRuleFiles = new Map();
  private readonly budget: Budget = { left: mostTried };

  /** `onTrial`: called with each change that is tried, with the number of those before it. */
  constructor(
    private readonly opened: OpenedCheck,
    private readonly onTrial: (tried: number) => void = () => undefined,
  ) {}

  /** A report with the fixes of its findings, each tried on its own. `whole`: before it was narrowed. */
  withFixes(whole: CheckReport, report: CheckReport): CheckReport {
    const fixes = this.fixesOf(whole, report.findings);
    const findings = report.findings.map((each) => {
      const own = fixes.get(each);
      return own ? { ...each, fixes: own } : each;
    });
    return { ...report, findings };
  }

  /** The fixes of findings, each tried on its own. `texts`: those that are not saved. */
  fixesOf(report: CheckReport, findings: readonly Finding[], texts: ReadonlyMap<string, string> = new Map()) {
    const textOf = (file: string) => texts.get(file) ?? this.textOf(file);
    const judge = (changed: ReadonlyMap<string, string>) => {
      this.onTrial(mostTried - this.budget.left);
      return this.check(new Map([...texts, ...changed]));
    };
    return fixesOf(report, findings, textOf, judge, this.budget);
  }

  /**
   * Applies what is certain, in memory, until nothing more helps. `code`: only findings of this kind. `read`: what was mended
   * before the project could be read.
   */
  plan(first: CheckReport, code: FindingCode | null, narrowing: Narrowing, read: MendedProblems): FixPlan {
    let report = first;
    let { texts } = read;
    const applied: Mended[] = [];
    let choices: Mended[] = [];
    for (let round = 0; round < mostRounds; round++) {
      const asked = narrowed(report, narrowing).findings.filter((each) =>
        code === null ? each.code !== onlyByName : each.code === code,
      );
      const all = [...this.fixesOf(report, asked, texts)].map(([finding, fixes]): Mended => ({ finding, fixes }));
      choices = all.filter(({ fixes }) => fixes.length > 1);
      const next = this.together(
        all.filter(({ fixes }) => fixes.length === 1),
        report,
        texts,
      );
      if (!next) break;
      applied.push(...next.applied);
      [report, texts] = [next.report, next.texts];
    }
    const sorted = [...texts].sort(([a], [b]) => (a < b ? -1 : 1));
    const files = new Map(sorted.map(([file, after]) => [file, { before: this.formOf(file), after }]));
    const isCut = this.budget.left === 0;
    return { files, problems: read.applied, applied, choices, isCut, report: narrowed(report, narrowing) };
  }

  /** Writes the files of a plan, all or none. Throws ProblemError where one was changed meanwhile. */
  write({ files }: FixPlan): void {
    writeEditedFiles(
      this.opened.project.directory,
      [...files].map(([file, { before, after }]) => ({ file, form: before, text: after })),
    );
  }

  /** Those of the fixes that can be made at once; each on its own if together they make something new. */
  private together(certain: Mended[], before: CheckReport, texts: ReadonlyMap<string, string>) {
    const textOf = (file: string) => texts.get(file) ?? this.textOf(file);
    const chosen: Mended[] = [];
    for (const each of certain) {
      const own = each.fixes[0]?.edits ?? [];
      const others = chosen.flatMap(({ fixes }) => fixes[0]?.edits ?? []);
      const isSame = chosen.some(({ fixes }) => JSON.stringify(fixes[0]?.edits) === JSON.stringify(own));
      if (isSame || !own.some((edit) => others.some((other) => overlap(edit, other)))) chosen.push(each);
    }
    const known = new Set(before.findings.map(findingKey));
    const tryOut = (some: Mended[]) => {
      const edits = new Map(
        some.flatMap(({ fixes }) => (fixes[0]?.edits ?? []).map((edit) => [JSON.stringify(edit), edit])),
      );
      const changed = new Map([...texts, ...applyEdits([...edits.values()], textOf)]);
      const report = this.check(changed);
      const left = new Set(report?.findings.map(findingKey));
      if (!report || [...left].some((key) => !known.has(key))) return null;
      if (some.some(({ finding }) => left.has(findingKey(finding)))) return null;
      // What is told is what holds with all of them.
      const applied = some.map(({ finding, fixes }): Mended => ({
        finding,
        fixes: fixes.map((fix) => ({ ...fix, result: resultIn(report, finding) })),
      }));
      return { applied, texts: changed, report };
    };
    if (chosen.length === 0) return null;
    const whole = tryOut(chosen);
    const [first] = chosen;
    return whole ?? (first ? tryOut([first]) : null);
  }

  /** A check of the project with other texts of its files; null if it has problems that it did not have. */
  private check(texts: ReadonlyMap<string, string>): (CheckReport & Judged) | null {
    const { project: own, input } = this.opened;
    try {
      const project = loadProject(own.directory, { tolerant: true, texts, kept: this.kept });
      if (project.problems.length > own.problems.length) return null;
      return check({
        ...withRules(this.opened, project),
        results: {
          get: (key) => this.judged.get(key) ?? input.results.get(key),
          set: (key, result) => void this.judged.set(key, result),
        },
      });
    } catch (error) {
      if (error instanceof ProblemError) return null;
      throw error;
    }
  }

  private textOf = (file: string): string | null => {
    const form = this.formOf(file);
    return form.bytes === null ? null : form.text;
  };

  private formOf(file: string): FileForm {
    let form = this.forms.get(file);
    if (!form) this.forms.set(file, (form = readForEdit(this.opened.project.directory, file)));
    return form;
  }
}

/**
 * Fixes of what keeps rule files from being read: changes after which this problem is gone and there are fewer, or the file
 * is read further. `texts`: those that are not saved.
 */
export function problemFixes(
  directory: string,
  problems: readonly Problem[],
  texts: ReadonlyMap<string, string>,
  textOf: (file: string) => string | null,
): Map<Problem, Fix[]> {
  const before = problemsWith(directory, texts);
  const found = new Map<Problem, Fix[]>();
  for (const problem of problems) {
    const fixes: Fix[] = [];
    let likeliest = Infinity;
    for (const proposal of [...(problem.proposals ?? [])].sort((a, b) => a.rank - b.rank)) {
      if (proposal.rank > likeliest) break;
      const edits = editsOf(proposal, textOf);
      const after = edits && problemsWith(directory, new Map([...texts, ...applyEdits(edits, textOf)]));
      if (!edits || !after || after.some((each) => isSame(each, problem))) continue;
      if (!isProgress(problem, before, after)) continue;
      likeliest = proposal.rank;
      fixes.push({ title: proposal.title, edits, result: null });
    }
    if (fixes.length > 0) found.set(problem, fixes);
  }
  return found;
}

const isSame = (one: Problem, other: Problem) => one.message === other.message && one.at?.line === other.at?.line;

/** Whether there are fewer problems, or, where one kept a whole file from being read, those of the file come later in it. */
function isProgress({ at, stopsReading }: Problem, before: Problem[], after: Problem[]): boolean {
  if (after.length < before.length) return true;
  if (!stopsReading || !at) return false;
  const isOfFile = (each: Problem) => each.at?.file === at.file;
  return (
    after.filter((each) => !isOfFile(each)).length <= before.filter((each) => !isOfFile(each)).length &&
    after.filter(isOfFile).every((each) => each.at && isLater(each.at, at))
  );
}

const isLater = (one: Place, other: Place) =>
  one.line > other.line || (one.line === other.line && one.column > other.column);

/** Maximum number of problems that are mended in one run. */
const mostProblems = 100;

/** Mends what keeps rule files from being read, where one change does it; nothing is written. */
export function mendProblems(directory: string): MendedProblems {
  let texts: ReadonlyMap<string, string> = new Map();
  const applied: MendedProblem[] = [];
  const textOf = (file: string) => {
    const known = texts.get(file);
    if (known !== undefined) return known;
    const form = readForEdit(directory, file);
    return form.bytes === null ? null : form.text;
  };
  while (applied.length < mostProblems) {
    const problems = problemsWith(directory, texts);
    const certain = [...problemFixes(directory, problems, texts, textOf)].find(([, fixes]) => fixes.length === 1);
    const [problem, [fix] = []] = certain ?? [];
    if (!problem || !fix) break;
    applied.push({ problem, fix });
    texts = new Map([...texts, ...applyEdits(fix.edits, textOf)]);
  }
  return { texts, applied };
}

function problemsWith(directory: string, texts: ReadonlyMap<string, string>): Problem[] {
  try {
    return loadProject(directory, { tolerant: true, texts }).problems;
  } catch (error) {
    if (error instanceof ProblemError) return error.problems;
    throw error;
  }
}
