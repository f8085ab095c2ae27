import type { Finding } from '../core/check/finding.js';
import { readDocument, type PageDocument } from '../core/page/document.js';
import type { PageOpening } from '../core/page/opening.js';
import { findForms, type FoundForm, type PageIdForm } from '../core/page/page-id.js';
import { makePage, makeSite, type Page, type Site } from '../core/page/page.js';
import type { StyleText } from '../core/page/view.js';
import { finding } from '../core/check/finding.js';

/** A site with the way to its pages' HTML, which is read only when asked for. */
export interface SiteContent {
  site: Site;
  /** What was found while reading: files that are no pages, and so on. */
  findings: Finding[];
  /** The page-ID forms that were found on the pages, best first; those in force are `site.forms`. */
  found: FoundForm[];
  html: (page: Page) => string;
  /** Differs whenever the page's source does; null where that is not known without reading it. */
  identity: (page: Page) => string | null;
  /** The stylesheet at an address; null where it was not captured. */
  style: (address: string) => StyleText | null;
  open: (page: Page) => PageDocument;
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

/** Makes a site of captured documents: finds the page-ID forms unless they are given, and keeps one document for each path. */
export function assembleSite(
  name: string,
  captured: CapturedPage[],
  given: PageIdForm[] | null,
  findings: Finding[],
  html: (page: Page) => string,
  style: (address: string) => StyleText | null,
): SiteContent {
  const byPath = new Map<string, CapturedPage>();
  const all = [...findings];
  for (const each of captured) {
    const other = byPath.get(each.path);
    if (other)
      all.push(
        finding('same-path', `${each.file} and ${other.file} have one path, ${each.path}`, {
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
  return { site, findings: all, found, html, style, identity, open: (page) => readDocument(html(page)) };
}
