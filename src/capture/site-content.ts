import { dropEarlierBuild } from '../core/page/earlier-build.js';
import { anyBegin } from '../core/page/build-comments.js';
import type { Finding } from '../core/finding.js';
import { documentOf, readDocument, type PageDocument } from '../core/page/document.js';
import type { PageOpening } from '../core/page/opening.js';
import { findForms, type FoundForm, type PageIdForm } from '../core/page/page-id.js';
import { flatten, unflatten, type KeptTrees } from '../core/page/flat-tree.js';
import { locationOf } from '../core/page/location.js';
import type { KeptInFile } from '../core/check/result-cache.js';
import { readWords, SiteWords, type PageWords } from '../core/page/site-words.js';
import { makePage, makeSite, type Page, type Site } from '../core/page/page.js';
import type { PathOptions } from '../core/page/path.js';
import type { StyleText } from '../core/page/view.js';
import { finding } from '../core/finding.js';

/** A site and functions that read its pages' HTML when it is needed. */
export interface SiteContent {
  site: Site;
  /** Findings made while reading, such as files that are not pages. */
  findings: Finding[];
  /** The page-ID forms that were found on the pages, best first; those in force are `site.forms`. */
  found: FoundForm[];
  html: (page: Page) => string;
  /** Differs whenever the page's source does; null if that is not known without reading it. */
  identity: (page: Page) => string | null;
  /** The stylesheet at an address; null if it was not captured. */
  style: (address: string) => StyleText | null;
  /** Any other file at an address; null if it was not captured. */
  file: (address: string) => Uint8Array | null;
  /**
   * The absolute path of the file that holds a page or a stylesheet, by the name that messages give it (Page.file,
   * StyleText.file); null if there is none.
   */
  onDisk: (name: string) => string | null;
  /** The Content-Security-Policy header that came with a page. */
  policy: (page: Page) => string | null;
  /** The day of its capture, `2026-11-25`; null if it is not known, or the pages are read from their source. */
  day: string | null;
  open: (page: Page) => PageDocument;
  /** Which pages name which tags, classes and IDs; read when it is first asked for. */
  words: () => SiteWords;
}

/** A document before its handles are known. */
export interface CapturedPage {
  path: string;
  url: string;
  file: string;
  opening: PageOpening;
  /** See View.identity. */
  identity: string | null;
}

/** Functions that read captured files when they are needed. */
export interface CapturedReading {
  html: (page: Page) => string;
  style: (address: string) => StyleText | null;
  /** Any other file; null if it was not captured. */
  file: (address: string) => Uint8Array | null;
  /** See SiteContent.onDisk. */
  onDisk: (name: string) => string | null;
  /** The Content-Security-Policy that came with a page. */
  policy: (page: Page) => string | null;
  /** See SiteContent.day. */
  day?: string | null;
  /** The words of a page; left out, they are read from its HTML. */
  words?: (page: Page) => PageWords;
  /** Words that were read in earlier runs, by file and identity. */
  keptWords?: KeptInFile<PageWords>;
  /** Trees of pages that were parsed in earlier runs, by file and identity. */
  keptTrees?: KeptTrees;
  pathOptions: PathOptions;
}

/** Makes a site of captured documents: finds the page-ID forms unless they are given, and keeps one document for each path. */
export function assembleSite(
  name: string,
  captured: CapturedPage[],
  given: PageIdForm[] | null,
  findings: Finding[],
  { pathOptions, words: wordsOf, keptWords, keptTrees, day = null, ...reading }: CapturedReading,
): SiteContent {
  const byPath = new Map<string, CapturedPage>();
  const all = [...findings];
  for (const each of captured) {
    const other = byPath.get(each.path);
    if (other)
      all.push(
        finding('same-path', `${each.file} and ${other.file} have the same path, ${each.path}`, {
          page: each.path,
          hint: `${other.file} is used.`,
        }),
      );
    else byPath.set(each.path, each);
  }
  const pages = [...byPath.values()];
  const found = findForms(pages.map(({ opening }) => opening.body));
  const forms = given ?? found.map(({ form }) => form);
  const site = makeSite(
    name,
    pages.map(({ path, url, file, opening }) => makePage(path, url, file, opening, forms)),
    forms,
  );
  const identities = new Map(pages.map(({ path, identity }) => [path, identity]));
  const identity = ({ path }: Page) => identities.get(path) ?? null;
  const open = (page: Page) => {
    const own = keptTrees ? identity(page) : null;
    const document = (own !== null && keptDocument(page, own)) || parsed(page, own);
    return { ...document, location: locationOf(page, document.root, pathOptions) };
  };
  const keptDocument = (page: Page, own: string): PageDocument | null => {
    const flat = keptTrees?.get(page.file, own);
    if (!flat) return null;
    try {
      return documentOf(unflatten(flat), () => reading.html(page));
    } catch (error) {
      if (error instanceof RangeError) return null;
      throw error;
    }
  };
  const parsed = (page: Page, own: string | null): PageDocument => {
    const html = reading.html(page);
    const document = readDocument(html);
    if (html.includes(anyBegin)) dropEarlierBuild(document);
    const flat = own === null ? null : flatten(document);
    if (flat && own !== null) keptTrees?.set(page.file, own, flat);
    return document;
  };
  let words: SiteWords | undefined;
  const readWordsOf = (page: Page) => {
    const own = identity(page);
    const key = own === null ? null : `${page.file} ${own}`;
    const known = key === null ? undefined : keptWords?.get(key);
    if (known !== undefined) return known;
    const read = wordsOf?.(page) ?? readWords(reading.html(page));
    if (key !== null) keptWords?.set(key, read);
    return read;
  };
  const readAllWords = () => {
    if (!words) {
      words = new SiteWords(site, readWordsOf);
      keptWords?.save();
    }
    return words;
  };
  return { site, findings: all, found, identity, open, day, words: readAllWords, ...reading };
}
