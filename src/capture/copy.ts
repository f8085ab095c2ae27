import { copyFileSync, lstatSync, mkdirSync, readdirSync, readlinkSync, symlinkSync, writeFileSync } from 'node:fs';
import { dirname, join, relative, sep } from 'node:path';
import { insertionPoint } from '../core/ship/insert.js';
import { decodePage, insertBytes } from './decode.js';
import { linkFault, readSiteFile } from './folder.js';

/** The text to insert into a page; `ascii`: the page's character set may not have other characters. */
export type TextFor = (file: string, ascii: boolean) => string | null;

/**
 * Copies a folder of HTML, with a text put into some of its pages; every other byte stays as it was. Returns how many files
 * it copied, and the links that it skipped: links are copied as links if they stay within the folder. Throws what the system
 * throws.
 */
export function copyPatched(from: string, to: string, place: 'head-end' | 'body-end', textFor: TextFor) {
  let files = 0;
  const skipped: string[] = [];
  // Links to folders are links here, and not gone into.
  for (const { parentPath, name } of readdirSync(from, { recursive: true, withFileTypes: true })) {
    const source = join(parentPath, name);
    const file = relative(from, source);
    // What a project keeps for itself, also while this copy is made.
    if (file.split(sep).includes('.local-needle')) continue;
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
      const fault = linkFault(from, file);
      if (fault !== null) {
        skipped.push(`${file} ${fault}`);
        continue;
      }
      symlinkSync(readlinkSync(source), target);
    } else if (stat.isFile()) copyFileSync(source, target);
    else continue;
    files++;
  }
  return { files, skipped };
}

function patched(folder: string, file: string, place: 'head-end' | 'body-end', textFor: TextFor): Uint8Array {
  const bytes = readSiteFile(folder, file);
  const { html, encoding } = decodePage(bytes);
  const text = textFor(file.split(sep).join('/'), encoding !== 'UTF-8') ?? '';
  return insertBytes(bytes, encoding, insertionPoint(html, place), text);
}
