import { elementsChanged } from '../page/elements.js';
import type { PageDocument } from '../page/document.js';
import type { Page } from '../page/page.js';
import { normalisePath, pathPattern } from '../page/path.js';
import type { ReadBuild } from './read-back.js';

type Addresses = Pick<ReadBuild, 'addresses' | 'queryKeys'>;

/** The names by which local-needle.js marks a page. */
export function marksOf({ path: address }: Pick<Page, 'path'>, build: Addresses): string[] {
  const query = new URLSearchParams(address.split('?')[1] ?? '');
  const path = normalisePath(address.replace(/\?.*$/, ''));
  const { byPath, byPattern } = addressesOf(build);
  return [...(byPath.get(path) ?? []), ...byPattern]
    .filter(
      (mark) =>
        mark.queries.every(([key, value]) => query.getAll(key).includes(value)) &&
        (mark.path === null || mark.queries.length > 0 || !build.queryKeys.some((key) => query.has(key))) &&
        (mark.pattern === null || pathPattern(mark.pattern)(path)),
    )
    .map(({ name }) => name)
    .sort();
}

const addressesKnown = new WeakMap<Addresses, ReturnType<typeof addressesIn>>();

/** The addresses of a build by their path; those without one apart. */
function addressesOf(build: Addresses): ReturnType<typeof addressesIn> {
  let known = addressesKnown.get(build);
  if (!known) addressesKnown.set(build, (known = addressesIn(build)));
  return known;
}

function addressesIn({ addresses }: Addresses) {
  const byPath = new Map<string, typeof addresses>();
  const byPattern = addresses.filter(({ path }) => path === null);
  for (const mark of addresses) {
    if (mark.path === null) continue;
    const path = mark.path.replace(/\?.*$/, '');
    byPath.set(path, [...(byPath.get(path) ?? []), mark]);
  }
  return { byPath, byPattern };
}

/** Marks `html` as local-needle.js would. */
export function setMarks(document: PageDocument, names: string[]): void {
  const html = document.elements.find(({ tagName }) => tagName === 'html');
  if (names.length === 0) return;
  html?.attrs.push({ name: 'data-local-needle', value: names.join(' ') });
  elementsChanged(document);
}
