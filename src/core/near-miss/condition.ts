import { distance } from 'fastest-levenshtein';
import { nearest } from '../nearest.js';
import { pathCondition } from '../page/expression.js';
import type { Page, Site } from '../page/page.js';
import type { Term } from '../rule/condition.js';

/** A term like this one that picks a page of the site, or null. */
export function nearTerm(term: Term, site: Site): { text: string; page: Page } | null {
  const found = (text: string, page: Page | undefined) => (page ? { text, page } : null);
  switch (term.kind) {
    case 'path': {
      if (term.pattern) {
        const section = term.path.replace(/\/?\*$/, '');
        const own = site.byPath.get(section);
        return term.path.endsWith('/*') && own ? found(`path("${section}{/*}?")`, own) : null;
      }
      const near = nearPath(term.path, site);
      return near === null ? null : found(pathCondition(near.path), near);
    }
    case 'page-id': {
      // The prefix typed along with the ID, a body ID taken for a page ID, leading zeros.
      const bare = /\d+$/.exec(term.value)?.[0] ?? /[0-9a-f]{8,}$/i.exec(term.value)?.[0];
      const byId =
        bare === undefined
          ? undefined
          : site.pages.find((page) => page.pageId && page.pageId.value.replace(/^0+/, '') === bare.replace(/^0+/, ''));
      if (byId?.pageId) return found(`page-id(${byId.pageId.value})`, byId);
      return (
        found(
          `body-id(${term.value})`,
          site.pages.find((page) => page.bodyId === term.value),
        ) ??
        found(
          `body-class(${term.value})`,
          site.pages.find((page) => page.bodyClasses.includes(term.value)),
        )
      );
    }
    case 'body-id': {
      const near = nearest(
        term.value,
        site.pages.flatMap((page) => page.bodyId ?? []),
      );
      if (near !== null)
        return found(
          `body-id(${near})`,
          site.pages.find((page) => page.bodyId === near),
        );
      return found(
        `body-class(${term.value})`,
        site.pages.find((page) => page.bodyClasses.includes(term.value)),
      );
    }
    case 'body-class': {
      const near = term.classes.map(
        (name) => nearest(name, [...new Set(site.pages.flatMap((page) => page.bodyClasses))]) ?? name,
      );
      return found(
        `body-class(${near.join(' ')})`,
        site.pages.find((page) => near.every((name) => page.bodyClasses.includes(name))),
      );
    }
    default:
      return null;
  }
}

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
    const whole = distance(wanted, lower);
    const sameEnd = parts.length > 0 && otherParts.at(-1) === parts.at(-1) ? 3 : Infinity;
    return Math.min(whole, sameEnd);
  };
  let best: { page: Page; cost: number } | null = null;
  for (const page of site.pages) {
    const each = cost(page.path);
    if (!best || each < best.cost) best = { page, cost: each };
  }
  return best && best.cost <= Math.max(2, Math.min(3, Math.floor(path.length / 4))) ? best.page : null;
}
