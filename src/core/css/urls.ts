import { readUrl } from './strings.js';
import parseValue, { type Node } from 'postcss-value-parser';

/** Whether a value may name a file at all; most do not, and need no parser. */
const mayNameFile = (value: string) => /(url|image-set|src)\(/i.test(value);

/** An address that needs no file: a part of the page itself, or the file's own content. */
const needsNoFile = (url: string) => url === '' || url.startsWith('#') || /^data:/i.test(url);

/**
 * Calls back for each address in a value: `url(…)`, `src("…")` and the strings of `image-set(…)` (CSS Values 4, 4.5; CSS
 * Images 4, 5). What it returns takes its place; `null` leaves it as it is.
 */
function eachUrl(value: string, change: (url: string, offset: number) => string | null): string {
  const parsed = parseValue(value);
  const visit = (nodes: Node[], inSet: boolean) => {
    for (const node of nodes) {
      if (node.type === 'string' && inSet && !needsNoFile(node.value)) {
        const by = change(readUrl(node.value, true), node.sourceIndex);
        if (by !== null) node.value = quotable(by, node.quote);
      }
      if (node.type !== 'function') continue;
      const name = node.value.toLowerCase();
      const [inner] = node.nodes;
      if ((name === 'url' || name === 'src') && (inner?.type === 'word' || inner?.type === 'string')) {
        if (needsNoFile(inner.value)) continue;
        const by = change(readUrl(inner.value, inner.type === 'string'), node.sourceIndex);
        if (by !== null) node.nodes = [{ ...inner, type: 'string', quote: '"', value: quotable(by, '"') }];
      } else visit(node.nodes, /^(-webkit-)?image-set$/.test(name));
    }
  };
  visit(parsed.nodes, false);
  return parsed.toString();
}

/** An address as it can be between quotes. */
const quotable = (url: string, quote: string) => url.split(quote).join(quote === '"' ? '%22' : '%27');

/** The addresses that a value names, with where each begins in it. */
export function urlsOf(value: string): { url: string; offset: number }[] {
  const found: { url: string; offset: number }[] = [];
  if (mayNameFile(value)) eachUrl(value, (url, offset) => (found.push({ url, offset }), null));
  return found;
}

/** A value with other addresses in it; `rename` gives null for those that stay. */
export const withUrls = (value: string, rename: (url: string) => string | null) =>
  mayNameFile(value) ? eachUrl(value, rename) : value;
