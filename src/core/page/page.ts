import type { PageOpening } from './opening.js';
import { pageIdOf, type PageId, type PageIdForm } from './page-id.js';

/** One HTML document of a site, with everything that can pick it out. Its elements are read on demand (see elements.ts). */
export interface Page {
  /** Normalised; its key on the site. */
  path: string;
  /** Where it came from, as the site writes it: an address, or the address that a file of a folder stands for. */
  url: string;
  title: string;
  /** The attributes of `body`, in the order of the source. */
  bodyAttributes: ReadonlyMap<string, string>;
  pageId: PageId | null;
  bodyId: string | null;
  /** Without doubles, in the order of the source. */
  bodyClasses: string[];
  /** Where its HTML is, relative to the site: for messages. */
  file: string;
}

/** The pages of one site in the order of their paths. */
export interface Site {
  name: string;
  pages: Page[];
  byPath: ReadonlyMap<string, Page>;
  /** How this site writes page IDs; of several forms the first that fits a page counts. */
  forms: PageIdForm[];
}

/** Builds a page from its opening. */
export function makePage(path: string, url: string, file: string, opening: PageOpening, forms: PageIdForm[]): Page {
  const classes = opening.body.get('class')?.match(/[^\t\n\f\r ]+/g) ?? [];
  return {
    path,
    url,
    file,
    title: opening.title,
    bodyAttributes: opening.body,
    pageId: pageIdOf(opening.body, forms),
    bodyId: opening.body.get('id') || null,
    bodyClasses: [...new Set(classes)],
  };
}

/** Builds a site; pages are sorted by path. */
export function makeSite(name: string, pages: Page[], forms: PageIdForm[]): Site {
  const sorted = [...pages].sort((a, b) => (a.path < b.path ? -1 : a.path > b.path ? 1 : 0));
  return { name, pages: sorted, byPath: new Map(sorted.map((page) => [page.path, page])), forms };
}
