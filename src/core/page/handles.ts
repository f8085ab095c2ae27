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

/** A text as a condition takes it: in quotes where it is no plain name. */
const argument = (text: string) => (/^[\w-]+$/.test(text) ? text : `"${text.replace(/["\\]/g, '\\$&')}"`);

/** The handles that a page carries on `body`, best first: page ID, body ID, classes in the order of the source. */
export function handlesOf(page: Page): Handle[] {
  const handles: Handle[] = [];
  if (page.pageId)
    handles.push({ kind: 'page-id', css: page.pageId.css, condition: `page-id(${argument(page.pageId.value)})` });
  if (page.bodyId) {
    handles.push({
      kind: 'body-id',
      css: 'body' + handleCss({ in: 'body-id' }, page.bodyId),
      condition: `body-id(${argument(page.bodyId)})`,
    });
  }
  for (const name of page.bodyClasses) {
    handles.push({
      kind: 'body-class',
      css: 'body' + handleCss({ in: 'body-class' }, name),
      condition: `body-class(${argument(name)})`,
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

const byPageId = new WeakMap<Site, Map<string, Page[]>>();

/** The pages of the site with a page ID, as written. */
export function pagesWithId(site: Site, value: string): Page[] {
  let index = byPageId.get(site);
  if (!index) {
    index = new Map();
    for (const page of site.pages) {
      if (!page.pageId) continue;
      const list = index.get(page.pageId.value);
      if (list) list.push(page);
      else index.set(page.pageId.value, [page]);
    }
    byPageId.set(site, index);
  }
  return index.get(value) ?? [];
}
