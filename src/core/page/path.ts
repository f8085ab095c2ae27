import { BoundedMap } from '../bounded-map.js';
import { URLPattern } from 'urlpattern-polyfill';

/** How a site's addresses become paths. */
export interface PathOptions {
  /** An ending that addresses of pages may carry or not, such as `.html`. */
  dropExtension?: string;
  /** Query parameters that tell pages apart; they stay part of the path, in this order. */
  queryKeys?: string[];
}

const base = 'http://site.invalid';

/**
 * The path of an address: one for `/about`, `/about/`, `/about/index.html`, with or without query and fragment.
 * Percent-encoding is that of the URL Standard (https://url.spec.whatwg.org/#path-percent-encode-set), with unreserved
 * characters decoded. Throws TypeError if the text is no URL.
 */
export function normalisePath(address: string, options: PathOptions = {}): string {
  const rooted = /^[a-z][a-z0-9+.-]*:/i.test(address) ? address : base + '/' + address.replace(/^[/\\]+/, '');
  const url = new URL(rooted);
  let path = url.pathname
    .replace(/%([0-9a-f]{2})/gi, (escape, hex: string) => {
      const character = String.fromCharCode(parseInt(hex, 16));
      return /[A-Za-z0-9._~-]/.test(character) ? character : escape.toUpperCase();
    })
    .replace(/\/index\.html?$/, '/');
  if (options.dropExtension && path.endsWith(options.dropExtension))
    path = path.slice(0, -options.dropExtension.length);
  if (path.length > 1) path = path.replace(/\/+$/, '') || '/';
  return path + keptQuery(url.searchParams, options.queryKeys);
}

function keptQuery(query: URLSearchParams, keys: string[] = []): string {
  const kept = keys.flatMap((key) => query.getAll(key).map((value): [string, string] => [key, value]));
  return kept.length > 0 ? '?' + new URLSearchParams(kept).toString() : '';
}

/** Whether the text of a `path("…")` condition is a pattern rather than one literal path. */
export function isPathPattern(text: string): boolean {
  return /[*{(]|:[\p{ID_Start}$_]/u.test(text);
}

/**
 * A test for normalised paths by WHATWG URL Pattern path syntax (https://urlpattern.spec.whatwg.org/#pattern-strings).
 * Throws TypeError if the pattern is invalid.
 */
export function pathPattern(text: string): (path: string) => boolean {
  let test = patternsKnown.get(text);
  if (!test) {
    const pattern = new URLPattern({ pathname: text });
    test = (path) => pattern.test({ pathname: path.replace(/\?.*$/, '') });
    patternsKnown.set(text, test);
  }
  return test;
}

const patternsKnown = new BoundedMap<string, (path: string) => boolean>(5000);

/** A test of paths or absolute addresses by a path, an address or a pattern of these. Throws TypeError if it is invalid. */
export function addressPattern(text: string): (given: string) => boolean {
  if (text.startsWith('/')) {
    const test = isPathPattern(text) ? pathPattern(text) : (path: string) => path === text;
    return (given) => given.startsWith('/') && test(given);
  }
  const pattern = new URLPattern(text);
  return (given) => URL.canParse(given) && pattern.test(given);
}

/**
 * A beginning that every path has which fulfils a pattern: its plain characters up to the first group. A slash before a
 * group may belong to it (`/x/:name?` fits `/x`), so that it ends before that; a dot segment takes away what is before it.
 */
export const literalBeginning = (pattern: string) =>
  /[^\w-]\.|%2e/i.test(pattern) ? '' : (/^[\w/~!$&',;=@.-]*/.exec(pattern)?.[0] ?? '').replace(/\/$/, '');
