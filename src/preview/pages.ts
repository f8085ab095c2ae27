import { randomBytes } from 'node:crypto';
import fastify, { type FastifyInstance, type FastifyReply, type FastifyRequest } from 'fastify';
import mime from 'mime';
import { nearPath } from '../core/target/near-path.js';
import { readOpening } from '../core/page/opening.js';
import { makePage, type Page } from '../core/page/page.js';
import { normalisePath } from '../core/page/path.js';
import { pageAddress } from '../core/page/view.js';
import { forbiddenBy, policiesOf } from '../core/deployment/policy.js';
import { readDocument } from '../core/page/document.js';
import { clientFile } from './client-files.js';
import { injected } from './inject.js';
import { checkOrigin } from './origin-check.js';
import { relaxed, type Allowed } from './relax-policy.js';
import { passThrough, type Upstream } from './proxy.js';
import { ownFolder } from './protocol.js';
import { note, sendText } from './send.js';
import { passSockets } from './sockets.js';
import type { PreviewSession } from './session.js';

/** What was last sent at an address, for the panel there. */
export interface Seen {
  /** As the page came; null if it is as it was captured. */
  page: Page | null;
  notices: string[];
}

export interface PagesOptions {
  session: PreviewSession;
  /** The running site; null if there is none. */
  upstream: Upstream | null;
  /** The origin of panel and overview for pages of a host of this machine: on another, browsers keep storage from frames. */
  panel: (host?: string) => string;
  log: (text: string) => void;
  /** Without the rules. */
  isBare?: boolean;
}

/** Maximum number of addresses whose response is remembered. */
const mostSeen = 500;

/** The site with the rules applied: captured pages, or the running site passed through. */
export async function servePages(options: PagesOptions): Promise<{ app: FastifyInstance; seen: Map<string, Seen> }> {
  const { session, upstream, isBare = false } = options;
  const seen = new Map<string, Seen>();
  const app = fastify({ forceCloseConnections: true, bodyLimit: 64 * 1024 * 1024, exposeHeadRoutes: false });
  checkOrigin(app, null, () => ['127.0.0.1', 'localhost'].map((name) => options.panel(name)));
  app.setErrorHandler((error, request, reply) => {
    const { message, statusCode = 500 } = error as Error & { statusCode?: number };
    options.log(`${request.raw.url} could not be shown: ${message}`);
    return reply
      .code(statusCode)
      .type('text/html; charset=utf-8')
      .send(note('This page could not be shown', message, options.panel()));
  });
  // Forms and uploads are passed on unchanged.
  app.removeAllContentTypeParsers();
  app.addContentTypeParser('*', (_request, payload, done) => done(null, payload));
  app.get(`${ownFolder}*`, (request, reply) => ownFile(session, request, reply));
  const dressing = (request: FastifyRequest) => allowedFor(request, options);
  const show = (request: FastifyRequest, html: string, policy: string | null, captured: Page | null): string => {
    const address = request.raw.url ?? '/';
    if (seen.size >= mostSeen) seen.clear();
    const page = captured ?? makeSeenPage(session, `${upstream?.origin ?? ''}${address}`, html);
    seen.set(address, { page: captured ? null : page, notices: noticesOf(session, page, html, policy) });
    const { bundle, version, reading } = session;
    const { change, medium, input } = reading;
    const form = { place: input.place, hasScript: bundle.js !== null, version, isBare, change, medium };
    return injected(html, { ...form, allowed: dressing(request) });
  };
  const pass = upstream && (await passThrough(app, upstream, { ...options, show, allowed: dressing }));
  if (upstream?.live) passSockets(app, upstream, options.log);
  app.all('/*', (request, reply) => {
    const url = request.raw.url ?? '';
    if (!url.startsWith('/')) return reply.code(400).type('text/plain').send('This is not a valid path.\n');
    // It would go on answering for this port when the preview is long gone.
    if (request.headers['service-worker'] === 'script')
      return reply.code(404).type('text/plain').send('The preview runs no service workers.\n');
    if (upstream?.live && pass) return pass(request, reply);
    if (request.method !== 'GET' && request.method !== 'HEAD')
      return reply
        .code(405)
        .type('text/html; charset=utf-8')
        .send(note('Captured pages cannot submit forms', upstream ? 'Use local-needle preview --live.' : ''));
    return captured(request, reply, options, show) ?? (pass ? pass(request, reply) : notThere(url, reply, options));
  });
  return { app, seen };
}

