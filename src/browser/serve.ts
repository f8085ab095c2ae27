import mime from 'mime';
import type { Route } from 'playwright-core';
import type { Bundle } from '../core/ship/bundle.js';
import { insertInto } from '../core/ship/insert.js';
import type { CheckInput } from '../core/check/input.js';
import { withoutBuild } from '../core/css/cascade/page-sheets.js';
import { anyBegin } from '../core/page/build-comments.js';
import { withoutEarlierBuild } from '../core/page/earlier-build.js';
import type { View } from '../core/page/view.js';

/** What a page in Chromium may load beside itself. */
export interface BrowserSource {
  /** The bytes at an address; null: ask the site itself, if it has an address, else nothing is there. */
  file: (address: string) => { body: Buffer; type: string } | null;
  /** Whether requests may go to the running site. */
  live: boolean;
  /** Headers for the site's own host, by visitor. */
  headers: (visitor: string | null) => Record<string, string>;
  /** Whether the page's own scripts run. */
  scripts: boolean;
}

/** Where the build is served from while pages are judged. */
const buildPath = '/local-needle-build/';

/** A page with the build in it instead of an earlier one, and a layer before all others for probes. */
export function withBuild(source: string, bundle: Bundle, place: CheckInput['place']): string {
  const { html } = withoutEarlierBuild(source);
  const script = bundle.js === null ? '' : `<script src="${buildPath}local-needle.js"></script>`;
  const first = `<style id="local-needle-first">@layer local-needle-probe { }</style>`;
  const built = insertInto(
    html,
    `<link rel="stylesheet" id="local-needle-build" href="${buildPath}local-needle.css">${script}`,
    place,
  );
  // The first of all layers: its important declarations win over those of every other layer.
  return insertInto(built, first, 'head-start');
}

/** Where the answers to a page's requests come from. */
export interface Answering {
  address: string;
  html: string;
  bundle: Bundle;
  source: BrowserSource;
  view: View;
  headers: Record<string, string>;
}

/** Answers a request of a page: from what was captured, the build, and what the source gives. */
export async function answer(route: Route, { address, html, bundle, source, view, headers }: Answering): Promise<void> {
  const request = route.request();
  const url = new URL(request.url());
  if (request.method() !== 'GET') return route.abort();
  if (url.pathname.startsWith(buildPath)) {
    const name = url.pathname.slice(buildPath.length);
    if (name === 'local-needle.css') return route.fulfill({ contentType: 'text/css', body: bundle.css.text });
    if (name === 'local-needle.js')
      return route.fulfill({ contentType: 'text/javascript', body: bundle.js?.text ?? '' });
    const bytes = bundle.files.get(name);
    // Without a type Chromium shows no SVG.
    const contentType = mime.getType(name) ?? 'application/octet-stream';
    return bytes ? route.fulfill({ contentType, body: Buffer.from(bytes) }) : route.fulfill({ status: 404, body: '' });
  }
  if (request.isNavigationRequest() && request.frame().parentFrame() === null)
    return request.url() === address
      ? route.fulfill({ contentType: 'text/html; charset=utf-8', body: html })
      : route.abort();
  const type = request.resourceType();
  if (!source.scripts && type === 'script') return route.abort();
  const style = type === 'stylesheet' ? view.style(url.href) : null;
  if (style) return route.fulfill({ contentType: 'text/css; charset=utf-8', body: withoutBuild(style.text) });
  const file = source.file(url.href);
  if (file) return route.fulfill({ contentType: file.type, body: withoutBuildIn(file.body) });
  if (!source.live) return route.fulfill({ status: 404, body: '' });
  const own = url.origin === new URL(address).origin;
  return passOn(route, own ? { ...request.headers(), ...headers } : request.headers());
}

/** Lets a request go to the running site; the content of an earlier build is removed from stylesheets and scripts. */
export async function passOn(route: Route, headers: Record<string, string>): Promise<void> {
  if (!/^(stylesheet|script)$/.test(route.request().resourceType())) return route.continue({ headers });
  try {
    const response = await route.fetch({ headers });
    return await route.fulfill({ response, body: withoutBuildIn(await response.body()) });
  } catch {
    return route.abort();
  }
}

/** A stylesheet or script without the content of an earlier build; lines stay where they were. */
function withoutBuildIn(body: Buffer): Buffer {
  return body.includes(anyBegin) ? Buffer.from(withoutBuild(body.toString('utf8'))) : body;
}
