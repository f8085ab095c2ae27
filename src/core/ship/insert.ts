import { parse, type DefaultTreeAdapterTypes as Tree } from 'parse5';

/**
 * A page with a text inserted where the build loads: at the end of its head or body. All other bytes stay the same;
 * omitted tags are taken into account.
 */
export function insertInto(html: string, text: string, place: 'head-end' | 'body-end'): string {
  const at = insertionPoint(html, place);
  return html.slice(0, at) + text + html.slice(at);
}

/** Where in a page's source the build goes. */
export function insertionPoint(html: string, place: 'head-end' | 'body-end'): number {
  const root = parse(html, { sourceCodeLocationInfo: true });
  const top = root.childNodes.find((node): node is Tree.Element => 'tagName' in node && node.tagName === 'html');
  const part = (name: string) =>
    top?.childNodes.find((node): node is Tree.Element => 'tagName' in node && node.tagName === name);
  const [head, body] = [part('head'), part('body')];
  const bodyEnd = body?.sourceCodeLocation?.endTag?.startOffset ?? html.length;
  const headEnd =
    head?.sourceCodeLocation?.endTag?.startOffset ??
    body?.sourceCodeLocation?.startTag?.startOffset ??
    lastOf(head) ??
    top?.sourceCodeLocation?.startTag?.endOffset ??
    root.childNodes.find(({ nodeName }) => nodeName === '#documentType')?.sourceCodeLocation?.endOffset ??
    0;
  return place === 'head-end' ? headEnd : bodyEnd;
}

/** Where the last thing in a head without tags of its own ends. */
const lastOf = (head: Tree.Element | undefined) => head?.childNodes.at(-1)?.sourceCodeLocation?.endOffset;
