import type { SiteContent } from './site-content.js';
import { linksOf } from './links.js';

/** Pages whose links are read; the others follow the same template. */
const mostPages = 50;

/** Whether the pages of a folder link to each other without the `.html` of their files: then a site serves them so. */
export function linksWithoutExtension({ site, html }: SiteContent): boolean {
  const counts = { with: 0, without: 0 };
  for (const page of site.pages.slice(0, mostPages)) {
    for (const link of linksOf(html(page), `http://folder.invalid${page.url}`).pages) {
      const { hostname, pathname } = new URL(link);
      if (hostname !== 'folder.invalid') continue;
      if (/\.html?$/.test(pathname) && site.byPath.has(pathname)) counts.with++;
      else if (!site.byPath.has(pathname) && site.byPath.has(`${pathname}.html`)) counts.without++;
    }
  }
  return counts.without > counts.with;
}
