import { existsSync, readFileSync, statSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { parse, type AtRule, type Declaration } from 'postcss';
import { isMap, parseDocument } from 'yaml';
import { ProblemError } from '../core/place.js';
import { parseCondition } from '../core/target/condition.js';
import { writeSet } from '../disk/file-set.js';
import { CannotBeWritten } from '../disk/system-reason.js';

/** How a file is encoded, which an edit must keep. */
export interface FileForm {
  /** Without its byte order mark. */
  text: string;
  eol: '\n' | '\r\n';
  /** The bytes as read, to see whether someone else wrote meanwhile; null for a file that is not there yet. */
  bytes: Buffer | null;
}

const mark = '\ufeff';

/** Reads a file to edit; one that is not there is empty. Throws ProblemError. */
export function readForEdit(directory: string, file: string): FileForm {
  const path = join(directory, file);
  if (!existsSync(path)) return { text: '', eol: '\n', bytes: null };
  const bytes = readFileSync(path);
  const text = bytes.toString('utf8');
  return { text: text.startsWith(mark) ? text.slice(1) : text, eol: /\r\n/.test(text) ? '\r\n' : '\n', bytes };
}

/** Writes one edited file, as `writeEditedFiles` does. */
export const writeEdited = (directory: string, file: string, form: FileForm, text: string): void =>
  writeEditedFiles(directory, [{ file, form, text }]);

/**
 * Writes edited files whole, all or none, their byte order marks kept; without a text a file is removed. Throws ProblemError if one is read-only, cannot be
 * written, or was changed by someone else since it was read; what is there is then untouched.
 */
export function writeEditedFiles(
  directory: string,
  edited: { file: string; form: FileForm; text: string | null }[],
): void {
  let current = '';
  try {
    for (const { file, form } of edited) {
      current = file;
      checkUntouched(directory, file, form);
    }
    writeSet(directory, (set) => {
      for (const { file, form, text } of edited) {
        if (text === null) continue;
        const hadMark = form.bytes?.subarray(0, 3).equals(Buffer.from(mark)) ?? false;
        set.file(join(directory, file), (hadMark ? mark : '') + text);
      }
    });
    for (const { file, text } of edited) {
      current = file;
      if (text === null) rmSync(join(directory, file));
    }
  } catch (error) {
    if (error instanceof ProblemError) throw error;
    throw new CannotBeWritten(current, error);
  }
}

/** Throws ProblemError if a file is read-only or is not as it was read. */
function checkUntouched(directory: string, file: string, { bytes }: FileForm): void {
  const path = join(directory, file);
  if (bytes && (statSync(path).mode & 0o222) === 0)
    throw new ProblemError(
      [{ message: `${file} is read-only and was not changed`, hint: `Make it writable first: chmod u+w ${file}` }],
      'access',
    );
  if (bytes ? !readFileSync(path).equals(bytes) : existsSync(path))
    throw new ProblemError(
      [{ message: `${file} was changed in the meantime, so it was not written`, hint: 'Run the command again.' }],
      'access',
    );
}

/** A text with a block put at its end, after an empty line; nothing before it changes. */
export function appendBlock({ text, eol }: FileForm, block: string): string {
  const lines = block.split('\n').join(eol);
  if (text.trim() === '') return text + lines + eol;
  return text + (text.endsWith(eol) ? '' : eol) + eol + lines + eol;
}

/**
 * The text of a rule file with a rule paused or resumed; no other character changes. The same text where it is so already.
 * Throws Error if the rule is not in the text.
 */
export function withPause(text: string, name: string, paused: boolean): string {
  const rule = ruleNode(text, name);
  if (!rule?.nodes || !rule.source?.start) throw new Error(`There is no rule ${name}`);
  const declaration = rule.nodes.find((node): node is Declaration => node.type === 'decl' && node.prop === 'paused');
  if (declaration?.source?.start && declaration.source.end) {
    const [start, end] = [declaration.source.start.offset, declaration.source.end.offset];
    if (paused)
      return declaration.value === 'yes'
        ? text
        : text.slice(0, start) +
            `paused: yes${text.slice(start, end).trimEnd().endsWith(';') ? ';' : ''}` +
            text.slice(end);
    const before = /\s*$/.exec(text.slice(0, start))?.[0].length ?? 0;
    return text.slice(0, start - before) + text.slice(end);
  }
  if (!paused) return text;
  const open = text.indexOf('{', rule.source.start.offset) + 1;
  const space = /^\s*/.exec(text.slice(open))?.[0] ?? '';
  return `${text.slice(0, open)}${space === '' ? ' ' : space}paused: yes;${text.slice(open)}`;
}

/**
 * The text of a rule file in which a rule has an `@on` block for each alternative of its pages, all with the actions that it has
 * now; no other rule changes. Null where it has one alternative, or `@on` blocks already.
 */
export function withOnBlocks(text: string, name: string): string | null {
  const rule = ruleNode(text, name);
  const pages = rule?.nodes?.find((node): node is Declaration => node.type === 'decl' && node.prop === 'pages');
  const actions = rule?.nodes?.filter((node) => node.type === 'rule' || node.type === 'atrule') ?? [];
  const [first, last] = [actions[0]?.source?.start, actions.at(-1)?.source?.end];
  const alternatives = parseCondition(pages?.value ?? '').condition.alternatives;
  const hasOn = actions.some((node) => node.type === 'atrule' && node.name === 'on');
  if (!first || !last || hasOn || alternatives.length < 2) return null;
  const end = text.slice(last.offset).startsWith(';') ? last.offset + 1 : last.offset;
  const body = text.slice(first.offset, end).replace(/([^;}])$/, '$1;');
  const indent = /(?:^|\n)([ \t]*)$/.exec(text.slice(0, first.offset))?.[1];
  const eol = /\r\n/.test(text) ? '\r\n' : '\n';
  const blocks = alternatives.map((terms) => {
    const on = `@on ${terms.map((term) => term.text).join(' ')} {`;
    if (indent === undefined) return `${on} ${body} }`;
    return `${on}${eol}${indent}  ${body.replace(/\n(?=[^\r\n])/g, '\n  ')}${eol}${indent}}`;
  });
  return text.slice(0, first.offset) + blocks.join(indent === undefined ? ' ' : eol + indent) + text.slice(end);
}

