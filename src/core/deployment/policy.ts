import parsePolicy from 'content-security-policy-parser';
import type { DefaultTreeAdapterTypes as Tree } from 'parse5';
import { attribute, elementsIn, type Element } from '../page/document.js';

/** A request or inline element that a Content-Security-Policy can forbid. */
export interface Asked {
  kind: 'style' | 'script' | 'img';
  /** Absolute; null for what is in the page itself. */
  address: string | null;
  /** The `nonce` of its element. */
  nonce?: string;
}

/** Whether this is inline code. */
export const isMetaPolicy = (element: Element) =>
  element.tagName === 'meta' && /^content-security-policy$/i.test(attribute(element, 'http-equiv') ?? '');

/** The policies of a page, one by one: those of its header (commas between them), and those in it. */
export function policiesOf(header: string | null, root: Tree.ParentNode): string[] {
  const metas = elementsIn(root, 'meta').filter(isMetaPolicy);
  const own = metas.map((meta) => attribute(meta, 'content') ?? '');
  return [...(header?.split(',') ?? []), ...own].filter((each) => each.trim() !== '');
}

/** The directives that decide, nearest first (CSP Level 3, 6.8.3). */
const directives = {
  style: ['style-src-elem', 'style-src', 'default-src'],
  script: ['script-src-elem', 'script-src', 'default-src'],
  img: ['img-src', 'default-src'],
};

/** The directive that forbids a request, as written; null if it is allowed. `own`: the page's address. */
export function forbiddenBy(policy: string, asked: Asked, own: string): string | null {
  const parsed = parsePolicy(policy);
  const name = directives[asked.kind].find((each) => parsed.has(each));
  if (name === undefined) return null;
  const sources = parsed.get(name) ?? [];
  return allows(name, sources, asked, own) ? null : `${name} ${sources.join(' ')}`.trim();
}

/** Whether a policy keeps scripts from writing HTML (Trusted Types). */
export const forbidsHtml = (policy: string) =>
  (parsePolicy(policy).get('require-trusted-types-for') ?? []).some((each) => each.toLowerCase() === "'script'");

function allows(directive: string, sources: string[], { kind, address, nonce }: Asked, own: string): boolean {
  const words = sources.map((each) => each.toLowerCase());
  const trusted = nonce !== undefined && nonce !== '' && sources.includes(`'nonce-${nonce}'`);
  if (trusted) return true;
  const hasDynamic = words.includes("'strict-dynamic'");
  const dynamic = kind === 'script' && hasDynamic;
  // 6.7.3.2: with a nonce or a hash in the list, 'unsafe-inline' counts for nothing.
  // In default-src Chromium lets it count for styles too, but for addresses.
  const isShared = hasDynamic && directive === 'default-src';
  const strict = words.some((each) => /^'(nonce-|sha\d+-)/.test(each)) || dynamic || isShared;
  if (address === null) return words.includes("'unsafe-inline'") && !strict;
  if (dynamic) return false;
  return sources.some((source) => matchesSource(source, new URL(address), new URL(own)));
}

/** Whether an address matches a source of a list (CSP Level 3, 6.7.2.8). */
function matchesSource(source: string, url: URL, own: URL): boolean {
  const isUpgrade = (scheme: string) => scheme === url.protocol || (scheme === 'http:' && url.protocol === 'https:');
  if (source === '*') return /^https?:$/.test(url.protocol) || url.protocol === own.protocol;
  if (source.toLowerCase() === "'self'")
    // Each scheme has its own default port (6.7.2.8, step 4.2).
    return url.hostname === own.hostname && isUpgrade(own.protocol) && url.port === own.port;
  if (/^[a-z][a-z0-9+.-]*:$/i.test(source)) return isUpgrade(source.toLowerCase());
  const [, scheme, host = '', port, path = ''] =
    /^(?:([a-z][a-z0-9+.-]*):\/\/)?([^/:']+)(?::(\d+|\*))?(\/[^?#]*)?$/i.exec(source) ?? [];
  if (host === '') return false;
  if (!isUpgrade(scheme ? `${scheme.toLowerCase()}:` : own.protocol)) return false;
  const wanted = host.toLowerCase();
  if (wanted !== '*' && (wanted.startsWith('*.') ? !url.hostname.endsWith(wanted.slice(1)) : url.hostname !== wanted))
    return false;
  // From http to https browsers go only where the port may change too.
  const upgrades = (scheme ? `${scheme.toLowerCase()}:` : own.protocol) !== url.protocol;
  const given = upgrades && port === '80' ? '443' : port;
  if (upgrades && port !== undefined && port !== '*' && port !== '80') return false;
  if (given === undefined ? url.port !== '' : given !== '*' && (url.port || defaultPort(url)) !== given) return false;
  return path === '' || (path.endsWith('/') ? url.pathname.startsWith(path) : url.pathname === path);
}

const defaultPort = ({ protocol }: URL) => (protocol === 'https:' ? '443' : '80');
