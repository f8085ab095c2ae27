import { linksOf } from './links.js';
import { readOpening } from '../core/page/opening.js';

/** A query parameter that the site's pages use and that is no part of a path. */
export interface UsedQueryKey {
  key: string;
  /** Addresses that differ in it, among those that were captured as one page. */
  addresses: number;
  example: string;
  /** Whether another value gave another page: another title, another body tag or other links. */
  tellsPagesApart: boolean;
}

/** Requests to try out what a parameter changes. */
const mostTries = 3;
const mostKeys = 8;

/** Collects addresses that differ in their query alone, and finds out which parameters tell pages apart. */
export class QueryDifferences {
  private readonly byKey = new Map<string, Set<string>>();

  /** `known`: parameters that are part of paths already. */
  constructor(private readonly known: string[]) {}

  /** Notes an address that has the path of one that is captured already. */
  note(url: URL): void {
    for (const [key, value] of url.searchParams) {
      if (this.known.includes(key)) continue;
      const seen = this.byKey.get(key) ?? new Set();
      if (value !== '' && seen.size < 10_000) seen.add(url.href);
      this.byKey.set(key, seen);
    }
  }

  /** Tries a few addresses of each parameter. `fetchText`: a page's HTML; null if it is none. */
  async find(fetchText: (address: string) => Promise<string | null>): Promise<UsedQueryKey[]> {
    const used: UsedQueryKey[] = [];
    for (const [key, addresses] of [...this.byKey].sort(([, a], [, b]) => b.size - a.size).slice(0, mostKeys)) {
      const [example] = addresses;
      if (example === undefined) continue;
      const without = new URL(example);
      without.searchParams.delete(key);
      const plain = await fetchText(without.href);
      let tellsPagesApart = false;
      for (const address of [...addresses].slice(0, mostTries)) {
        const html = await fetchText(address);
        tellsPagesApart ||= html !== null && plain !== null && lookOf(html, address) !== lookOf(plain, without.href);
      }
      used.push({ key, addresses: addresses.size, example, tellsPagesApart });
    }
    return used;
  }
}

/** What makes a page another one: its title, its body tag, the paths that it links. */
function lookOf(html: string, address: string): string {
  const { title, body } = readOpening(html);
  const links = linksOf(html, address).pages.map((each) => new URL(each).pathname);
  return JSON.stringify([title, [...body], [...new Set(links)].sort()]);
}