/** The text of a rule's `@needle` block; null if the rule is not in the text. */
export function blockOf(text: string, name: string): string | null {
  const { start, end } = isCss(text) ? (ruleNode(text, name)?.source ?? {}) : {};
  return start && end ? text.slice(start.offset, end.offset) : null;
}

/**
 * A text with another block in the place of a rule's; empty: without the rule, and without the empty lines before it. Null if the
 * rule is not in the text.
 */
export function withBlock(text: string, name: string, block: string): string | null {
  const own = blockOf(text, name);
  const start = ruleNode(text, name)?.source?.start?.offset;
  if (own === null || start === undefined) return null;
  const [before, after] = [text.slice(0, start), text.slice(start + own.length)];
  if (block !== '') return before + block + after;
  return before.trim() === '' ? after.replace(/^\s*\n/, '') : before.replace(/\s*$/, '') + after;
}

/** Whether a text has the structure of CSS, so that rules in it can be edited. */
export function isCss(text: string): boolean {
  try {
    parse(text);
    return true;
  } catch {
    return false;
  }
}

const ruleNode = (text: string, name: string) =>
  parse(text).nodes.find(
    (node): node is AtRule => node.type === 'atrule' && node.name === 'needle' && node.params.trim() === name,
  );

/**
 * The text of local-needle.yaml with a key of a site set; no other line changes. The same text where the key is there
 * already. Throws ProblemError if the site has no keys of its own there, such as an alias.
 */
export function withSiteKey(text: string, site: string, key: string, value: string): string {
  const document = parseDocument(text);
  const entry = document.getIn(['sites', site], true);
  if (!isMap(entry) || !entry.range)
    throw new ProblemError([
      {
        message: `${key} was not written: ${site} is no list of keys in local-needle.yaml, but stands for one elsewhere`,
        hint: `Write it there yourself: ${key}: ${value}`,
      },
    ]);
  if (entry.has(key)) return text;
  const pair = `${key}: ${JSON.stringify(value)}`;
  const eol = /\r\n/.test(text) ? '\r\n' : '\n';
  if (entry.flow) {
    const end = text.slice(0, entry.range[1] - 1).trimEnd();
    return `${end}${/[{,]$/.test(end) ? ' ' : ', '}${pair} ${text.slice(entry.range[1] - 1)}`;
  }
  const first = (entry.items[0]?.key as { range?: [number, number, number] } | undefined)?.range?.[0] ?? 0;
  const indent = first - (text.lastIndexOf('\n', first - 1) + 1);
  const start = text.lastIndexOf('\n', first - 1) + 1;
  return `${text.slice(0, start)}${' '.repeat(indent)}${pair}${eol}${text.slice(start)}`;
}
