import { realpathSync } from 'node:fs';
import { join, relative, sep } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { TextDocument } from 'vscode-languageserver-textdocument';
import type { Range } from 'vscode-languageserver/node';
import { offsetAt } from '../core/fix/proposal.js';
import type { LiveReading } from '../app/live-project.js';
import type { Place } from '../core/place.js';
import { rangeAt } from './context.js';

/** The absolute path of a document, its links followed where it exists; null for one that is no file. */
export function pathOf(uri: string): string | null {
  if (!uri.startsWith('file:')) return null;
  const path = fileURLToPath(uri);
  try {
    return realpathSync(path);
  } catch {
    return path;
  }
}

/** A path in a project, with forward slashes. */
export const fileIn = (directory: string, path: string) => relative(directory, path).split(sep).join('/');

export const uriOf = (directory: string, file: string) => pathToFileURL(join(directory, file)).href;

/** The file that holds a declaration of a rule or of the site, by the name that messages give it; null if there is none. */
export function winnerFile(name: string, { project, opened }: Pick<LiveReading, 'project' | 'opened'>): string | null {
  if (project.rules.some(({ at }) => at.file === name)) return join(project.directory, name);
  return opened.content.onDisk(name);
}

/** A text as the protocol counts it: lines and UTF-16 units from 0. */
export function documentOf(text: string): TextDocument {
  if (last?.text !== text) last = { text, document: TextDocument.create('file:///', 'css', 0, text) };
  return last.document;
}

/** Many ranges of one text are asked for in a row. */
let last: { text: string; document: TextDocument } | null = null;

/** The range of what begins at a place. */
export function rangeOf(text: string, place: Place): Range {
  const [start, end] = rangeAt(text, offsetAt(text, place));
  return rangeBetween(text, start, end);
}

export function rangeBetween(text: string, start: number, end: number): Range {
  const document = documentOf(text);
  return { start: document.positionAt(start), end: document.positionAt(end) };
}

export const topOfFile: Range = { start: { line: 0, character: 0 }, end: { line: 0, character: 1 } };
