import { gunzipSync } from 'node:zlib';
import { XMLParser, XMLValidator } from 'fast-xml-parser';

/** What a sitemap lists (https://www.sitemaps.org/protocol.html): pages, or further sitemaps. */
export interface Sitemap {
  pages: string[];
  sitemaps: string[];
}

/** The largest that the protocol allows. */
const mostBytes = 50 * 1024 * 1024;

/** Reads a sitemap or sitemap index, gzipped or not. Throws Error with the reason if it is neither. */
export function readSitemap(bytes: Uint8Array): Sitemap {
  const zipped = bytes[0] === 0x1f && bytes[1] === 0x8b;
  const text = new TextDecoder().decode(zipped ? gunzipSync(bytes, { maxOutputLength: mostBytes }) : bytes).trim();
  if (!text.startsWith('<') || /<!DOCTYPE|<!ENTITY/i.test(text.slice(0, 2000)) || XMLValidator.validate(text) !== true)
    throw new Error('it is not XML');
  const parser = new XMLParser({
    ignoreAttributes: true,
    removeNSPrefix: true,
    parseTagValue: false,
    isArray: (name) => name === 'url' || name === 'sitemap',
  });
  const tree = parser.parse(text) as {
    urlset?: { url?: { loc?: unknown }[] } | string;
    sitemapindex?: { sitemap?: { loc?: unknown }[] } | string;
  };
  if (tree.urlset === undefined && tree.sitemapindex === undefined)
    throw new Error('it contains neither urlset nor sitemapindex');
  const locations = (list: { loc?: unknown }[] | undefined) =>
    (list ?? []).flatMap(({ loc }) => (typeof loc === 'string' ? [loc.trim()] : []));
  return {
    pages: typeof tree.urlset === 'object' ? locations(tree.urlset.url) : [],
    sitemaps: typeof tree.sitemapindex === 'object' ? locations(tree.sitemapindex.sitemap) : [],
  };
}
