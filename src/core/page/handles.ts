import { handleCss } from './page-id.js';
import type { Page, Site } from './page.js';

/** Something on `body` that picks pages out, as CSS, with the pages of the site that carry it. */
export interface Handle {
  kind: 'page-id' | 'body-id' | 'body-class';
  /** `body.page-12`, `body[id="front"]`; always of weight (0,1,1). */
  css: string;
  /** The condition that a rule writes for it: `page-id(12)`. */
  condition: string;
}

/** The handles that a page carries on `body`, best first: page ID, body ID, classes in the order of the source. */
export function handlesOf(page: Page): Handle[] {
  const handles: Handle[] = [];
  if (page.pageId) handles.push({ kind: 'page-id', css: page.pageId.css, condition: `page-id(${page.pageId.value})` });
  if (page.bodyId) {
    handles.push({
      kind: 'body-id',
      css: 'body' + handleCss({ in: 'body-id' }, page.bodyId),
      condition: `body-id(${page.bodyId})`,
    });
  }
  for (const name of page.bodyClasses) {
    handles.push({
      kind: 'body-class',
      css: 'body' + handleCss({ in: 'body-class' }, name),
      condition: `body-class(${name})`,
    });
  }
  const seen = new Set<string>();
  return handles.filter((handle) => !seen.has(handle.css) && seen.add(handle.css));
}

const carriers = new WeakMap<Site, Map<string, Page[]>>();

/** The pages of the site that carry a handle. A page's own handles always find that page. */
export function pagesWith(site: Site, css: string): Page[] {
  let index = carriers.get(site);
  if (!index) {
    index = new Map();
    for (const page of site.pages) {
      for (const handle of handlesOf(page)) {
        const list = index.get(handle.css);
        if (list) list.push(page);
        else index.set(handle.css, [page]);
      }
    }
    carriers.set(site, index);
  }
  return index.get(css) ?? [];
}

/** The handles on `body` that no other page of the site carries, best first. */
export function soleHandles(page: Page, site: Site): Handle[] {
  return handlesOf(page).filter((handle) => pagesWith(site, handle.css).length === 1);
}
