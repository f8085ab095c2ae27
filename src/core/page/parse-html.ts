import { defaultTreeAdapter, parse, type DefaultTreeAdapterTypes as Tree, type ParserOptions } from 'parse5';

/** How deep elements may be inside of one another; Chromium's parser makes those below siblings of the deepest. */
const mostDepth = 512;

type Placed = (Tree.ParentNode | Tree.ChildNode) & { depth?: number };

const place = (node: Tree.ChildNode, parent: Placed): void => {
  if ('tagName' in node) (node as Placed).depth = (parent.depth ?? 0) + 1;
};

/** parse5's own tree, as deep as Chromium's at most. */
export const treeAdapter: typeof defaultTreeAdapter = {
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

/** Parses a document by the HTML Standard. Never throws: browsers accept any HTML. */
export const parseHtml = (
  html: string,
  options: Omit<ParserOptions<Tree.DefaultTreeAdapterMap>, 'treeAdapter'> = {},
): Tree.Document => parse(html, { ...options, treeAdapter });
