import { attribute, type Element, type PageDocument, type PageLocation } from './document.js';
import { normalisePath, type PathOptions } from './path.js';
import type { Page } from './page.js';
import { pageAddress } from './view.js';

/**
 * The address that relative ones of a page count from (HTML Standard 2.4.2): its own, or that of the first `<base>`, which
 * is no data: or javascript: address. `pageWide`: see PageDocument.
 */
export function baseOf(own: string, pageWide: readonly Element[]): string {
  const bases = pageWide.filter(({ tagName }) => tagName === 'base');
  const [href] = bases.flatMap((element) => attribute(element, 'href') ?? []);
  const base = href !== undefined && URL.canParse(href, own) ? new URL(href, own) : null;
  return base === null || /^(data|javascript):$/.test(base.protocol) ? own : base.href;
}

/** The same for a page of a site. */
export const baseAddress = (page: Page, { pageWide }: Pick<PageDocument, 'pageWide'>) =>
  baseOf(pageAddress(page), pageWide);

/** A page's address, with a function that turns its links into paths of its site. */
export function locationOf(page: Page, document: Pick<PageDocument, 'pageWide'>, options: PathOptions): PageLocation {
  const own = pageAddress(page);
  let base: string | undefined;
  return {
    path: page.path,
    address: own,
    pathOf: (href) => {
      base ??= baseAddress(page, document);
      if (!URL.canParse(href, base)) return null;
      const url = new URL(href, base);
      return url.origin === new URL(own).origin ? normalisePath(url.href, options) : null;
    },
  };
}

/** The path of a link that leads to the page itself or, with `sections`, to a section that it lies in; else null. */
export function currentPathOf(document: PageDocument, element: Element, sections: boolean): string | null {
  const { location } = document;
  const href = attribute(element, 'href');
  // `#top` leads to the page itself, but is not a menu link.
  if (!location || href === undefined || href.trim().startsWith('#')) return null;
  const path = location.pathOf(href);
  if (path === location.path) return path;
  // The front page is not a section: every page would be in it.
  return sections && path !== null && path !== '/' && location.path.startsWith(`${path}/`) ? path : null;
}
