import { existsSync, readFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join, normalize } from 'node:path';
import type { Browser, Page } from 'playwright-core';
import { demoPages } from '../../demo/pages.js';
import { fileOf, writeDemoProject, writeDemoSite } from '../../demo/site.js';
import { insertInto } from '../../src/core/ship/insert.js';
import { describeInBrowser, folderWith, run, runsOf } from '../helpers.js';
import { launchBrowser } from './chromium.js';
import { looks } from './looks.js';

type Form = 'none' | 'bundle' | 'small' | 'snippets' | 'pages' | 'calm';

describeInBrowser('The forms of a build in Chromium', () => {
  let browser: Browser;
  let server: Server;
  let origin: string;
  let directory: string;
  const errors: string[] = [];
  const read = (...parts: string[]) => readFileSync(join(directory, ...parts), 'utf8');

  /** A page of a site as it looks with one form of build; the template's own scripts are left out. */
  function htmlOf(site: string, path: string, form: Form): string {
    const plain = read(site, fileOf(path));
    const html = (form === 'pages' ? read('out', 'pages', site, fileOf(path)) : plain).replace(
      /<script src="\/assets\/[\w-]+\.js" (defer|async)><\/script>/g,
      '',
    );
    if (form === 'none' || form === 'pages') return html;
    if (form === 'snippets') {
      const file = join(directory, 'out', 'snippets', site, path === '/' ? 'index.html' : `${path}.html`);
      return existsSync(file) ? insertInto(html, readFileSync(file, 'utf8'), 'head-end') : html;
    }
    const base = `/out/${form}/${site}`;
    const names = form === 'small' ? JSON.parse(read(`${base}/manifest.json`)) : {};
    const [css, js] = [names['local-needle.css'] ?? 'local-needle.css', names['local-needle.js'] ?? 'local-needle.js'];
    return insertInto(
      html,
      `<link rel="stylesheet" href="${base}/${css}"><script src="${base}/${js}"></script>`,
      'head-end',
    );
  }

  async function open(site: string, path: string, form: Form): Promise<Page> {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    page.on('console', (message) => message.type() === 'error' && errors.push(message.text()));
    await page.goto(`${origin}${path}?${site}-${form}`, { waitUntil: 'load' });
    return page;
  }

  const tabs = new Map<Form, Page>();

  /** Each form has a tab of its own. */
  async function look(site: string, path: string, form: Form): Promise<string[]> {
    const tab = tabs.get(form) ?? (await open(site, path, form));
    if (tabs.has(form)) await tab.goto(`${origin}${path}?${site}-${form}`, { waitUntil: 'load' });
    tabs.set(form, tab);
    return tab.evaluate(looks);
  }

  beforeAll(async () => {
    directory = join(folderWith({}), 'ferries');
    writeDemoProject(directory);
    for (const site of ['live', 'staging'] as const) writeDemoSite(join(directory, site), site);
    await run(directory, ['init', 'live=live', 'staging=staging']);
    for (const [form, more] of [
      ['bundle', []],
      ['small', ['--hashed', '--minify']],
      ['snippets', ['--as', 'snippets', '--minify']],
      ['pages', ['--as', 'pages']],
    ] as const)
      await run(directory, ['build', '--force', '--all-sites', '--out', `out/${form}`, ...more]);
    // It hides its link on every page but one, which is what it is for.
    await run(directory, ['rules', 'pause', 'camera-link']);
    await run(directory, ['build', '--force', '--all-sites', '--out', 'out/calm']);
    const types: Record<string, string> = { css: 'text/css', js: 'text/javascript', svg: 'image/svg+xml' };
    server = createServer((request, response) => {
      const url = new URL(request.url ?? '/', 'http://x');
      const [site = '', form] = url.search.slice(1).split('-') as [string, Form | undefined];
      if (form) {
        response.setHeader('content-type', 'text/html');
        return response.end(htmlOf(site, url.pathname, form));
      }
      if (url.pathname === '/favicon.ico') return response.writeHead(204).end();
      try {
        const path = normalize(url.pathname);
        const file = path.startsWith('/out/') ? path : path.replace(/^\/local-needle/, '/out/pages/live/local-needle');
        const from = file.startsWith('/out/') ? file : `live${file}`;
        response.setHeader('content-type', types[path.split('.').at(-1) ?? ''] ?? 'text/plain');
        response.end(readFileSync(join(directory, from)));
      } catch {
        response.writeHead(404).end();
      }
    });
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
    origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    browser = await launchBrowser();
  });

  afterAll(async () => {
    await browser?.close();
    server?.close();
  });

  test.each(['live', 'staging'])('look the same on the pages of %s, and have the same words', async (site) => {
    // A part of the pages will do, but for the long run: their templates are the same.
    const step = runsOf(site === 'live' ? 3 : 5, 1);
    for (const { path } of demoPages.filter((_page, index) => index % step === 0)) {
      const forms = ['bundle', 'small', 'snippets', 'pages'] as const;
      const [bundle, ...others] = await Promise.all(forms.map((form) => look(site, path, form)));
      expect(bundle?.length).toBeGreaterThan(20);
      for (const other of others) expect([path, other]).toEqual([path, bundle]);
    }
  });

  test('change nothing on pages that no rule is for', async () => {
    const report = JSON.parse((await run(directory, ['check', '--format', 'json'])).out);
    const targeted = new Set(report.cells.map(({ page }: { page: string }) => page));
    const others = demoPages.filter(({ path }) => !targeted.has(path));
    expect(others.length).toBeGreaterThan(8);
    for (const { path } of others)
      expect([path, await look('live', path, 'calm')]).toEqual([path, await look('live', path, 'none')]);
  });

  test.each([
    ['/winter', '.hero', 'backgroundColor', 'rgb(29, 53, 64)'],
    ['/routes/skerry', '.content h1', 'color', 'rgb(122, 75, 0)'],
    ['/legal/terms', '.content', 'maxWidth', '640px'],
    ['/tickets/pay', 'form.pay .button', 'fontSize', '18px'],
    ['/tickets/pay', '.masthead .menu', 'display', 'none'],
  ])('restyle %s %s', async (path, selector, property, value) => {
    const page = await open('live', path, 'bundle');
    expect(
      await page.locator(selector).evaluate((element, name) => getComputedStyle(element)[name as 'color'], property),
    ).toBe(value);
  });

  test('swap an image and a fragment, and run a script', async () => {
    const winter = await open('live', '/winter', 'bundle');
    const logo = winter.locator('.masthead .logo img');
    expect(await logo.getAttribute('src')).toMatch(/\/bundle\/live\/files\/logo-winter-\w+\.svg$/);
    expect(await logo.getAttribute('alt')).toBe('Saltmere Ferries, winter timetable');
    expect(await logo.evaluate((image: HTMLImageElement) => image.naturalWidth)).toBe(180);
    expect(await winter.locator('.notice').innerText()).toContain('Storm season.');
    const front = await open('live', '/', 'snippets');
    expect(await front.locator('.hero .slide').first().innerText()).toContain('The night boat');
  });

  test('swap a picture before any script runs', async () => {
    const context = await browser.newContext({ javaScriptEnabled: false });
    const page = await context.newPage();
    const asked: string[] = [];
    page.on('request', (request) => asked.push(request.url()));
    await page.goto(`${origin}/winter?live-bundle`, { waitUntil: 'networkidle' });
    expect(asked).toContainEqual(expect.stringMatching(/\/out\/bundle\/live\/files\/logo-winter-\w+\.svg$/));
    await context.close();
  });

  test('and the browser had nothing to complain about', () => {
    expect(errors).toEqual([]);
  });
});
