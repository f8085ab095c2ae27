import { serialize } from 'parse5';
import { IsOptional } from 'class-validator';
import { Declaration } from 'postcss';
import { swapContent } from '../css/swap-content.js';
import { attribute, type Element } from '../page/document.js';
import { textOf } from '../page/query.js';
import type { FileUse, SwapAction } from './action.js';
import { looksAhead, probeOf } from './css.js';
import { fileName, quotedText } from './descriptors.js';
import { judgedByEffect } from './judgement.js';
import type { ActionKind } from './kind.js';
import { unquote, valueOffset, type ActionReader, type GivenAtRule } from './reading.js';
import { swapFindings } from './swap-findings.js';

/** The descriptors of `@swap S { … }`, as written. */
export class SwapDescriptors {
  @IsOptional() @fileName image?: string;
  @IsOptional() @quotedText('write alt: "What the picture shows";') alt?: string;
  @IsOptional() @quotedText('write text: "The new words";') text?: string;
  @IsOptional() @fileName html?: string;
}

function read({ node, params, offset, on }: GivenAtRule, reader: ActionReader): SwapAction[] {
  const { values, nodes, faulty } = reader.descriptors(node, SwapDescriptors);
  const { image, alt, text, html } = values;
  const selectors = reader.selectors(node, params, offset);
  const given = [image, text, html].filter((each) => each !== undefined).length;
  if (given > 1 || (alt !== undefined && (text ?? html) !== undefined))
    reader.problem(node, 0, '@swap takes one of image (with alt), text or html', 'Write one @swap for each.');
  else if (given === 0 && alt === undefined && !faulty)
    reader.problem(node, 0, '@swap has no new content', 'Add image: url("…");, text: "…"; or html: url("…");');
  if (!selectors) return [];
  const file = (key: keyof SwapDescriptors): FileUse | null => {
    const [value, declaration] = [values[key], nodes.get(key)];
    return value === undefined || !declaration
      ? null
      : reader.fileUse(declaration, value, valueOffset(declaration), key === 'html');
  };
  return [
    {
      kind: 'swap',
      selector: selectors.map((each) => each.text).join(', '),
      selectors,
      at: reader.place(node, offset),
      source: node.source,
      ...{ on, within: [], files: [] },
      image: file('image'),
      alt: alt === undefined ? null : unquote(alt),
      text: text === undefined ? null : unquote(text),
      html: file('html'),
    },
  ];
}

const htmlOf = ({ html }: SwapAction) => (html?.content ? new TextDecoder().decode(html.content).trim() : null);

/** Whether a swap changes the content. */
function changes(action: SwapAction, element: Element): boolean {
  const { image, alt, text } = action;
  if (alt !== null && attribute(element, 'alt') !== alt) return true;
  // A file of the project ships under a unique name.
  if (image) return image.path !== null || attribute(element, 'src') !== image.url;
  if (text !== null) return textOf(element) !== text || element.childNodes.some((node) => 'tagName' in node);
  const html = htmlOf(action);
  return html !== null && serialize(element).trim() !== html;
}

/** Puts other content into elements; a picture shows by CSS at once, and the script sets the rest. */
export const swap: ActionKind<SwapAction> = {
  atRule: {
    name: 'swap',
    describes: 'Other content: @swap .logo img { image: url("…"); alt: "…"; } or { text: "…"; } or { html: url("…"); }',
    block: 'needed',
    descriptors: ['image', 'alt', 'text', 'html'],
    read,
  },
  reaches: 'own-pages',
  scope: 'conditions',
  written: () => [],
  css: ({ image, alt }, served) =>
    image && swapContent(served(image), alt).map((value) => new Declaration({ prop: 'content', value })),
  narrowed: (_action, selector) => selector,
  task: (action, selectors, served) => ({
    selector: selectors.join(', '),
    image: action.image ? served(action.image) : undefined,
    alt: action.alt ?? undefined,
    text: action.text ?? undefined,
    html: htmlOf(action) ?? undefined,
    looksAhead: looksAhead(selectors) || undefined,
  }),
  needsScript: ({ image }) => image === null,
  loads: ({ image, html }) => [
    ...(image ? [{ kind: 'img' as const, address: image.path === null ? image.url : null, shown: image.url }] : []),
    ...(html ? [{ kind: 'html' as const }] : []),
  ],
  elements: null,
  isMissing: (_matched, elements) => elements === 0,
  judge: (compiled, action, elements) =>
    judgedByEffect(compiled, elements, { changes: elements.some((element) => changes(action, element)) }),
  findings: (action, rule, elements, look) => swapFindings(rule, action, elements, look),
  outweighsUnseen: false,
  mayHide: ({ text, html }) => text !== null || html !== null,
  flashes: ({ text, html, selectors }) =>
    text !== null || html !== null
      ? 'local-needle.js replaces its content once the browser has read the whole element'
      : looksAhead(selectors.map((each) => each.text))
        ? 'its selector matches only once the browser has read what follows the element'
        : null,
  replacesContent: ({ text, html }) => text !== null || html !== null,
  probe: (action) =>
    probeOf('content', {
      image: action.image && (action.image.path ?? action.image.url),
      text: action.text,
      html: htmlOf(action),
    }),
};
