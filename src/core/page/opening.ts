import { defaultTreeAdapter, parse, type DefaultTreeAdapterTypes as Tree } from 'parse5';

/** What the start of a page tells: its title and the body's own attributes. Enough to know every handle but the path. */
export interface PageOpening {
  title: string;
  /** Attributes of `body`, in the order of the source. */
  body: ReadonlyMap<string, string>;
}

/** Thrown by the adapter below to stop the parser; never leaves this file. */
const bodyReached = Symbol('body reached');

/**
 * Reads a page as far as its `body` tag, as a browser would find it, and no further: opening ten thousand pages this way
 * costs a small part of parsing them. A page that holds a second `<body` or a late `<html` is parsed whole, since the
 * HTML Standard merges the attributes of a second body tag into the first (13.2.6.4.7, "A start tag whose tag name is body").
 */
export function readOpening(html: string): PageOpening {
  const bodyTag = /<body[\s>/]/gi;
  bodyTag.test(html);
  const second = bodyTag.test(html);
  return second ? openingOf(parse(html)) : openingOf(parseToBody(html));
}

function parseToBody(html: string): Tree.Document {
  let document: Tree.Document | undefined;
  const treeAdapter = {
    ...defaultTreeAdapter,
    createDocument: () => (document = defaultTreeAdapter.createDocument()),
    onItemPush: (element: Tree.Element) => {
      if (element.tagName === 'body') throw bodyReached;
    },
  };
  try {
    return parse(html, { treeAdapter });
  } catch (thrown) {
    if (thrown !== bodyReached || document === undefined) throw thrown;
    return document;
  }
}

function openingOf(document: Tree.Document): PageOpening {
  const root = document.childNodes.find((node): node is Tree.Element => node.nodeName === 'html');
  const child = (parent: Tree.Element | undefined, name: string) =>
    parent?.childNodes.find((node): node is Tree.Element => node.nodeName === name);
  const title = child(child(root, 'head'), 'title');
  const text = title?.childNodes.map((node) => ('value' in node ? node.value : '')).join('') ?? '';
  const attributes = child(root, 'body')?.attrs ?? [];
  return {
    title: text.replace(/\s+/g, ' ').trim(),
    body: new Map(attributes.map((attribute) => [attribute.name, attribute.value])),
  };
}
