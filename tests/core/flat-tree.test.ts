import fc from 'fast-check';
import type { DefaultTreeAdapterTypes as Tree } from 'parse5';
import { documentOf, linesOf, readDocument } from '../../src/core/page/document.js';
import { flatten, unflatten, type FlatTree } from '../../src/core/page/flat-tree.js';
import { runsOf } from '../helpers.js';
import { mutated } from '../mutations.js';

const html = `<!doctype html><html lang="en"><head><title>A &amp; b</title></head>
<style
 media=all>p { color: red }</style>
<body class="page-1" style="margin: 0"><!-- piers --><table><tr><td>1<p title="é &#0; 𝒳">Ferries 🚢</table>
<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1 1"><use xlink:href="#x"/></svg><math><mi>x</mi></math>
<script>if (a < b) alert("é")</script><textarea>
 kept</textarea></body></html>`;

/** A tree without its parents and without what nothing reads of a doctype. */
const plain = (node: Tree.Node): unknown => ({
  name: node.nodeName,
  ...('mode' in node ? { mode: node.mode } : {}),
  ...('value' in node ? { text: node.value } : {}),
  ...('data' in node ? { text: node.data } : {}),
  ...('attrs' in node ? { attrs: node.attrs, of: node.namespaceURI } : {}),
  ...('childNodes' in node ? { children: node.childNodes.map(plain) } : {}),
});

/** What it is after it was kept in a file. */
function kept(html: string): { before: unknown; after: unknown } | null {
  const document = readDocument(html);
  const flat = flatten(document);
  if (!flat) return null;
  const again = documentOf(unflatten(flat), () => html);
  const told = ({ root, elements, quirks }: typeof document) => ({
    tree: plain(root),
    quirks,
    lines: elements.map((element) => linesOf({ ...document, source: () => html }, element)),
  });
  return { before: told(document), after: told(again) };
}

test.each([
  ['a page of all sorts', html],
  ['a page in quirks mode', '<p class=a>x'],
  ['a page in limited quirks mode', '<!doctype html public "-//W3C//DTD XHTML 1.0 Transitional//EN"><p>x'],
  ['an empty page', ''],
  ['1,000 elements in one another', '<b>'.repeat(1000)],
])('%s is the same after it was flat', (_what, page) => {
  const told = kept(page);
  expect(told?.after).toEqual(told?.before);
  expect(told).not.toBeNull();
});

test('broken pages are the same after they were flat', () => {
  let count = 0;
  fc.assert(
    fc.property(mutated(html), (page) => {
      const told = kept(page);
      if (told) count++;
      expect(told?.after).toEqual(told?.before);
    }),
    { numRuns: runsOf(200, 5000) },
  );
  expect(count).toBeGreaterThan(100);
});

test.each(['<template><p>x</p></template>', '<div><template shadowrootmode="open"><p>x</p></template></div>'])(
  '%s is not kept',
  (page) => expect(flatten(readDocument(page))).toBeNull(),
);

test.each<[string, (flat: FlatTree) => FlatTree]>([
  ['nodes', (flat) => ({ ...flat, nodes: flat.nodes.subarray(0, -1) })],
  ['texts', (flat) => ({ ...flat, texts: flat.texts.slice(0, -1) })],
  ['words', (flat) => ({ ...flat, words: flat.words.slice(0, 10) })],
])('a tree that lacks %s is told', (_what, damage) => {
  const flat = flatten(readDocument(html));
  if (!flat) throw new Error('It was not kept');
  expect(() => unflatten(damage(flat))).toThrow(RangeError);
});
