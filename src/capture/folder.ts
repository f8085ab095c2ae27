import {
  closeSync,
  constants,
  existsSync,
  fstatSync,
  lstatSync,
  openSync,
  readdirSync,
  readFileSync,
  realpathSync,
} from 'node:fs';
import { isAbsolute, join, relative, sep } from 'node:path';
import { finding, type Finding } from '../core/finding.js';
import type { PageIdForm } from '../core/page/page-id.js';
import { normalisePath, type PathOptions } from '../core/page/path.js';
import { ProblemError, type Problem } from '../core/place.js';
import { folderPath } from '../core/page/view.js';
import { decodePage, decodeStyle, looksLikeHtml, readStart, type PageStart } from './decode.js';
import { hashOf } from './capture-store.js';
import { assembleSite, type CapturedPage, type KeptPages, type SiteContent } from './site-content.js';

/** What is known about a file without reading it again. */
export interface KnownFile {
  /** Null where it holds no HTML. */
  opening: { title: string; body: [string, string][] } | null;
  guessed: boolean;
}

/** Keeps what is known about a folder's files between runs. */
export interface FileCache {
  get: (key: string) => KnownFile | undefined;
  set: (key: string, known: KnownFile) => void;
  save: () => void;
}

/** A file written less than this long ago may change again with the same size and time, in milliseconds. */
const settlingMs = 2000;

/** Size and time of a file; null if they cannot show whether it changed. */
export function identityOf(path: string): string | null {
  const stat = lstatSync(path);
  const { size, mtimeMs, ctimeMs } = stat;
  const isSymbolicLink = stat.isSymbolicLink();
  return Date.now() - Math.max(mtimeMs, ctimeMs) < settlingMs || isSymbolicLink ? null : `${size} ${mtimeMs}`;
}

function readKnown(folder: string, file: string, keep: (start: PageStart) => void): KnownFile {
  const bytes = readSiteFile(folder, file);
  if (!looksLikeHtml(bytes)) return { opening: null, guessed: false };
  const start = readStart(bytes);
  keep(start);
  const { opening, guessed } = start;
  return { opening: { title: opening.title, body: [...opening.body] }, guessed };
}

/** Maximum size of a page, in bytes. */
const mostBytes = 32 * 1024 * 1024;

/**
 * Reads the pages of a folder of HTML: every `.html` and `.htm` file below it. The folder's root is the base of its
 * absolute addresses. Throws ProblemError if the folder holds no page or a page cannot be read.
 */
export function readFolder(
  name: string,
  folder: string,
  shown: string,
  options: PathOptions,
  forms: PageIdForm[] | null,
  cache?: FileCache,
  kept: KeptPages = {},
): SiteContent {
  // Links to folders are not followed: they may form a cycle or lead out of the folder.
  const files = readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((entry) => !entry.isDirectory() && /\.html?$/i.test(entry.name))
    .map(({ parentPath, name: file }) => relative(folder, join(parentPath, file)).split(sep).join('/'))
    .filter((file) => !/(^|\/)(node_modules|\.[^/]+)\//.test(file));
  const captured: CapturedPage[] = [];
  const findings: Finding[] = [];
  const problems: Problem[] = [];
  for (const file of files.sort()) {
    try {
      const identity = identityOf(join(folder, file));
      const known = identity === null ? undefined : cache?.get(`${file} ${identity}`);
      const read =
        known ??
        readKnown(folder, file, ({ words, skeleton }) => {
          if (identity === null) return;
          kept.words?.set(`${file} ${identity}`, words);
          kept.skeleton?.set(`${file} ${identity}`, skeleton);
        });
      if (identity !== null) cache?.set(`${file} ${identity}`, read);
      if (!read.opening) {
        findings.push(
          finding('not-html', `${file} contains no HTML and was skipped`, {
            hint: 'Move it out of the folder, or change its file extension.',
          }),
        );
        continue;
      }
      const url = '/' + file.split('/').map(encodeURIComponent).join('/');
      const path = normalisePath(url, options);
      if (read.guessed)
        findings.push(
          finding(
            'bad-charset',
            `${file} is not UTF-8 and does not name its character set; read as windows-1252, as browsers do`,
            { page: path, hint: 'Add <meta charset="…"> to it.' },
          ),
        );
      const { title, body } = read.opening;
      captured.push({ path, url, file, opening: { title, body: new Map(body) }, identity });
    } catch (error) {
      const fault = linkFault(folder, file);
      if (fault !== null) {
        const hint = 'Remove the link, or put the file itself in the folder.';
        findings.push(finding('skipped-link', `${file} ${fault}, and was skipped`, { hint }));
        continue;
      }
      problems.push({
        message: `The page ${join(shown, file)} cannot be read: ${(error as Error).message.replace(/^E\w+: |, .*$/g, '')}`,
      });
    }
  }
  cache?.save();
  kept.words?.save(false);
  kept.skeleton?.save(false);
  if (problems.length > 0) throw new ProblemError(problems, 'access');
  if (captured.length === 0)
    throw new ProblemError(
      [
        {
          message: `The folder ${shown} contains no HTML page`,
          hint: 'Name the folder that your site was built into.',
        },
      ],
      'access',
    );
  const file = (address: string) => {
    const path = folderPath(address);
    if (path === null || path === '') return null;
    try {
      // The address may climb by `..%2f`, and a folder on the way may be a link.
      return leadsOut(folder, join(folder, path)) ? null : readSiteFile(folder, path);
    } catch {
      return null;
    }
  };
  return assembleSite(name, captured, forms, findings, {
    html: (page) => decodePage(readSiteFile(folder, page.file)).html,
    style: (address) => {
      const bytes = file(address);
      return bytes && { text: decodeStyle(bytes), file: folderPath(address) ?? '', identity: hashOf(bytes) };
    },
    file,
    onDisk: (name) => {
      const path = join(folder, name);
      return existsSync(path) && !leadsOut(folder, path) ? path : null;
    },
    policy: () => null,
    markup: (page) => readStart(readSiteFile(folder, page.file)),
    kept,
    pathOptions: options,
  });
}

/** Why a symbolic link of a folder cannot be followed; null if it can, or is no link. */
export function linkFault(folder: string, file: string): string | null {
  const whole = join(folder, file);
  if (!lstatSync(whole).isSymbolicLink()) return null;
  try {
    return leadsOut(folder, whole) ? 'is a symbolic link that leads out of the folder' : null;
  } catch {
    return 'is a broken symbolic link';
  }
}

/** Whether a file that is there really lies elsewhere, its links followed. */
function leadsOut(folder: string, file: string): boolean {
  const way = relative(realpathSync(folder), realpathSync(file));
  return way === '..' || way.startsWith(`..${sep}`) || isAbsolute(way);
}

/** Reads a file of the site. Links are followed only within the folder. */
export function readSiteFile(folder: string, file: string): Uint8Array {
  const whole = join(folder, file);
  let handle: number;
  try {
    handle = openSync(whole, constants.O_RDONLY | constants.O_NOFOLLOW);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'ELOOP') throw error;
    if (leadsOut(folder, whole))
      throw new Error('it is a symbolic link that leads out of the folder', { cause: error });
    handle = openSync(whole, constants.O_RDONLY);
  }
  try {
    const { size } = fstatSync(handle);
    if (size > mostBytes) throw new Error(`it has ${size} bytes; at most ${mostBytes} are read`);
    return readFileSync(handle);
  } finally {
    closeSync(handle);
  }
}
