import { errorsBetween } from '../nearest.js';
import type { Page, Site } from '../page/page.js';

/** What to say where a path is that of a page but for the `.html` of its file; empty otherwise. */
export const extensionHint = (path: string, page: Page) =>
  page.path === `${path}.html` ? ' If the site serves its pages without .html, add drop-extension: .html to it.' : '';

/** Typing errors in a path that is still taken for another one. */
const mostApart = 3;

/** The page whose path is nearest: other letter case, a part mistyped, a slash more or less, or the right end in another section. */
export function nearPath(path: string, site: Site): Page | null {
  const wanted = path.toLowerCase();
  const parts = wanted.split('/').filter(Boolean);
  const cost = (other: string) => {
    const lower = other.toLowerCase();
    if (lower === wanted) return 0.5;
    const otherParts = lower.split('/').filter(Boolean);
    if (otherParts.join('') === parts.join('')) return 1;
    if (lower.replace(/\.html?$/, '') === wanted.replace(/\.html?$/, '')) return 1;
    const whole = Math.abs(lower.length - wanted.length) > mostApart ? Infinity : errorsBetween(wanted, lower);
    const sameEnd = parts.length > 0 && otherParts.at(-1) === parts.at(-1) ? 3 : Infinity;
    return Math.min(whole, sameEnd);
  };
  let best: { page: Page; cost: number } | null = null;
  for (const page of site.pages) {
    const each = cost(page.path);
    if (!best || each < best.cost) best = { page, cost: each };
  }
  return best && best.cost <= Math.max(2, Math.min(mostApart, Math.floor(path.length / 4))) ? best.page : null;
}
