import type { Page } from './page.js';
import type { Skeleton } from './skeleton.js';

/** Pages of the same make, told by their markup. */
export interface Template {
  /** Where most of its pages lie: `/journal/*`. Differs from the names of the site's other templates. */
  name: string;
  /** In the order of the site. */
  pages: Page[];
  /** The page to look at. */
  example: Page;
}

/** How much alike two pages of one template are at least, 0 to 1. */
const alike = 0.75;
/** What a chain that every page has counts for, beside one that few have: the masthead and footer tell little. */
const everywhere = 0.2;
/** Templates at most; further pages join the one that they are most like. */
const mostTemplates = 100;

/** Which template each page is of, by number. Takes time that grows with the pages, not with their square. */
export function groupByMake(skeletons: readonly Skeleton[]): number[] {
  // Pages of one skeleton are looked at once.
  const kinds = new Map<string, number>();
  const kindOf = skeletons.map((skeleton) => {
    const key = skeleton.join(' ');
    const kind = kinds.get(key) ?? kinds.size;
    kinds.set(key, kind);
    return kind;
  });
  const firsts = [...kinds.keys()].map((key) => (key === '' ? [] : key.split(' ').map(Number)));
  const pagesOf = new Map<number, number>();
  for (const kind of kindOf)
    for (const [chain] of pairs(firsts[kind] ?? [])) pagesOf.set(chain, (pagesOf.get(chain) ?? 0) + 1);
  const weighed = firsts.map((skeleton) => {
    const shares = new Map<number, number>();
    for (const [chain, share] of pairs(skeleton))
      shares.set(chain, share * (1 - ((1 - everywhere) * (pagesOf.get(chain) ?? 0)) / skeletons.length));
    return { shares, whole: [...shares.values()].reduce((sum, each) => sum + each, 0) };
  });
  const models: Weighed[] = [];
  for (const own of weighed) {
    if (models.length >= mostTemplates) break;
    if (!models.some((model) => likeness(model, own) >= alike)) models.push(own);
  }
  // A page may be more like a template that began after it.
  const groups = weighed.map((own) => {
    let [best, most] = [0, -1];
    models.forEach((model, at) => {
      const like = likeness(model, own);
      if (like > most) [best, most] = [at, like];
    });
    return best;
  });
  return kindOf.map((kind) => groups[kind] ?? 0);
}

interface Weighed {
  shares: ReadonlyMap<number, number>;
  whole: number;
}

/** What two pages have in common, of all that either has (Jaccard, by weight). */
function likeness(one: Weighed, other: Weighed): number {
  let common = 0;
  for (const [chain, share] of one.shares) common += Math.min(share, other.shares.get(chain) ?? 0);
  const all = one.whole + other.whole - common;
  return all > 0 ? common / all : 1;
}

function* pairs(skeleton: Skeleton): Generator<[chain: number, share: number]> {
  for (let at = 0; at < skeleton.length; at += 2) yield [skeleton[at] ?? 0, skeleton[at + 1] ?? 0];
}

/** The templates of a site's pages, the largest first. `groups`: see groupByMake. */
export function templatesOf(pages: readonly Page[], groups: readonly number[]): Template[] {
  const byGroup = new Map<number, Page[]>();
  for (const [at, page] of pages.entries()) {
    const group = groups[at] ?? 0;
    const own = byGroup.get(group);
    if (own) own.push(page);
    else byGroup.set(group, [page]);
  }
  const sorted = [...byGroup.values()].sort((a, b) => b.length - a.length);
  const names = new Map<string, number>();
  return sorted.flatMap((own) => {
    const [example] = own;
    if (!example) return [];
    const name = nameOf(own, example);
    const same = (names.get(name) ?? 0) + 1;
    names.set(name, same);
    return [{ name: same > 1 ? `${name} (${same})` : name, pages: own, example }];
  });
}

/** Sections of the site that hold at least this share of a template's pages name it. */
const mostOfThem = 0.8;

/** A page's path, or the sections that most of the pages lie in: `/journal/*`, `/routes/*, /timetables/*`. */
function nameOf(pages: Page[], only: Page): string {
  if (pages.length === 1) return only.path;
  const sections = new Map<string, number>();
  for (const { path } of pages) {
    const section = path.slice(0, path.indexOf('/', 1) + 1);
    sections.set(section || '/', (sections.get(section || '/') ?? 0) + 1);
  }
  const largest = [...sections].sort(([, a], [, b]) => b - a);
  let named = 0;
  for (const [at, [, size]] of largest.slice(0, 2).entries()) {
    named += size;
    if (named < mostOfThem * pages.length) continue;
    return largest
      .slice(0, at + 1)
      .map(([section]) => `${deeper(section, pages)}*`)
      .join(', ');
  }
  // Such as one for each language.
  const folder = largestOf(pages.flatMap(({ path }) => path.split('/')[2] ?? []));
  const isInFolder = ({ path }: Page) => path.split('/').length > 3 && path.split('/')[2] === folder;
  if (pages.filter(isInFolder).length >= mostOfThem * pages.length) return `/*/${folder}/*`;
  return `${largest
    .slice(0, 2)
    .map(([section]) => `${section}*`)
    .join(', ')} and others`;
}

/** What a list has most often; the first of several. */
function largestOf(all: readonly string[]): string {
  const counts = new Map<string, number>();
  for (const each of all) counts.set(each, (counts.get(each) ?? 0) + 1);
  return [...counts].sort(([, a], [, b]) => b - a)[0]?.[0] ?? '';
}

/** A section, with the folders below it that all of its pages share. */
function deeper(section: string, pages: Page[]): string {
  const own = pages.map(({ path }) => path).filter((path) => path.startsWith(section));
  const [first = ''] = own;
  let end = section.length;
  for (let next = first.indexOf('/', end); next >= 0; next = first.indexOf('/', next + 1)) {
    const longer = first.slice(0, next + 1);
    if (!own.every((path) => path.startsWith(longer))) break;
    end = longer.length;
  }
  return first.slice(0, end);
}

/** Some pages of a template. */
export interface TemplateShare {
  template: string;
  /** Paths, in the order given. */
  pages: string[];
}

const known = new WeakMap<readonly Template[], ReadonlyMap<string, Template>>();

/** The template of each page, by its path; made once for a site's templates. */
export function templatesByPath(templates: readonly Template[]): ReadonlyMap<string, Template> {
  let byPath = known.get(templates);
  if (!byPath) {
    byPath = new Map(templates.flatMap((template) => template.pages.map(({ path }) => [path, template] as const)));
    known.set(templates, byPath);
  }
  return byPath;
}

/** Groups pages by their template, in the order of the templates; a path that no template has is left out. */
export function byTemplate(paths: Iterable<string>, templates: readonly Template[]): TemplateShare[] {
  const shares = new Map(templates.map((template) => [template, [] as string[]]));
  const byPath = templatesByPath(templates);
  for (const path of paths) {
    const template = byPath.get(path);
    if (template) shares.get(template)?.push(path);
  }
  return [...shares].flatMap(([{ name }, pages]) => (pages.length > 0 ? [{ template: name, pages }] : []));
}
