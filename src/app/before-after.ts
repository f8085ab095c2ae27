import { createHash } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { reasonOf, type FailedPage } from '../browser/page-window.js';
import { PictureComparer } from '../browser/picture-comparer.js';
import { comparePair, PictureWindow, takeSheet, type PicturePair } from '../browser/pictures.js';
import { launchChromium } from '../browser/render.js';
import type { PageToPicture, PicturePlan } from '../core/before-after/pages-to-picture.js';
import type { CheckInput } from '../core/check/input.js';
import { ProblemError } from '../core/place.js';
import { fillFolder, writeSet } from '../disk/file-set.js';
import { notedOutputs } from '../project/outputs.js';
import { contactSheet, sortedPairs, type SheetPair } from '../report/contact-sheet.js';
import { browserSource, bundleMaker } from './browser.js';
import type { OpenedCheck } from './check-input.js';

/** What to picture, and where it goes. */
export interface Picturing extends PicturePlan {
  opened: OpenedCheck;
  /** The check whose rules are pictured. */
  input: CheckInput;
  /** An absolute path: a folder, or one file whose name ends in `.html`. */
  target: string;
  /** Pages of the browser that take pictures at once. */
  parallel: number;
  /** How long a page may take to load, and then to be pictured. */
  timeoutMs: number;
  /** Ends after the pairs that are being taken. */
  stop: AbortSignal;
  /** Called before each pair, and after each writing of what is done so far. */
  progress: { taking: (done: number, subject: PageToPicture) => void; written: (done: number) => void };
}

/** Time after which what is done so far is written, so that it can be looked at; in milliseconds. */
const earlyMs = 15_000;

export const isOneFile = (target: string) => /\.html?$/i.test(target);

/**
 * Takes all pairs, by several pages of the browser, and writes them with a sheet. Pictures wait on the disk, so that memory
 * does not grow with their number. Returns the pairs in the order of the sheet, those that look the same at several viewports
 * as one, how many were taken, and which could not be.
 */
export async function takePictures(
  picturing: Picturing,
): Promise<{ pairs: SheetPair[]; taken: number; failed: FailedPage[] }> {
  const { opened, input, subjects, stop, progress, timeoutMs } = picturing;
  const staging = mkdtempSync(join(tmpdir(), 'local-needle-pictures-'));
  const browser = await launchChromium(false);
  const comparer = new PictureComparer();
  try {
    const bundleFor = bundleMaker({ ...opened, input });
    const source = browserSource(opened);
    const done: ((SheetPair & { digest: string }) | undefined)[] = subjects.map(() => undefined);
    const taken = () => done.filter((pair) => pair !== undefined);
    const shown = () => withoutDoubles(taken());
    const failed: FailedPage[] = [];
    const viewportOf = (at: number) => input.viewports.findIndex((each) => each === subjects[at]?.settings.viewport);
    // A window is opened anew for each viewport.
    const order = [...subjects.keys()].sort((a, b) => viewportOf(a) - viewportOf(b) || a - b);
    let [next, lastWritten] = [0, performance.now()];
    const add = async (at: number, { before, after, ...pair }: PicturePair) => {
      const named = sheetPair(pair, at, digestOf(before, after));
      writeFileSync(join(staging, basename(named.before)), before);
      writeFileSync(join(staging, basename(named.after)), after);
      done[at] = named;
      if (performance.now() - lastWritten < earlyMs || taken().length === subjects.length) return;
      await write(picturing, { pairs: shown(), taken: taken().length }, staging, null);
      lastWritten = performance.now();
      progress.written(taken().length);
    };
    const work = async () => {
      const window = new PictureWindow(browser, source, input, timeoutMs);
      // A pair is compared while the next one is taken.
      let last: Promise<void> | null = null;
      while (next < order.length && !stop.aborted) {
        const at = order[next++] ?? 0;
        const subject = subjects[at];
        if (!subject) continue;
        progress.taking(taken().length, subject);
        const taking = window.takePair(subject, bundleFor(subject.view)).catch((error: unknown) => {
          if (error instanceof ProblemError) throw error;
          failed.push({ path: subject.page.path, reason: reasonOf(error) });
          return null;
        });
        // Handled where it is waited for.
        taking.catch(() => undefined);
        await last;
        const pair = await taking;
        last = pair && comparePair(subject, pair, comparer).then((compared) => add(at, compared));
        last?.catch(() => undefined);
        // What a page has done to its window must not reach the next one.
        if (!pair) await window.close();
      }
      await last;
      await window.close();
    };
    await Promise.all(Array.from({ length: picturing.parallel }, work));
    // An earlier sheet is better than an empty one.
    if (taken().length > 0)
      await write(picturing, { pairs: shown(), taken: taken().length }, staging, (html, file) =>
        takeSheet(browser, html, file),
      );
    return { pairs: sortedPairs(shown()), taken: taken().length, failed };
  } finally {
    await browser.close();
    await comparer.close();
    rmSync(staging, { recursive: true, force: true });
  }
}

