import { cpSync, existsSync, readFileSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import type { CheckReport } from '../../src/core/check/verdict.js';
import { describeInBrowser, folderWith, pageHtml, run, runBuiltHere } from '../helpers.js';
import { inTestBrowser } from './chromium.js';

const rules = `@needle calm {
  pages: path("/"); note: "One thing at a time.";
  .x { color: teal; }
  @hide .promo;
  @swap h1 { text: "Winter boats"; }
}
@needle tagged { pages: path("/news"); p { letter-spacing: 2px; } }`;
const home = pageHtml(
  'class="page-1"',
  '<h1>Boats</h1><a href="/news">News</a><p class="x">Ferry</p><div class="promo">Sale</div>',
);
// Tags may be left out, and a <header> is not a <head>.
const news = '<!doctype html><title>News</title><header>Saltmere</header><p>The harbour opens.</p>';

describeInBrowser('A site that loads an earlier build', () => {
  let server: Server;
  let directory: string;
  beforeAll(async () => {
    server = createServer(({ url = '/' }, response) => {
      const file = join(directory, 'site', url.replace(/\/$/, '/index.html').replace(/^\/news$/, '/news.html'));
      if (!existsSync(file)) return response.writeHead(404).end();
      const type = { css: 'text/css', js: 'text/javascript', html: 'text/html' }[file.replace(/.*\./, '')];
      return response.writeHead(200, { 'content-type': `${type}; charset=utf-8` }).end(readFileSync(file));
    });
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  });
  afterAll(() => server.close());

  /** A project whose site already has the build in it, linked or written into its pages. */
  async function built(form: 'bundle' | 'pages'): Promise<void> {
    const address = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    directory = folderWith({
      'local-needle.yaml': `version: 1\nsites: { files: { folder: public, drop-extension: .html }, built: { folder: site, drop-extension: .html }, live: { address: "${address}" } }\n`,
      ...{ 'rules/a.css': rules, 'public/index.html': home, 'public/news.html': news },
    });
    const options = form === 'pages' ? ['files', '--as', 'pages', '--out', 'site'] : ['built', '--out', 'site/assets'];
    if (form === 'bundle') {
      cpSync(join(directory, 'public'), join(directory, 'site'), { recursive: true });
      const link =
        '<link rel="stylesheet" href="/assets/local-needle.css"><script src="/assets/local-needle.js"></script>';
      for (const [name, html] of [
        ['index', home.replace('</head>', `${link}</head>`)],
        ['news', news.replace('<header>', `${link}<header>`)],
      ])
        writeFileSync(join(directory, 'site', `${name}.html`), html ?? '');
    }
    const { status, out } = await run(directory, ['build', '--site', ...options]);
    expect([status, out]).toEqual([0, expect.stringContaining('2 verdicts as checked')]);
  }

  const verdicts = async (words: string[]) => {
    const command = ['check', '--format', 'json', '--fail-on', 'never', ...words];
    const { out } = await run(directory, command, inTestBrowser);
    const { cells } = JSON.parse(out) as CheckReport;
    return cells.map(({ rule, page, verdict }) => `${rule} ${page} ${verdict}`);
  };

  test.each(['bundle', 'pages'] as const)('is judged, pictured and captured without it: %s', async (form) => {
    await built(form);
    const all = ['calm / hit', 'tagged /news hit'];
    expect(await verdicts(['--site', 'built'])).toEqual(all);
    expect(await verdicts(['--site', 'built', '--browser'])).toEqual(all);
    const { out } = await runBuiltHere(
      directory,
      ['before-after', '--page', '/', '--site', 'built', '--out', 'pictures'],
      inTestBrowser,
    );
    expect(out).toMatch(/^\/\tdesktop\tcalm\t\d+\.\d % changed/m);
    // A capture of the running site, after its scripts ran.
    await run(directory, ['capture', 'live', '--rendered'], inTestBrowser);
    expect(await verdicts(['--site', 'live'])).toEqual(all);
    expect(await verdicts(['--site', 'live', '--browser'])).toEqual(all);
    const { out: found } = await run(directory, ['find', 'h1', '--site', 'live']);
    // What the page itself says is all that is known of it.
    expect(/"(\w+)/.exec(found)?.[1]).toBe(form === 'pages' ? 'Winter' : 'Boats');
  });
});
