import type { SiteContent } from './site-content.js';
import { linksOf } from './links.js';

/** Pages whose links are read; the others follow the same template. */
const mostPages = 50;

/** Whether the pages of a folder link to each other without the `.html` of their files: then a site serves them so. */
export function linksWithoutExtension({ site, html }: SiteContent): boolean {
  const counts = { with: 0, without: 0 };
  for (const page of site.pages.slice(0, mostPages)) {
    const own = new URL(page.url, 'http://folder.invalid');
    for (const link of linksOf(html(page), own.href).pages) {
      const { hostname, pathname } = new URL(link);
      if (hostname !== own.hostname) continue;
      if (/\.html?$/.test(pathname) && site.byPath.has(pathname)) counts.with++;
      else if (!site.byPath.has(pathname) && site.byPath.has(`${pathname}.html`)) counts.without++;
    }
  }
  return counts.without > counts.with;
}
