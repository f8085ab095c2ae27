import { join } from 'node:path';
import type { CheckReport } from '../core/check/verdict.js';
import type { Fix } from '../core/fix/fixes.js';
import { applyEdits } from '../core/fix/proposal.js';
import { ProblemError } from '../core/place.js';
import type { NewRule } from '../core/rule/write.js';
import { prepareAddition, usualFile, type Addition } from '../project/addition.js';
import { blockOf, readForEdit, withBlock, withPause, writeEditedFiles, type FileForm } from '../project/edit.js';
import { Fixer } from './fixes.js';
import type { LiveProject } from './live-project.js';

/** A rule that is seen before it is written: a new one, or another text of one that is there. */
export type Draft = { kind: 'new'; rule: NewRule } | { kind: 'edit'; name: string; text: string };

/** A draft as it would be written. */
export interface DraftedRule {
  name: string;
  file: string;
  /** Its `@needle` block. */
  block: string;
}

/** Maximum number of changes that can be taken back, one after the other. */
const mostWritten = 50;

/** What was written, so that it can be taken back. */
interface Written {
  said: string;
  files: { file: string; before: FileForm; after: string }[];
}

/**
 * Changes to the rules of a project in memory: drafts, which only this process sees, and changes that are written, of which the
 * last can be taken back.
 */
export class RuleEditor {
  private drafted: DraftedRule | null = null;
  /** The last one last. */
  private readonly written: Written[] = [];
  /** The rule whose text is being edited, and its file as it was when that began. */
  private edited: { name: string; file: string; form: FileForm } | null = null;
  private fixes: Fix[] = [];
  /** The files of these fixes, as they were when they were worked out. */
  private fixForms = new Map<string, FileForm>();

  constructor(private readonly live: LiveProject) {}

  /** The draft that the project holds now. */
  get draft(): DraftedRule | null {
    return this.drafted;
  }

  /** What can be taken back, in words; null if nothing can. */
  get undoable(): string | null {
    return this.written.at(-1)?.said ?? null;
  }

  /** Takes a draft into the project, or takes it out again. Throws ProblemError where it is no rule; the last draft then stays. */
  setDraft(draft: Draft | null): DraftedRule | null {
    const before = this.drafted;
    if (!draft) {
      this.drop();
      return null;
    }
    const { name, file, block, text } = this.prepare(draft);
    const shown = this.live.textOf(file);
    this.live.setText(file, text);
    try {
      const { project } = this.live.read();
      if (!project.rules.some((rule) => rule.name === name)) throw new ProblemError(project.problems);
    } catch (error) {
      // What was shown before stays.
      this.live.setText(file, before?.file === file ? shown : null);
      throw error;
    }
    if (before && before.file !== file) this.live.setText(before.file, null);
    this.drafted = { name, file, block };
    return this.drafted;
  }

  private drop(): void {
    if (this.drafted) this.live.setText(this.drafted.file, null);
    this.drafted = null;
    this.edited = null;
  }

  /** A draft with the whole text of its file. Throws ProblemError. */
  private prepare(draft: Draft): DraftedRule & { text: string; form: FileForm } {
    if (draft.kind === 'edit') {
      const { name } = draft;
      // The draft may have given it another name.
      if (this.edited?.name !== name) {
        const own = this.fileOf(name);
        this.edited = { name, file: own, form: readForEdit(this.live.directory, own) };
      }
      const { file, form } = this.edited;
      const block = draft.text.replace(/\r?\n/g, form.eol).trim();
      const text = withBlock(form.text, name, block);
      if (text === null) throw new ProblemError([{ message: `There is no rule "${name}" in ${file} any more` }]);
      const named = /^@needle\s+([\w-]+)/.exec(block)?.[1];
      if (named === undefined)
        throw new ProblemError([{ message: 'The text is not one @needle block', hint: 'Write @needle NAME { … }.' }]);
      return { name: named, file, block, text, form };
    }
    const addition = this.additionOf(draft.rule);
    return { ...addition, name: addition.rule.name };
  }

  /** Reads the project without the draft, which would be a rule of the same name. */
  private additionOf(rule: NewRule): Addition {
    const { drafted } = this;
    const shown = drafted && this.live.textOf(drafted.file);
    if (drafted) this.live.setText(drafted.file, null);
    try {
      return prepareAddition(this.live.read().project, rule, usualFile);
    } finally {
      if (drafted) this.live.setText(drafted.file, shown);
    }
  }

