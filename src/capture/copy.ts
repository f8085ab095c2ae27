import { copyFileSync, lstatSync, mkdirSync, readdirSync, readlinkSync, symlinkSync, writeFileSync } from 'node:fs';
import { dirname, join, relative, sep } from 'node:path';
import type { SourceEdit } from '../core/ship/static-swaps.js';
import { decodePage, editBytes } from './decode.js';
import { linkFault, readSiteFile } from './folder.js';

/**
 * What changes in the source of a page, in its order. `ascii`: the page's character set may not have other
 * characters.
 */
export type EditsFor = (file: string, source: string, ascii: boolean) => SourceEdit[];

/**
 * Copies a folder of HTML, with changes to some of its pages; every other byte stays as it was. Returns how many files
 * it copied, and the links that it skipped: links are copied as links if they stay within the folder. Throws what the system
 * throws.
 */
export function copyPatched(from: string, to: string, pages: ReadonlySet<string>, editsFor: EditsFor) {
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
    if (pages.has(file.split(sep).join('/'))) writeFileSync(target, patched(from, file, editsFor), { mode: stat.mode });
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

function patched(folder: string, file: string, editsFor: EditsFor): Uint8Array {
  const bytes = readSiteFile(folder, file);
  const { html, encoding } = decodePage(bytes);
  return editBytes(bytes, encoding, editsFor(file.split(sep).join('/'), html, encoding !== 'UTF-8'));
}
