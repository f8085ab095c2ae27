import { scanTags, type TagReader } from './tag-scanner.js';

/**
 * What a page is made of: chains of tags and classes below `body`, `main>article.post`, each with its share of the page.
 * A number for each chain, followed by its share in ten-thousandths; the largest first.
 */
export type Skeleton = readonly number[];

/** Maximum depth of a chain, and number of chains of a page: what lies deeper is contents. */
const mostDepth = 7;
const mostChains = 48;
/** An element without a class is rather contents than frame; its weight beside one that has a class. */
const plainWeight = 0.3;

/** Elements without an end tag (HTML Standard 13.1.2, void elements). */
const voids = new Set(
  'area base br col embed hr img input link meta param source track wbr body html head frame'.split(' '),
);
/** Elements whose tags are not the page's, or that are no part of what is seen. */
const skipped = new Set(['script', 'style', 'textarea', 'title', 'template', 'noscript', 'svg', 'iframe']);
const unseen = new Set(['html', 'head', 'body', 'meta', 'link', 'base']);
/** Elements that an open element of this name ends at, where its end tag is left out (13.1.2.4). */
const endedBy = new Map(
  Object.entries({
    p: new Set(
      'address article aside blockquote details div dl fieldset figure footer form h1 h2 h3 h4 h5 h6 header hr main nav ol p pre section table ul'.split(
        ' ',
      ),
    ),
    li: new Set(['li']),
    dt: new Set(['dt', 'dd']),
    dd: new Set(['dt', 'dd']),
    tr: new Set(['tr', 'tbody', 'tfoot']),
    td: new Set(['td', 'th', 'tr']),
    th: new Set(['td', 'th', 'tr']),
    option: new Set(['option', 'optgroup']),
  }),
);

interface Node {
  hash: number;
  isPlain: boolean;
  inner: Map<string, Node> | null;
}

/** Reads the skeleton of a page's source without parsing it. Takes about as long as reading its tags. */
export function readSkeleton(html: string): Skeleton {
  const reader = skeletonReader(html);
  scanTags(html, reader);
  return reader.read();
}

/** Gathers the skeleton from the tags of a page's source. */
export function skeletonReader(html: string): TagReader & { read: () => Skeleton } {
  const root: Node = { hash: 0x811c9dc5, isPlain: false, inner: null };
  // The open elements; those above `depth` are closed.
  const tags = ['body'];
  const nodes: (Node | null)[] = [root];
  let depth = 0;
  const names = new Map<string, string>();
  // The tag that a skipped element ends with, and where the last comment ends.
  let [skippedTag, commentEnd]: [string | null, number] = [null, 0];
  const isAt = (tag: string, start: number, end: number) => end - start === tag.length && html.startsWith(tag, start);
  return {
    comment: (end) => {
      if (skippedTag === null) commentEnd = Math.max(commentEnd, end);
    },
    start(tag, classes, _id, at) {
      if (skippedTag !== null || at < commentEnd || unseen.has(tag)) return;
      if (skipped.has(tag)) {
        skippedTag = tag;
        return;
      }
      while (endedBy.get(tags[depth] ?? '')?.has(tag)) depth--;
      const parent = depth < mostDepth ? (nodes[depth] ?? null) : null;
      const node = parent && innerNode(parent, tag, classes === null ? '' : nameOf(classes, names));
      if (voids.has(tag)) return;
      depth++;
      tags[depth] = tag;
      nodes[depth] = node;
    },
    end(start, end) {
      if (start < commentEnd) return;
      if (skippedTag !== null) {
        if (isAt(skippedTag, start, end) || html.slice(start, end).toLowerCase() === skippedTag) skippedTag = null;
        return;
      }
      // Most end tags are those of the innermost element.
      if (depth > 0 && isAt(tags[depth] ?? '', start, end)) depth--;
      else {
        const open = tags.lastIndexOf(html.slice(start, end).toLowerCase(), depth);
        if (open > 0) depth = open - 1;
      }
    },
    read: () => largest(root),
  };
}

/** Classes in one order, each once; their numbers do not count: `item-12` and `item-7` are the same. */
function nameOf(classes: string, known: Map<string, string>): string {
  let name = known.get(classes);
  if (name === undefined) {
    const own = classes.split(/[\t\n\f\r ]+/).flatMap((each) => each.replace(/\d+/g, '0') || []);
    known.set(classes, (name = [...new Set(own)].sort().join('.')));
  }
  return name;
}

function innerNode(parent: Node, tag: string, classes: string): Node {
  const name = `${tag}.${classes}`;
  parent.inner ??= new Map();
  let node = parent.inner.get(name);
  if (!node) {
    // FNV-1a, 32 bits.
    let hash = parent.hash ^ 62;
    for (let at = 0; at < name.length; at++) hash = Math.imul(hash ^ name.charCodeAt(at), 0x01000193);
    parent.inner.set(name, (node = { hash: hash >>> 0, isPlain: classes === '', inner: null }));
  }
  return node;
}

/** The chains with the largest shares: elements inside one share what it has, so that each depth adds up to the whole. */
function largest(root: Node): Skeleton {
  const chains: [hash: number, share: number][] = [];
  const weight = ({ isPlain }: Node) => (isPlain ? plainWeight : 1);
  const visit = ({ inner }: Node, share: number) => {
    if (!inner) return;
    let total = 0;
    for (const node of inner.values()) total += weight(node);
    for (const node of inner.values()) {
      const own = (share * weight(node)) / total;
      chains.push([node.hash, Math.round(own * 10_000)]);
      visit(node, own);
    }
  };
  visit(root, 1);
  return chains
    .filter(([, share]) => share > 0)
    .sort(([one, a], [other, b]) => b - a || one - other)
    .slice(0, mostChains)
    .flat();
}