/** Answers with a captured page or file; null if nothing was captured under this address. */
function captured(
  request: FastifyRequest,
  reply: FastifyReply,
  options: PagesOptions,
  show: (request: FastifyRequest, html: string, policy: string | null, captured: Page) => string,
): FastifyReply | null {
  const { view, pathOptions } = options.session.reading;
  const [anyPage] = view.site.pages;
  // Put together as text: an address that begins with two slashes must not name another host.
  const address = `${anyPage ? new URL(pageAddress(anyPage)).origin : 'http://folder.invalid'}${request.raw.url}`;
  if (!URL.canParse(address)) return null;
  const url = new URL(address);
  const page = view.site.byPath.get(normalisePath(address, pathOptions));
  if (page) {
    const own = new URL(pageAddress(page));
    // Links of the page count from the address that it really has.
    if (own.pathname !== url.pathname)
      return reply.redirect(`http://${request.headers.host}${own.pathname}${url.search || own.search}`);
    const policy = view.policy(page);
    const html = show(request, view.html(page), policy, page);
    if (policy !== null) reply.header('content-security-policy', relaxed(policy, allowedFor(request, options)));
    return reply.header('cache-control', 'no-store').type('text/html; charset=utf-8').send(html);
  }
  const body = view.file(url.href);
  const wanted = request.headers['sec-fetch-dest'] === 'style' ? 'text/css' : null;
  const type = wanted ?? mime.getType(url.pathname) ?? 'application/octet-stream';
  if (/css|javascript/.test(type)) {
    const text = type === 'text/css' ? view.style(url.href)?.text : body && Buffer.from(body).toString('utf8');
    if (typeof text === 'string') return sendText(reply, type, text);
  }
  return body && reply.header('cache-control', 'no-store').type(type).send(Buffer.from(body));
}

/** What ships, and the script that brings the panel. */
function ownFile({ bundle }: PreviewSession, request: FastifyRequest, reply: FastifyReply): FastifyReply {
  const name = decodeURIComponent((request.raw.url ?? '').slice(ownFolder.length).replace(/[?#].*$/, ''));
  const texts: Record<string, () => string> = {
    'local-needle.css': () => bundle.css.text,
    'local-needle.css.map': () => bundle.css.map,
    'local-needle.js': () => bundle.js?.text ?? '',
    'local-needle.js.map': () => bundle.js?.map ?? '{}',
    'page.js': () => clientFile('page.js'),
  };
  const type = mime.getType(name.replace(/\.map$/, '.json')) ?? 'application/octet-stream';
  reply.header('cache-control', 'no-store').header('cross-origin-resource-policy', 'same-origin');
  const text = Object.hasOwn(texts, name) ? texts[name] : undefined;
  if (text) return reply.type(`${type}; charset=utf-8`).send(text());
  const bytes = bundle.files.get(name);
  return bytes ? reply.type(type).send(Buffer.from(bytes)) : reply.code(404).send('');
}

const nonces = new WeakMap<FastifyRequest, string>();

function allowedFor(request: FastifyRequest, { upstream, panel }: Pick<PagesOptions, 'upstream' | 'panel'>): Allowed {
  const nonce = nonces.get(request) ?? randomBytes(12).toString('base64url');
  nonces.set(request, nonce);
  const own = `http://${request.headers.host}${ownFolder}`;
  return { own, panel: panel(new URL(own).hostname), site: upstream?.origin ?? null, nonce };
}

function makeSeenPage({ reading }: PreviewSession, address: string, html: string): Page {
  const { site } = reading.view;
  return makePage(normalisePath(address, reading.pathOptions), address, address, readOpening(html), site.forms);
}

/** What the live page's policy would block. */
function noticesOf({ bundle, reading }: PreviewSession, page: Page, html: string, policy: string | null): string[] {
  const own = pageAddress(page);
  const at = reading.bundleAddress ?? '/local-needle.css';
  const asked = [
    { kind: 'style' as const, name: 'local-needle.css', address: new URL(at, own).href },
    ...(bundle.js
      ? [{ kind: 'script' as const, name: 'local-needle.js', address: new URL(at.replace(/\.css$/, '.js'), own).href }]
      : []),
  ];
  const policies = policiesOf(policy, readDocument(html).root);
  return asked.flatMap(({ name, ...each }) =>
    policies.flatMap((text) => {
      const by = forbiddenBy(text, each, own);
      return by === null
        ? []
        : `The page's Content-Security-Policy (${by}) forbids ${name}. The preview allows it; the live site must allow it too.`;
    }),
  );
}

function notThere(url: string, reply: FastifyReply, { session, panel }: PagesOptions): FastifyReply {
  const { view, pathOptions } = session.reading;
  const near = URL.canParse(url, 'http://site.invalid') ? nearPath(normalisePath(url, pathOptions), view.site) : null;
  const hint = near ? `The nearest is ${near.path}.` : '';
  return reply
    .code(404)
    .type('text/html; charset=utf-8')
    .send(note(`${view.site.name} has no page or file ${url}`, hint, panel()));
}
