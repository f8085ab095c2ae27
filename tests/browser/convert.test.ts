import { existsSync, readFileSync, rmSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import type { Browser } from 'playwright-core';
import { demoPages } from '../../demo/pages.js';
import { fileOf, writeDemoProject, writeDemoSite } from '../../demo/site.js';
import { insertInto } from '../../src/core/ship/insert.js';
import { describeInBrowser, folderWith, run, runsOf } from '../helpers.js';
import { launchBrowser } from './chromium.js';
import { looks } from './looks.js';

/** Snippets of the demo, and the pages that they are pasted into. */
const snippets: Record<string, string> = {
  '/tickets/pay': 'old/pay.html',
  '/contact': 'old/contact.html',
  '/fare-alert': 'old/fare-alert.html',
  '/': 'old/front.html',
  '/timetables/winter': 'old/storm.html',
};

describeInBrowser('What convert made of old CSS and snippets', () => {
  let browser: Browser;
  let server: Server;
  let origin: string;
  let directory: string;
  const read = (...parts: string[]) => {
    const file = join(directory, ...parts);
    return existsSync(file) ? readFileSync(file, 'utf8') : '';
  };
  /** Scripts run at other moments than before; styles alone are compared. */
  const withoutScripts = (html: string) => html.replace(/<script[^]*?<\/script>/g, '');

  beforeAll(async () => {
    directory = join(folderWith({}), 'ferries');
    writeDemoProject(directory);
    writeDemoSite(join(directory, 'live'), 'live');
    await run(directory, ['init', 'live']);
    rmSync(join(directory, 'rules'), { recursive: true });
    const given = Object.entries(snippets).map(([path, file]) => `${file}=${path}`);
    const converted = await run(directory, ['convert', 'old/site-wide.css', 'old/everywhere.html', ...given]);
    expect([converted.status, converted.log]).toEqual([0, '']);
    expect(converted.out).toContain('Verified on 30 pages');
    const built = await run(directory, ['build', '--force', '--out', 'local-needle']);
    expect(built.out).toContain('verdicts as checked');
    server = createServer((request, response) => {
      const { pathname, search } = new URL(request.url ?? '/', 'http://x');
      if (!search) {
        response.setHeader('content-type', pathname.endsWith('.css') ? 'text/css' : 'image/svg+xml');
        return response.end(read('live', pathname));
      }
      const snippet = snippets[pathname];
      const part = (file: string) => `<style>${read(file)}</style>`;
      const before = part('old/site-wide.css') + (snippet ? read(snippet) : '');
      const after =
        part('leftover/old/site-wide.css') +
        (snippet ? read('leftover', snippet) : '') +
        part('local-needle/local-needle.css');
      const html = insertInto(read('live', fileOf(pathname)), search === '?before' ? before : after, 'head-end');
      response.setHeader('content-type', 'text/html');
      return response.end(withoutScripts(html));
    });
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
    origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    browser = await launchBrowser();
  });

  afterAll(async () => {
    await browser?.close();
    server?.close();
  });

  test.each([
    [1280, 800],
    [390, 844],
  ])('looks as it did before, at %i × %i', async (width, height) => {
    const [before, after] = await Promise.all([1, 2].map(() => browser.newPage({ viewport: { width, height } })));
    const step = runsOf(width > 600 ? 3 : 4, 1);
    for (const { path } of demoPages.filter((_page, index) => index % step === 0)) {
      await Promise.all([before?.goto(`${origin}${path}?before`), after?.goto(`${origin}${path}?after`)]);
      const [old, now] = await Promise.all([before?.evaluate(looks), after?.evaluate(looks)]);
      expect(old?.length).toBeGreaterThan(20);
      expect([path, now]).toEqual([path, old]);
    }
  });
});
