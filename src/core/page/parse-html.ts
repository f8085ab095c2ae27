import { readRuns } from './tokenizer-runs.js';
import { defaultTreeAdapter, Parser, type DefaultTreeAdapterTypes as Tree, type ParserOptions } from 'parse5';

/** How deep elements may be inside of one another; Chromium's parser makes those below siblings of the deepest. */
const mostDepth = 512;

type Placed = (Tree.ParentNode | Tree.ChildNode) & { depth?: number };

const place = (node: Tree.ChildNode, parent: Placed): void => {
  if ('tagName' in node) (node as Placed).depth = (parent.depth ?? 0) + 1;
};

/** parse5's own tree, as deep as Chromium's at most. */
const treeAdapter: typeof defaultTreeAdapter = {
  ...defaultTreeAdapter,
  appendChild(given, node) {
    const isTooDeep = ((given as Placed).depth ?? 0) > mostDepth && 'tagName' in node;
    const parent = (isTooDeep && 'parentNode' in given && given.parentNode) || given;
    place(node, parent);
    defaultTreeAdapter.appendChild(parent, node);
  },
  insertBefore(parent, node, reference) {
    place(node, parent);
    defaultTreeAdapter.insertBefore(parent, node, reference);
  },
};

/** An element with the offset in the source at which it was made: that of the `>` of its start tag, if it has one. */
type Made = Tree.Element & { madeAt?: number; lines?: Lines };

/** The lines of the source on which a start tag begins and ends. */
export interface Lines {
  start: number;
  end: number;
}

/** The offset at which an element was made; 0 if that is not known. */
export const madeAt = (element: Made): number => element.madeAt ?? 0;

export function setMadeAt(element: Made, offset: number): void {
  element.madeAt = offset;
}

/** The lines of an element, if they were told with it. */
export const linesKnown = (element: Made): Lines | undefined => element.lines;

export function setLines(element: Made, lines: Lines): void {
  element.lines = lines;
}

/** Parses a document by the HTML Standard. Never throws: browsers accept any HTML. */
export function parseHtml(
  html: string,
  options: Omit<ParserOptions<Tree.DefaultTreeAdapterMap>, 'treeAdapter'> = {},
): Tree.Document {
  const parser: Parser<Tree.DefaultTreeAdapterMap> = new Parser({
    ...options,
    treeAdapter: {
      ...treeAdapter,
      createElement(tagName, namespace, attributes) {
        const element: Made = defaultTreeAdapter.createElement(tagName, namespace, attributes);
        // parse5's own source locations take half as long again.
        element.madeAt = parser.tokenizer.preprocessor.offset;
        return element;
      },
    },
  });
  if (!options.sourceCodeLocationInfo) readRuns(parser.tokenizer);
  parser.tokenizer.write(html, true);
  return parser.document;
}

/** The offsets of the start tag of an element, or of what implied it where it has none. */
export function startTagOf(element: Tree.Element, html: string): { start: number; end: number } {
  const end = madeAt(element);
  const tag = new RegExp(`<${element.tagName.replace(/[^\w-]/g, '\\$&')}(?:[\\s/](?:"[^"]*"|'[^']*'|[^'">])*)?>`, 'iy');
  // An attribute may hold what looks like the tag.
  for (let at = html.lastIndexOf('<', end); at >= 0 && at > end - mostTag; at = html.lastIndexOf('<', at - 1)) {
    tag.lastIndex = at;
    if (tag.test(html) && tag.lastIndex === end + 1) return { start: at, end: end + 1 };
    if (at === 0) break;
  }
  return { start: end, end };
}

/** Maximum length of a start tag whose beginning is looked for. */
const mostTag = 10_000;
