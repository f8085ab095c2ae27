import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { demoPages, type DemoPage } from './pages.js';
import { packageFolder, renderPage, type Copy } from './site.js';

/** A test server: Saltmere Ferries on 127.0.0.1, as its live or its staging copy. */
export interface DemoServer {
  address: string;
  close: () => Promise<void>;
  /** How often each path was asked for, for tests. */
  requests: Map<string, number>;
}

/** Pages of one copy only, beside those that both have. */
const only: Record<Copy, DemoPage[]> = {
  live: [
    {
      path: '/journal/harbour-fete',
      title: 'Harbour fete',
      id: null,
      entry: '62ffab1037',
      classes: ['section-journal', 'is-entry'],
      body: '<main class="content"><h1>Harbour fete</h1><p>Music on the pier, all day.</p></main>',
    },
  ],
  staging: [
    {
      path: '/routes/seal-island',
      title: 'Seal Island',
      id: 15,
      classes: ['section-routes', 'is-route'],
      body: '<main class="content"><h1>Seal Island</h1><p>A trial route, not yet announced.</p></main>',
    },
    {
      path: '/tickets/gift',
      title: 'Gift vouchers',
      id: 48,
      classes: ['section-tickets'],
      body: '<main class="content"><h1>Gift vouchers</h1><p>To be decided.</p></main>',
    },
  ],
};

/** In windows-1252, named by the Content-Type header alone. */
const oldPage: DemoPage = {
  path: '/journal/wool-and-tar',
  title: 'Wool and tar – a café’s story',
  id: null,
  entry: '4d20e9c811',
  classes: ['section-journal', 'is-entry'],
  body: '<main class="content"><h1>Wool and tar</h1><p>The café “Anchor” keeps the old knots.</p></main>',
};
const slowPage = '/routes/outer-bank';
const slowMs = 700;
const cspSection = '/tickets';
const redirects: Record<string, string> = {
  '/home': '/',
  '/old-timetable': '/timetables',
  '/circle': '/circle-2',
  '/circle-2': '/circle',
  '/partner': 'http://partner.example/',
};
const modified = new Date('2026-10-01T08:00:00Z').toUTCString();

/** The pages of a copy. */
export const pagesOf = (copy: Copy): DemoPage[] => [...demoPages, ...only[copy], oldPage];

