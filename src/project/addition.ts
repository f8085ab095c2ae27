import { join } from 'node:path';
import type { Finding } from '../core/finding.js';
import { ProblemError } from '../core/place.js';
import type { Rule } from '../core/rule/rule.js';
import { ruleText, type NewRule } from '../core/rule/write.js';
import { appendBlock, readForEdit, writeEdited, type FileForm } from './edit.js';
import { loadFileUse, withSource } from './files.js';
import type { Project } from './project.js';
import { readRuleFile } from './rule-file.js';

/** The default file for new rules. */
export const usualFile = 'rules/added.css';

/** A new rule to be added at the end of a rule file; nothing is written yet. */
export interface Addition {
  file: string;
  /** Its `@needle` block. */
  block: string;
  rule: Rule;
  findings: Finding[];
  form: FileForm;
  /** The whole file with it. */
  text: string;
}

/** Reads a new rule as it would be at the end of a file of the project. Throws ProblemError. */
export function prepareAddition(project: Project, wanted: NewRule, writtenFile: string): Addition {
  const other = project.rules.find(({ name }) => name === wanted.name);
  if (other)
    throw new ProblemError([
      {
        message: `The rule "${wanted.name}" already exists in ${other.at.file}:${other.at.line}`,
        hint: 'Choose another name, or edit that one.',
      },
    ]);
  const file = writtenFile.split('\\').join('/');
  if (file.split('/').includes('..') || !file.endsWith('.css'))
    throw new ProblemError([
      {
        message: `${file} is not a rule file of the project`,
        hint: 'Name one below the folder of local-needle.yaml, such as rules/tickets.css.',
      },
    ]);
  const block = ruleText(wanted);
  const form = readForEdit(project.directory, file);
  const text = appendBlock(form, block);
  const readAs = (content: string) =>
    readRuleFile(content, file, join(project.directory, file), (from, url, at) =>
      loadFileUse(project.directory, from, url, at),
    );
  const read = readAs(text);
  if (read.problems.length > 0) throw new ProblemError(withSource(read.problems, text));
  const rule = read.rules.at(-1);
  const before = readAs(form.text);
  const isOne = (['rules', 'keptVisible', 'expectations'] as const).every(
    (kind) => read[kind].length === before[kind].length + (kind === 'rules' ? 1 : 0),
  );
  if (!rule || rule.name !== wanted.name || !isOne)
    throw new ProblemError([
      { message: 'These options do not make one rule', hint: 'Check for unclosed brackets or quotes.' },
    ]);
  const findings = read.findings.filter((each) => each.rule === rule.name);
  return { file, block, rule, findings, form, text };
}

/** Adds it at the end of its file. Throws ProblemError if the file cannot be written or was changed meanwhile. */
export const writeAddition = (project: Project, { file, form, text }: Addition): void =>
  writeEdited(project.directory, file, form, text);
