import type { DefaultTreeAdapterTypes as Tree } from 'parse5';
import { parseHtml } from '../page/parse-html.js';

/** Where in a page something is inserted. */
type Place = 'head-start' | 'head-end' | 'body-end';

/**
 * A page with a text inserted, where the build loads (at the end of its head or body) or at the start of its head. All
 * other bytes stay the same; omitted tags are taken into account.
 */
export function insertInto(html: string, text: string, place: Place): string {
  if (text === '') return html;
  const at = insertionPoint(html, place);
  return html.slice(0, at) + text + html.slice(at);
}

/** The offset of a place in a page's source. */
export function insertionPoint(html: string, place: Place): number {
  const root = parseHtml(html, { sourceCodeLocationInfo: true });
  const top = root.childNodes.find((node): node is Tree.Element => 'tagName' in node && node.tagName === 'html');
  const part = (name: string) =>
    top?.childNodes.find((node): node is Tree.Element => 'tagName' in node && node.tagName === name);
  const [head, body] = [part('head'), part('body')];
  const bodyEnd = body?.sourceCodeLocation?.endTag?.startOffset ?? html.length;
  const beforeHead =
    top?.sourceCodeLocation?.startTag?.endOffset ??
    root.childNodes.find(({ nodeName }) => nodeName === '#documentType')?.sourceCodeLocation?.endOffset ??
    0;
  const headStart = head?.sourceCodeLocation?.startTag?.endOffset ?? beforeHead;
  const headEnd =
    head?.sourceCodeLocation?.endTag?.startOffset ??
    body?.sourceCodeLocation?.startTag?.startOffset ??
    lastOf(head) ??
    beforeHead;
  return { 'head-start': headStart, 'head-end': headEnd, 'body-end': bodyEnd }[place];
}

/** Where the last thing in a head without tags of its own ends. */
const lastOf = (head: Tree.Element | undefined) => head?.childNodes.at(-1)?.sourceCodeLocation?.endOffset;