const digestOf = (...pictures: Buffer[]) =>
  pictures.reduce((hash, each) => hash.update(each), createHash('sha256')).digest('base64url');

const folderName = 'pictures/';
const basename = (file: string) => file.slice(folderName.length);

/** Pairs whose pictures are the same as those at an earlier viewport are told there. */
function withoutDoubles(pairs: (SheetPair & { digest: string })[]): SheetPair[] {
  const shown = new Map<string, SheetPair>();
  for (const { digest, ...pair } of pairs) {
    const key = JSON.stringify([pair.path, pair.state, pair.visitor, pair.actors, digest]);
    const known = shown.get(key);
    shown.set(key, known ? { ...known, viewports: [...known.viewports, ...pair.viewports] } : pair);
  }
  return [...shown.values()];
}

/** Writes the sheet with its pictures: into one file, or into a folder with a picture of the sheet. */
async function write(
  { opened, target, subjects, unchanged }: Picturing,
  { pairs, taken }: { pairs: SheetPair[]; taken: number },
  staging: string,
  pictureOf: ((html: string, file: (name: string) => Buffer | null) => Promise<Buffer>) | null,
): Promise<void> {
  const { project, content } = opened;
  const facts = { site: content.site.name, missing: subjects.length - taken, unchanged };
  const names = pairs.flatMap(({ before, after }) => [before, after]);
  const read = (name: string) => readFileSync(join(staging, basename(name)));
  if (isOneFile(target)) {
    const inlined = (name: string) => `data:image/png;base64,${read(name).toString('base64')}`;
    const within = pairs.map((pair) => ({ ...pair, before: inlined(pair.before), after: inlined(pair.after) }));
    writeSet(project.directory, (set) => set.file(target, contactSheet(facts, within)));
    return;
  }
  const html = contactSheet(facts, pairs);
  const picture = await pictureOf?.(html, (name) => (names.includes(name) ? read(name) : null));
  writeSet(project.directory, (set) => {
    set.file(...notedOutputs(project.directory, target));
    set.folder(target, (made) => {
      fillFolder(made, new Map<string, string | Buffer>([['index.html', html]]));
      if (picture) fillFolder(made, new Map([['contact-sheet.png', picture]]));
      for (const name of names) fillFolder(made, new Map([[name, read(name)]]));
    });
  });
}

function sheetPair(
  {
    page,
    settings,
    visitor,
    acting,
    isControl,
    template,
    alike,
    unopened,
    difference,
    rulesOfBlocks,
  }: Omit<PicturePair, 'before' | 'after'>,
  index: number,
  digest: string,
): SheetPair & { digest: string } {
  const plain = (text: string) => text.replace(/[^A-Za-z0-9]+/g, '-').replace(/^-|-$/g, '');
  const name = `${String(index + 1).padStart(3, '0')}-${plain(page.path).slice(0, 60) || 'front'}-${settings.viewport.name.replace(/[^\w-]+/g, '-')}`;
  const { width, heights, share } = difference;
  return {
    ...{
      path: page.path,
      viewports: [settings.viewport.name],
      state: settings.state,
      visitor,
      template,
      alike,
      unopened,
    },
    digest,
    ...{ actors: acting.map(({ rule }) => rule), isControl },
    ...{ before: `${folderName}${name}-before.png`, after: `${folderName}${name}-after.png`, width, heights, share },
    blocks: difference.blocks.map((block, at) => ({ ...block, rules: rulesOfBlocks[at] ?? [] })),
  };
}
