import { dropEarlierBuild } from '../core/page/earlier-build.js';
import { anyBegin } from '../core/page/build-comments.js';
import type { Finding } from '../core/finding.js';
import { documentOf, readDocument, type PageDocument } from '../core/page/document.js';
import type { PageOpening } from '../core/page/opening.js';
import { findForms, type FoundForm, type PageIdForm } from '../core/page/page-id.js';
import { flatten, unflatten, type KeptTrees } from '../core/page/flat-tree.js';
import { locationOf } from '../core/page/location.js';
import type { KeptInFile } from '../core/check/result-cache.js';
import { SiteWords, type PageWords } from '../core/page/site-words.js';
import type { Skeleton } from '../core/page/skeleton.js';
import { groupByMake, templatesOf, type Template } from '../core/page/templates.js';
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
  /** Pages of the same make, the largest template first; read when it is first asked for. */
  templates: () => Template[];
}

/** What is read of a page's tags. */
export interface Markup {
  words: PageWords;
  skeleton: Skeleton;
}

/** What is kept of a site's pages between runs, by file and identity. */
export interface KeptPages {
  words?: KeptInFile<PageWords>;
  /** Trees of pages that were parsed. */
  trees?: KeptTrees;
  skeleton?: KeptInFile<Skeleton>;
  /** Templates of all pages, as groupByMake gives them. */
  templates?: KeptInFile<number[]>;
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
  /** The words and the skeleton of a page. */
  markup: (page: Page) => Markup;
  kept?: KeptPages;
  pathOptions: PathOptions;
}

/** Makes a site of captured documents: finds the page-ID forms unless they are given, and keeps one document for each path. */
export function assembleSite(
  name: string,
  captured: CapturedPage[],
  given: PageIdForm[] | null,
  findings: Finding[],
  { pathOptions, markup, kept = {}, day = null, ...reading }: CapturedReading,
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
    const own = kept.trees ? identity(page) : null;
    const document = (own !== null && keptDocument(page, own)) || parsed(page, own);
    return { ...document, location: locationOf(page, document, pathOptions) };
  };
  const keptDocument = (page: Page, own: string): PageDocument | null => {
    const flat = kept.trees?.get(page.file, own);
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
    if (flat && own !== null) kept.trees?.set(page.file, own, flat);
    return document;
  };
  const keptKey = (page: Page) => {
    const own = identity(page);
    return own === null ? null : `${page.file} ${own}`;
  };
  /** Words or skeleton of a page; both are read now if they were not kept. */
  const known = <K extends 'words' | 'skeleton'>(name: K, page: Page) => {
    const key = keptKey(page);
    const old = key === null ? undefined : kept[name]?.get(key);
    if (old !== undefined) return old as Markup[K];
    const read = markup(page);
    if (key !== null) {
      kept.words?.set(key, read.words);
      kept.skeleton?.set(key, read.skeleton);
    }
    return read[name];
  };
  let words: SiteWords | undefined;
  const siteWords = () => {
    words ??= new SiteWords(
      site,
      (page) => known('words', page),
      () => {
        kept.words?.save();
        kept.skeleton?.save(false);
      },
    );
    return words;
  };
  let templates: Template[] | undefined;
  const readTemplates = () => {
    if (!templates) {
      const keys = site.pages.map(keptKey);
      const key = keys.includes(null) ? null : keys.join('\n');
      let groups = key === null ? undefined : kept.templates?.get(key);
      if (!groups) {
        groups = groupByMake(site.pages.map((page) => known('skeleton', page)));
        kept.skeleton?.save();
        kept.words?.save(false);
        if (key !== null) kept.templates?.set(key, groups);
        kept.templates?.save();
      }
      templates = templatesOf(site.pages, groups);
    }
    return templates;
  };
  return { site, findings: all, found, identity, open, day, words: siteWords, templates: readTemplates, ...reading };
}