/** The page as a signed-in member gets it: one more bar, one band less, a class on the body. */
function forMember(html: string): string {
  return html
    .replace(
      /<body( id="[^"]*")?(?: class="([^"]*)")?>/,
      (_tag, id: string | undefined, classes: string | undefined) =>
        `<body${id ?? ''} class="${[classes, 'is-member'].filter(Boolean).join(' ')}">\n<div class="member-bar">Signed in as crew</div>`,
    )
    .replace(/ {2}<div class="band sign-up".*\n/, '');
}

const windows1252 = (text: string) =>
  Buffer.from(
    [...text].map(
      (character) => ({ '–': 0x96, '’': 0x92, '“': 0x93, '”': 0x94 })[character] ?? character.charCodeAt(0),
    ),
  );

/** Besides the menu's links: links that a crawler must handle. */
const footLinks =
  '<p class="more"><a href="/home">Home</a> <a href="/old-timetable">Old timetable</a> <a href="/gone">Gone</a> <a href="/circle">Circle</a> <a href="/partner">Partner</a> <a href="/crew/rota">Crew rota</a> <a href="mailto:crew@saltmere.example">Mail</a> <a href="/assets/logo.svg">Logo</a></p>';

/** Starts one copy; `port` 0 is any free one. `pages`: other pages than the demo's, for benches. */
export async function startDemoServer(copy: Copy, port = 0, pages: DemoPage[] = pagesOf(copy)): Promise<DemoServer> {
  const requests = new Map<string, number>();
  const byPath = new Map(pages.map((page) => [page.path, page]));
  const server = createServer((request, response) => {
    const url = new URL(request.url ?? '/', 'http://127.0.0.1');
    requests.set(url.pathname, (requests.get(url.pathname) ?? 0) + 1);
    const origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    answer({ request, response, url, origin, copy, pages, byPath });
  });
  await new Promise<void>((done, failed) => server.once('error', failed).listen(port, '127.0.0.1', done));
  return {
    address: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    requests,
    close: () => closeServer(server),
  };
}

function closeServer(server: Server): Promise<void> {
  server.closeAllConnections();
  return new Promise((done) => server.close(() => done()));
}

interface Call {
  request: IncomingMessage;
  response: ServerResponse;
  url: URL;
  origin: string;
  copy: Copy;
  pages: DemoPage[];
  byPath: Map<string, DemoPage>;
}

function answer(call: Call): void {
  const { response, url, origin, pages, byPath } = call;
  const path = url.pathname.length > 1 ? url.pathname.replace(/\/(index\.html)?$/, '') || '/' : '/';
  const page = byPath.get(path);
  const send = (type: string, body: string | Uint8Array) => response.writeHead(200, { 'content-type': type }).end(body);
  const sitemap = (list: DemoPage[]) =>
    `<?xml version="1.0" encoding="UTF-8"?>\n<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">\n${list.map((each) => `<url><loc>${origin}${each.path}</loc></url>`).join('\n')}\n</urlset>`;
  const isJournal = ({ path: own }: DemoPage) => own.startsWith('/journal');
  if (page) return sendPage(call, page);
  if (url.pathname === '/robots.txt')
    return void send('text/plain', `User-agent: *\nDisallow: /crew/\nSitemap: ${origin}/sitemap-index.xml\n`);
  if (url.pathname === '/sitemap-index.xml') {
    return void send(
      'application/xml',
      `<?xml version="1.0"?>\n<sitemapindex xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"><sitemap><loc>${origin}/sitemap-pages.xml</loc></sitemap><sitemap><loc>${origin}/sitemap-journal.xml.gz</loc></sitemap></sitemapindex>`,
    );
  }
  if (url.pathname === '/sitemap-pages.xml')
    return void send('application/xml', sitemap(pages.filter((each) => !isJournal(each))));
  if (url.pathname === '/sitemap-journal.xml.gz')
    return void send('application/gzip', gzipSync(sitemap(pages.filter(isJournal))));
  if (url.pathname === '/crew/rota') return void send('text/html', '<!doctype html><title>Rota</title>');
  const target = redirects[url.pathname];
  if (target) return void response.writeHead(301, { location: target }).end();
  sendAsset(url.pathname, response);
}

function sendPage({ request, response, url, copy }: Call, page: DemoPage): void {
  const member = /(?:^|;\s*)crew=\w/.test(request.headers.cookie ?? '');
  const plain = renderPage(page, copy).replace('</footer>', `${page.path === '/' ? footLinks : ''}</footer>`);
  const html = member ? forMember(plain) : plain;
  const isOld = page === oldPage;
  const body = isOld ? windows1252(html.replace('<meta charset="utf-8">\n', '')) : Buffer.from(html);
  const etag = `"${createHash('sha256').update(body).digest('hex').slice(0, 16)}"`;
  const headers: Record<string, string> = {
    'content-type': isOld ? 'text/html; charset=windows-1252' : 'text/html; charset=utf-8',
    etag,
    'last-modified': modified,
    vary: 'cookie',
  };
  if (page.path.startsWith(cspSection))
    headers['content-security-policy'] = "default-src 'self'; style-src 'self'; script-src 'self'";
  const unchanged = request.headers['if-none-match'] === etag;
  const end = () => (unchanged ? response.writeHead(304, headers).end() : response.writeHead(200, headers).end(body));
  if (url.pathname === slowPage) setTimeout(end, slowMs);
  else end();
}

function sendAsset(pathname: string, response: ServerResponse): void {
  const types: Record<string, string> = { css: 'text/css', js: 'text/javascript', svg: 'image/svg+xml' };
  const name = /^\/assets\/([\w-]+\.(css|js|svg))$/.exec(pathname);
  try {
    if (!name) throw new Error('no asset');
    const body = readFileSync(join(packageFolder(), 'demo', 'assets', name[1] ?? ''));
    response.writeHead(200, { 'content-type': types[name[2] ?? ''] ?? 'text/plain' }).end(body);
  } catch {
    response
      .writeHead(404, { 'content-type': 'text/html' })
      .end('<!doctype html><title>Not found</title><body class="page-404">Not found');
  }
}
