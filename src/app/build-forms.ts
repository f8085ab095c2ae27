import type { MinifyScript } from '../core/ship/script.js';
import { readFileSync } from 'node:fs';
import { isAbsolute, join, relative, sep } from 'node:path';
import { buildBundle, type Bundle } from '../core/ship/bundle.js';
import { readBuild, readEmbedded } from '../core/ship/read-back.js';
import type { Shipment, Shipments } from '../core/ship/shipment.js';
import { buildSnippet, snippetText, type Snippet } from '../core/ship/snippet.js';
import { insertionPoint } from '../core/ship/insert.js';
import type { Delivery } from '../core/ship/proof.js';
import { edited, staticSwaps, type SourceEdit, type StaticSwaps } from '../core/ship/static-swaps.js';
import type { PageDocument } from '../core/page/document.js';
import { locationOf } from '../core/page/location.js';
import type { Page, Site } from '../core/page/page.js';
import type { PathOptions } from '../core/page/path.js';
import { decodePage } from '../capture/decode.js';
import { copyPatched } from '../capture/copy.js';
import { safeName } from '../capture/capture-store.js';
import { fillFolder, writeSet } from '../disk/file-set.js';
import { notedOutputs, requireOwnFiles, requireOwnFolder } from '../project/outputs.js';
import { hashName, shippedName } from './shipped-name.js';

/** The input of every form of build. */
export interface Making {
  /** The project's folder. */
  directory: string;
  site: Site;
  shipments: Shipments;
  pathOptions: PathOptions;
  place: 'head-end' | 'body-end';
  out: string;
  minify: MinifyScript | null;
  /** False: image swaps go by CSS alone. */
  withScript: boolean;
  hashed: boolean;
  /** The address that the site gives the bundle. */
  bundleAddress: string | null;
  /** The site's own folder, where it is one. */
  source: string | null;
  /** A page's source. */
  html: (page: Page) => string;
}

/** What was written, read back. */
export interface Made {
  /** Names of files in the output folder with their size in bytes, those that matter first. */
  files: Map<string, number>;
  /** How many pages got something; null for forms that are not made page by page. */
  summary: string | null;
  bundle: Bundle | null;
  snippets: Snippet[];
  to: Delivery['to'];
}

const sizes = (files: Map<string, string | Uint8Array>) =>
  new Map([...files].map(([name, content]) => [name, Buffer.byteLength(content)]));

const actionsOf = ({ rules }: Shipment) => rules.flatMap(({ actions }) => actions.map(({ action }) => action));

/** local-needle.css and local-needle.js with their source maps, and the files that they name. */
export function makeBundle({ directory, site, shipments, pathOptions, out, minify, hashed, withScript }: Making): Made {
  const nameOf = hashed ? hashName : (name: string) => name;
  const bundle = buildBundle(shipments, { site: site.name, pathOptions, minify, withScript, shippedName, nameOf });
  const { css, js } = bundle;
  const files = new Map<string, string | Uint8Array>([[css.name, css.text]]);
  if (js) files.set(js.name, js.text);
  for (const [name, bytes] of bundle.files) files.set(name, bytes);
  if (hashed) {
    const names = { 'local-needle.css': css.name, ...(js ? { 'local-needle.js': js.name } : {}) };
    files.set('manifest.json', `${JSON.stringify(names, null, 2)}\n`);
  }
  requireOwnFiles(
    out,
    [...files.keys()].filter((name) => !name.startsWith('files/')),
  );
  for (const each of js ? [css, js] : [css]) files.set(`${each.name}.map`, each.map);
  writeSet(directory, (set) => {
    for (const [name, content] of files) set.file(join(out, name), content);
  });
  const read = (name: string) => readFileSync(join(out, name), 'utf8');
  const build = readBuild(read(css.name), js ? read(js.name) : null);
  const brought = { build, actions: actionsOf(shipments.whole) };
  return { files: sizes(files), summary: null, bundle, snippets: [], to: () => brought };
}

/** The snippets of a site's pages; files are named below `filesAt`. */
export const snippetsOf = ({ site, shipments, pathOptions, minify, withScript }: Making, filesAt: string): Snippet[] =>
  shipments.pages.flatMap(
    (page) =>
      buildSnippet(page, shipments, { site: site.name, pathOptions, minify, withScript, shippedName, filesAt }) ?? [],
  );

/**
 * The address of the folder that a bundle is served from: that of bundle-address, or that of an output folder inside of the
 * site's own; empty if neither is known.
 */
export function bundleFolder({ bundleAddress, source, out }: Making): string {
  if (bundleAddress !== null) return folderOfAddress(bundleAddress);
  const way = source === null ? '..' : relative(source, out).split(sep).join('/');
  return /^\.\.(\/|$)/.test(way) || isAbsolute(way) ? '' : `/${way === '' ? '' : `${way}/`}`;
}

/** The folder of an address, with a slash at its end. */
export const folderOfAddress = (address: string | null) => address?.replace(/[^/]*$/, '') ?? '/local-needle/';

