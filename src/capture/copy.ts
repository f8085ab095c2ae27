import {
  copyFileSync,
  lstatSync,
  mkdirSync,
  readdirSync,
  readlinkSync,
  realpathSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { dirname, join, relative, sep } from 'node:path';
import { insertionPoint } from '../core/ship/insert.js';
import { decodePage, insertBytes } from './decode.js';
import { readSiteFile } from './folder.js';

/** What goes into a page; `ascii`: its character set may lack all else. */
export type TextFor = (file: string, ascii: boolean) => string | null;

/**
 * Copies a folder of HTML, with a text put into some of its pages; every other byte stays as it was. Returns how many files
 * it copied. Links are copied as links, and only those that stay within the folder. Throws what the system throws.
 */
export function copyPatched(from: string, to: string, place: 'head-end' | 'body-end', textFor: TextFor): number {
  let files = 0;
  const root = realpathSync(from);
  // Links to folders are links here, and not gone into.
  for (const { parentPath, name } of readdirSync(from, { recursive: true, withFileTypes: true })) {
    const source = join(parentPath, name);
    const file = relative(from, source);
    const target = join(to, file);
    const stat = lstatSync(source);
    if (stat.isDirectory()) {
      mkdirSync(target, { recursive: true });
      continue;
    }
    mkdirSync(dirname(target), { recursive: true });
    const text = textFor(file.split(sep).join('/'), false);
    if (text !== null) writeFileSync(target, patched(from, file, place, textFor), { mode: stat.mode });
    else if (stat.isSymbolicLink()) {
      const leads = relative(root, realpathSync(source));
      if (leads === '..' || leads.startsWith(`..${sep}`))
        throw new Error(`${file} is a symbolic link that leads out of the folder`);
      symlinkSync(readlinkSync(source), target);
    } else if (stat.isFile()) copyFileSync(source, target);
    else continue;
    files++;
  }
  return files;
}

function patched(folder: string, file: string, place: 'head-end' | 'body-end', textFor: TextFor): Uint8Array {
  const bytes = readSiteFile(folder, file);
  const { html, encoding } = decodePage(bytes);
  const text = textFor(file.split(sep).join('/'), encoding !== 'UTF-8') ?? '';
  return insertBytes(bytes, encoding, insertionPoint(html, place), text);
}
