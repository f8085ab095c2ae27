import { handlesOf, type Handle } from '../page/handles.js';
import type { Page, Site } from '../page/page.js';
import { literalBeginning } from '../page/path.js';
import type { NearTerm } from './term.js';

/** The pages that carry a key, by the key; pages in the order of the site. */
type Groups = Map<string, Set<Page>>;

const none: ReadonlySet<Page> = new Set();

/**
 * Looks the pages of a site up by everything that a condition can name. Each table is made when it is first asked for, in
 * one pass over the pages; after that a lookup costs what it finds.
 */
export class SiteIndex {
  /** Every page. */
  readonly all: ReadonlySet<Page>;
  readonly none = none;
  readonly siteName: string;
  private readonly pages: readonly Page[];
  private readonly tables = new Map<string, Groups>();
  private readonly patterns = new Map<string, ReadonlySet<Page>>();

  constructor({ name, pages }: Site) {
    this.siteName = name;
    this.pages = pages;
    this.all = new Set(pages);
  }

  byPath = (path: string) => this.find('path', path, (page) => [page.path]);
  /** By path, whatever the query. */
  byBarePath = (path: string) => this.find('bare path', path, (page) => [page.path.replace(/\?.*$/, '')]);
  byPageId = (id: string) => this.find('page ID', id, ({ pageId }) => (pageId ? [pageId.value] : []));
  byBodyId = (id: string) => this.find('body ID', id, ({ bodyId }) => (bodyId === null ? [] : [bodyId]));
  byClass = (name: string) => this.find('class', name, ({ bodyClasses }) => bodyClasses);
  byHandle = ({ css }: Pick<Handle, 'css'>) =>
    this.find('handle', css, (page) => handlesOf(page).map((each) => each.css));
  byQuery = (key: string, value: string) =>
    this.find('query', JSON.stringify([key, value]), ({ path }) => {
      const at = path.indexOf('?');
      return at < 0 ? [] : [...new URLSearchParams(path.slice(at))].map((pair) => JSON.stringify(pair));
    });

  /** Every body ID and every body class of the site. */
  get bodyIds(): string[] {
    this.byBodyId('');
    return [...(this.tables.get('body ID')?.keys() ?? [])];
  }
  get classes(): string[] {
    this.byClass('');
    return [...(this.tables.get('class')?.keys() ?? [])];
  }

  private readonly soleKnown = new Map<Page, Handle | null>();

  /** The first handle of a page that no other carries; null if it has none. */
  soleHandle(page: Page): Handle | null {
    let sole = this.soleKnown.get(page);
    if (sole === undefined) {
      sole = handlesOf(page).find((handle) => this.byHandle(handle).size === 1) ?? null;
      this.soleKnown.set(page, sole);
    }
    return sole;
  }

  /** The pages whose path fulfils a pattern: only those that begin as it does are tried. */
  byPattern(pattern: string, test: (path: string) => boolean): ReadonlySet<Page> {
    let found = this.patterns.get(pattern);
    if (!found) {
      const under = this.below(literalBeginning(pattern));
      this.patterns.set(pattern, (found = new Set(under.filter(({ path }) => test(path)))));
    }
    return found;
  }

  /** The pages whose path begins with a text. */
  below(beginning: string): Page[] {
    // Pages are in the order of their paths, so that these are together.
    let [low, high] = [0, this.pages.length];
    while (low < high) {
      const middle = (low + high) >>> 1;
      if ((this.pages[middle]?.path ?? '') < beginning) low = middle + 1;
      else high = middle;
    }
    let end = low;
    while (this.pages[end]?.path.startsWith(beginning)) end++;
    return this.pages.slice(low, end);
  }

  /** The pages that are in all of these groups. */
  inAll(groups: readonly ReadonlySet<Page>[]): ReadonlySet<Page> {
    const [smallest, ...others] = [...groups].sort((a, b) => a.size - b.size);
    if (!smallest) return this.all;
    const narrowing = others.filter((group) => group !== this.all);
    if (narrowing.length === 0) return smallest;
    return new Set([...smallest].filter((page) => narrowing.every((group) => group.has(page))));
  }

  /** The first of some pages, with the term that picks it. */
  firstOf(text: string, pages: ReadonlySet<Page>): NearTerm | null {
    const [page] = pages;
    return page ? { text, page } : null;
  }

  private find(table: string, key: string, keysOf: (page: Page) => readonly string[]): ReadonlySet<Page> {
    let groups = this.tables.get(table);
    if (!groups) this.tables.set(table, (groups = grouped(this.pages, keysOf)));
    return groups.get(key) ?? none;
  }
}

function grouped(pages: readonly Page[], keysOf: (page: Page) => readonly string[]): Groups {
  const groups: Groups = new Map();
  for (const page of pages)
    for (const key of keysOf(page)) {
      const group = groups.get(key);
      if (group) group.add(page);
      else groups.set(key, new Set([page]));
    }
  return groups;
}

const known = new WeakMap<Site, SiteIndex>();

/** The index of a site, made once. */
export function indexOf(site: Site): SiteIndex {
  let index = known.get(site);
  if (!index) known.set(site, (index = new SiteIndex(site)));
  return index;
}

/** The pages of the site that carry a handle. A page's own handles always find that page. */
export const pagesWith = (site: Site, css: string): ReadonlySet<Page> => indexOf(site).byHandle({ css });

/** The handles on `body` that no other page of the site carries, best first. */
export const soleHandles = (page: Page, site: Site): Handle[] =>
  handlesOf(page).filter(({ css }) => pagesWith(site, css).size === 1);
