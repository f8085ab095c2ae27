import { existsSync, readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { parse, type AtRule, type Declaration } from 'postcss';
import { isMap, parseDocument } from 'yaml';
import { ProblemError } from '../core/place.js';
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

/**
 * Writes an edited file whole, its byte order mark kept. Throws ProblemError if it is read-only, cannot be written, or
 * was changed by someone else since it was read; what is there is then untouched.
 */
export function writeEdited(directory: string, file: string, form: FileForm, text: string): void {
  const path = join(directory, file);
  try {
    if (form.bytes && (statSync(path).mode & 0o222) === 0)
      throw new ProblemError(
        [{ message: `${file} is read-only and was not changed`, hint: `Make it writable first: chmod u+w ${file}` }],
        'access',
      );
    if (form.bytes ? !readFileSync(path).equals(form.bytes) : existsSync(path)) {
      throw new ProblemError(
        [{ message: `${file} was changed in the meantime, so it was not written`, hint: 'Run the command again.' }],
        'access',
      );
    }
    const hadMark = form.bytes?.subarray(0, 3).equals(Buffer.from(mark)) ?? false;
    writeSet(directory, (set) => set.file(path, (hadMark ? mark : '') + text));
  } catch (error) {
    if (error instanceof ProblemError) throw error;
    throw new CannotBeWritten(file, error);
  }
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
  const rule = parse(text).nodes.find(
    (node): node is AtRule => node.type === 'atrule' && node.name === 'needle' && node.params.trim() === name,
  );
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
 * The text of local-needle.yaml with a key of a site set; no other line changes. The same text where the key is there
 * already. Throws Error if the site is not in the text.
 */
export function withSiteKey(text: string, site: string, key: string, value: string): string {
  const document = parseDocument(text);
  const entry = document.getIn(['sites', site], true);
  if (!isMap(entry) || !entry.range) throw new Error(`${site} is not in the text`);
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
