import type { PageDocument } from './document.js';
import type { Page, Site } from './page.js';
import type { SiteWords } from './site-words.js';
import type { Template } from './templates.js';

/** A captured stylesheet. */
export interface StyleText {
  text: string;
  /** Differs whenever the text does. */
  identity: string;
  /** As messages name it: the file in a folder, or the path of its address. */
  file: string;
}

/** The pages as one visitor sees them. */
export interface View {
  site: Site;
  /** The day of their capture, `2026-11-25`; null if it is not known, or the pages are read from their source. */
  day?: string | null;
  open: (page: Page) => PageDocument;
  /** Differs whenever the page's source does; null if that is not known without reading it. */
  identity: (page: Page) => string | null;
  /** A page's source, for places in it. */
  html: (page: Page) => string;
  /** The stylesheet at an address; null if it was not captured. */
  style: (address: string) => StyleText | null;
  /** Any other file at an address, such as a picture; null if it was not captured. */
  file: (address: string) => Uint8Array | null;
  /** Which pages name which tags, classes and IDs; read when it is first asked for. */
  words: () => SiteWords;
  /** Pages of the same make, the largest template first; read when it is first asked for. */
  templates: () => Template[];
  /** The Content-Security-Policy header that came with a page; null if there was none, or none is known. */
  policy: (page: Page) => string | null;
}

/** Stands for the host of a site that is a folder. */
const folderHost = 'http://folder.invalid';

/** The address of a page, that of a folder's page at a host that does not exist. */
export const pageAddress = (page: Page) => new URL(page.url, folderHost).href;

/** The path below a folder's root that an address names, decoded; null if it lies elsewhere. */
export function folderPath(address: string): string | null {
  const url = new URL(address);
  if (url.origin !== folderHost) return null;
  try {
    return decodeURIComponent(url.pathname).slice(1);
  } catch {
    return null;
  }
}
