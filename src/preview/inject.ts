import escapeHtml from 'escape-html';
import MagicString from 'magic-string';
import type { DefaultTreeAdapterTypes as Tree } from 'parse5';
import { parseHtml } from '../core/page/parse-html.js';
import { isOfBuild } from '../core/page/earlier-build.js';
import { insertionPoint } from '../core/ship/insert.js';
import { sheetMark } from '../core/page/build-comments.js';
import { isMetaPolicy } from '../core/deployment/policy.js';
import { attribute, elementsIn } from '../core/page/document.js';
import { relaxed, type Allowed } from './relax-policy.js';
import type { Medium } from '../core/css/cascade/media.js';
import type { PageState } from '../core/page/state.js';
import { ownFolder } from './protocol.js';

/** How a page is injected for the preview. */
export interface Injection {
  place: 'head-end' | 'body-end';
  hasScript: boolean;
  version: number;
  allowed: Allowed;
  /** Without what ships: the page as it is without rules. */
  isBare?: boolean;
  /** What the page is looked at as: a state, a medium. */
  change?: PageState | null;
  medium?: Medium | null;
}

/**
 * A page as the preview shows it: without an earlier build, with what ships now where a build would put it, and with the
 * script that brings the panel. Elements that rules reach stay as they are.
 */
export function injected(html: string, injection: Injection): string {
  const { place, hasScript, version, allowed, isBare = false, change = null, medium = null } = injection;
  const text = new MagicString(html);
  const root = parseHtml(html, { sourceCodeLocationInfo: true });
  const nonce = `nonce="${allowed.nonce}"`;
  for (const element of elementsIn(root, 'style', 'script', 'link', 'base', 'meta')) {
    const at = element.sourceCodeLocation;
    if (!at) continue;
    if (isOfBuild(element)) text.remove(at.startOffset, at.endOffset);
    else if (element.tagName === 'meta') relaxMeta(text, element, allowed);
    else if (allowed.site) bringHome(text, html, element, allowed.site);
  }
  // As XHTML has it too.
  const link = `<link rel="stylesheet" ${sheetMark}="" href="${ownFolder}local-needle.css?${version}" />`;
  const script = hasScript ? `<script src="${ownFolder}local-needle.js?${version}" ${nonce}></script>` : '';
  const data = (name: string, value: string | null) => (value === null ? '' : ` data-${name}="${escapeHtml(value)}"`);
  const looked = data('change', change && JSON.stringify(change)) + data('medium', medium && JSON.stringify(medium));
  const origins = `${data('panel', allowed.panel)}${data('site', allowed.site ?? '')}${looked}`;
  const panel = `<script src="${ownFolder}page.js" ${nonce}${origins} defer=""></script>`;
  if (!isBare) text.appendLeft(insertionPoint(html, place), link + script);
  text.appendLeft(insertionPoint(html, 'head-end'), panel);
  return text.toString();
}

function relaxMeta(text: MagicString, meta: Tree.Element, allowed: Allowed): void {
  const at = meta.sourceCodeLocation?.attrs?.['content'];
  if (!at || !isMetaPolicy(meta)) return;
  const policy = relaxed(attribute(meta, 'content') ?? '', allowed);
  text.overwrite(at.startOffset, at.endOffset, `content="${escapeHtml(policy)}"`);
}

/** Has scripts, stylesheets and the base of links come through the preview where the page names its own site in full. */
function bringHome(text: MagicString, html: string, element: Tree.Element, site: string): void {
  const name = element.tagName === 'script' ? 'src' : 'href';
  const at = element.sourceCodeLocation?.attrs?.[name];
  const value = attribute(element, name)?.trim();
  if (!at || value === undefined || !/^(https?:)?\/\//i.test(value) || !URL.canParse(value, site)) return;
  const url = new URL(value, site);
  if (url.host !== new URL(site).host || html.slice(at.startOffset, at.endOffset) === '') return;
  text.overwrite(at.startOffset, at.endOffset, `${name}="${escapeHtml(url.pathname + url.search + url.hash)}"`);
}