/** One HTML file for each page that needs one. */
export function makeSnippets(making: Making): Made {
  const { directory, out, minify, bundleAddress, source } = making;
  requireOwnFolder(directory, out, source);
  const snippets = snippetsOf(making, folderOfAddress(bundleAddress));
  const files = new Map<string, string | Uint8Array>();
  const nameOf = (page: Page) => safeName(page.path, '.html');
  for (const snippet of snippets) files.set(nameOf(snippet.page), snippetText(snippet, minify !== null));
  for (const snippet of snippets) for (const [name, bytes] of snippet.files) files.set(name, bytes);
  writeSet(directory, (set) => {
    set.file(...notedOutputs(directory, out));
    set.folder(out, (made) => fillFolder(made, files));
  });
  const read = (page: Page) => readFileSync(join(out, nameOf(page)), 'utf8');
  return {
    files: sizes(files),
    summary: `${snippets.length} of ${making.site.pages.length} pages need a snippet`,
    bundle: null,
    snippets,
    to: deliveryFrom(snippets, making.shipments, read),
  };
}

/** A page's snippet, and how its source changes. `ascii`: see EditsFor. */
interface PatchedPage {
  snippet: Snippet;
  edits: (ascii: boolean) => SourceEdit[];
}

const noSwaps: StaticSwaps = { edits: [], done: new Set() };
const beyondAscii = /[^\0-\x7f]/;

/** The pages that something is written into. */
export function patchedPages(making: Making): PatchedPage[] {
  const { site, shipments, pathOptions, minify, withScript, place } = making;
  return shipments.pages.flatMap((page) => {
    const html = making.html(page);
    const locate = (document: PageDocument) => locationOf(page, document, pathOptions);
    let swaps: Record<'plain' | 'ascii', StaticSwaps> = { plain: noSwaps, ascii: noSwaps };
    const form = { site: site.name, pathOptions, minify, withScript, shippedName, filesAt: '/local-needle/' };
    const snippet = buildSnippet(page, shipments, form, (rules, served) => {
      const plain = staticSwaps(html, rules, locate, served, false);
      const isAscii = plain.edits.every(({ text }) => !beyondAscii.test(text));
      const ascii = isAscii ? plain : staticSwaps(html, rules, locate, served, true);
      // A script or style in a fragment takes no references: then nothing is written, whatever the page's character set.
      if (ascii.done.size === plain.done.size) swaps = { plain, ascii };
      return swaps.plain.done;
    });
    if (!snippet) return [];
    const edits = (ascii: boolean) => {
      const text = snippetText(snippet, minify !== null, ascii);
      const at = text === '' ? 0 : insertionPoint(html, place);
      const inserted = text === '' ? [] : [{ start: at, end: at, text }];
      return [...swaps[ascii ? 'ascii' : 'plain'].edits, ...inserted].sort(
        (a, b) => a.start - b.start || a.end - b.end,
      );
    };
    return [{ snippet, edits }];
  });
}

/** The pages of a folder with what a build would write into them, by their files. */
export const pageChanges = (making: Making): Map<string, { before: { text: string }; after: string }> =>
  new Map(
    patchedPages(making).map(({ snippet: { page }, edits }) => {
      const text = making.html(page);
      return [page.file, { before: { text }, after: edited(text, edits(false)) }];
    }),
  );

/** A copy of the site's folder with each page's rules written into it. */
export function makePages(making: Making & { source: string }): Made {
  const { directory, out, source } = making;
  requireOwnFolder(directory, out, source);
  const patched = patchedPages(making);
  const snippets = patched.map(({ snippet }) => snippet);
  const byFile = new Map(patched.map((each) => [each.snippet.page.file, each]));
  const extra = new Map<string, string | Uint8Array>();
  for (const snippet of snippets) for (const [name, bytes] of snippet.files) extra.set(`local-needle/${name}`, bytes);
  let copied: ReturnType<typeof copyPatched> = { files: 0, skipped: [] };
  writeSet(directory, (set) => {
    set.file(...notedOutputs(directory, out));
    set.folder(out, (made) => {
      copied = copyPatched(
        source,
        made,
        new Set(byFile.keys()),
        (file, _source, ascii) => byFile.get(file)?.edits(ascii) ?? [],
      );
      fillFolder(made, extra);
    });
  });
  const read = (page: Page) => decodePage(readFileSync(join(out, page.file))).html;
  return {
    files: sizes(extra),
    summary: [
      `${copied.files} files copied, ${snippets.length} of ${making.site.pages.length} pages patched`,
      ...copied.skipped.map((what) => `Skipped: ${what}`),
    ].join('\n  '),
    bundle: null,
    snippets,
    to: deliveryFrom(snippets, making.shipments, read),
  };
}

/** What the files that were written bring to each page; each is read once. */
function deliveryFrom(snippets: Snippet[], shipments: Shipments, read: (page: Page) => string): Delivery['to'] {
  const byPath = new Map(snippets.map((snippet) => [snippet.page.path, snippet]));
  const known = new Map<string, ReturnType<Delivery['to']>>();
  const broughtBy = ({ page, inPage }: Snippet) => {
    const actions = actionsOf(shipments.toPage(page));
    return { build: readEmbedded(read(page)), actions, byScript: actions.filter((action) => !inPage.has(action)) };
  };
  return ({ path }) => {
    const snippet = byPath.get(path);
    if (!known.has(path)) known.set(path, snippet ? broughtBy(snippet) : null);
    return known.get(path) ?? null;
  };
}
