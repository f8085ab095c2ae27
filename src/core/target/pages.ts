import type { Page, Site } from '../page/page.js';
import type { Condition } from './condition.js';
import { indexOf } from './site-index.js';
import { termKind, type Term } from './terms/index.js';

/** Pages already looked up, by alternative or condition. */
interface Resolved {
  alternatives: WeakMap<readonly Term[], ReadonlySet<Page>>;
  conditions: WeakMap<Condition, ReadonlySet<Page>>;
}

const resolved = new WeakMap<Site, Resolved>();

function resolvedOn(site: Site): Resolved {
  let known = resolved.get(site);
  if (!known) resolved.set(site, (known = { alternatives: new WeakMap(), conditions: new WeakMap() }));
  return known;
}

/** The pages that fulfil every term of an alternative; looked up once for a site. In the order of the site. */
export function alternativePages(terms: readonly Term[], site: Site): ReadonlySet<Page> {
  const { alternatives } = resolvedOn(site);
  let pages = alternatives.get(terms);
  if (!pages) {
    const index = indexOf(site);
    pages = index.inAll(terms.map((term) => termKind(term).pages(term, index, terms)));
    alternatives.set(terms, pages);
  }
  return pages;
}

/** The pages that fulfil a condition; looked up once for a site. In the order of the site. */
export function conditionPages(condition: Condition, site: Site): ReadonlySet<Page> {
  const { conditions } = resolvedOn(site);
  let pages = conditions.get(condition);
  if (!pages) {
    pages = union(condition.alternatives.map((terms) => alternativePages(terms, site)));
    conditions.set(condition, pages);
  }
  return pages;
}

/** The pages that are in any of these groups, in the order of the site. */
export function union(groups: readonly ReadonlySet<Page>[]): ReadonlySet<Page> {
  const [only = new Set<Page>(), ...others] = groups.filter(({ size }) => size > 0);
  if (others.length === 0) return only;
  const all = new Set(only);
  for (const group of others) for (const page of group) all.add(page);
  return new Set([...all].sort((a, b) => (a.path < b.path ? -1 : 1)));
}