  /** The text of a rule's block in its file. Throws ProblemError if there is no such rule. */
  blockOf(name: string): { file: string; text: string } {
    const file = this.fileOf(name);
    const text = blockOf(readForEdit(this.live.directory, file).text, name);
    if (text === null) throw new ProblemError([{ message: `There is no rule "${name}" in ${file}` }]);
    return { file, text };
  }

  private fileOf(name: string): string {
    const known = this.live.read().project.rules.find((rule) => rule.name === name);
    if (!known) throw new ProblemError([{ message: `There is no rule "${name}"` }]);
    return known.at.file;
  }

  /** Where a rule begins: its file on this machine, line and column. Throws ProblemError if there is no such rule. */
  placeOf(name: string): { file: string; line: number; column: number } {
    const file = this.fileOf(name);
    const { line = 1, column = 1 } = this.live.read().project.rules.find((rule) => rule.name === name)?.at ?? {};
    return { file: join(this.live.directory, file), line, column };
  }

  /** Writes the draft. Throws ProblemError; nothing is written then. */
  write(draft: Draft): DraftedRule {
    // What cannot be read is not written.
    this.setDraft(draft);
    const { name, file, block, text, form } = this.prepare(draft);
    this.commit(draft.kind === 'new' ? `Added ${name} to ${file}` : `Changed ${name} in ${file}`, [
      { file, before: form, after: text },
    ]);
    return { name, file, block };
  }

  /** Pauses, resumes or removes a rule in its file. Throws ProblemError. */
  change(name: string, what: 'pause' | 'resume' | 'delete'): void {
    const file = this.fileOf(name);
    const before = readForEdit(this.live.directory, file);
    const after = what === 'delete' ? withBlock(before.text, name, '') : withPause(before.text, name, what === 'pause');
    if (after === null) throw new ProblemError([{ message: `There is no rule "${name}" in ${file}` }]);
    const said = { pause: 'Paused', resume: 'Resumed', delete: 'Deleted' }[what];
    this.commit(`${said} ${name} in ${file}`, [{ file, before, after }]);
  }

  /** The fixes of what was found of a rule on a page; `apply` takes their numbers. */
  fixesOf(rule: string, page: string, report: CheckReport): Fix[] {
    this.drop();
    const findings = report.findings.filter((each) => each.rule === rule && (each.page ?? page) === page);
    const found = new Fixer(this.live.read().opened).fixesOf(report, findings, this.live.unsaved);
    const all = new Map([...found.values()].flat().map((fix) => [JSON.stringify(fix.edits), fix]));
    this.fixes = [...all.values()];
    const files = new Set(this.fixes.flatMap(({ edits }) => edits.map(({ file }) => file)));
    this.fixForms = new Map([...files].map((file) => [file, readForEdit(this.live.directory, file)]));
    return this.fixes;
  }

  /** Writes a fix that `fixesOf` gave. Throws ProblemError. */
  apply(number: number): void {
    const fix = this.fixes[number];
    if (!fix) throw new ProblemError([{ message: 'This fix is not known any more', hint: 'Ask for the fixes again.' }]);
    const texts = applyEdits(fix.edits, (file) => this.fixForms.get(file)?.text ?? null);
    const files = [...texts].flatMap(([file, after]) => {
      const before = this.fixForms.get(file);
      return before ? [{ file, before, after }] : [];
    });
    this.fixes = [];
    this.commit(fix.title, files);
  }

  private commit(said: string, files: Written['files']): void {
    writeEditedFiles(
      this.live.directory,
      files.map(({ file, before, after }) => ({ file, form: before, text: after })),
    );
    this.drop();
    this.live.forget(false);
    this.written.push({ said, files });
    if (this.written.length > mostWritten) this.written.shift();
  }

  /** Takes back what was last written. Throws ProblemError if a file was changed since. */
  undo(): string {
    const last = this.written.at(-1);
    if (!last) throw new ProblemError([{ message: 'There is nothing to take back' }]);
    const files = last.files.map(({ file, before, after }) => {
      const form = readForEdit(this.live.directory, file);
      if (form.text !== after)
        throw new ProblemError(
          [{ message: `${file} was changed since, so nothing was taken back`, hint: 'Edit the file.' }],
          'access',
        );
      // A file that was made for the rule goes with it.
      return { file, form, text: before.bytes === null ? null : before.text };
    });
    writeEditedFiles(this.live.directory, files);
    this.live.forget(false);
    this.written.pop();
    return last.said;
  }
}
