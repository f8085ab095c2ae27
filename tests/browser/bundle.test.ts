import { readFileSync } from 'node:fs';
import { join, normalize } from 'node:path';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { chromium, type Browser, type Page } from 'playwright-core';
import { renderPage, writeDemoProject, writeDemoSite } from '../../demo/site.js';
import { demoPages } from '../../demo/pages.js';
import { chromiumPath } from '../../src/browser/chromium.js';
import { describeInBrowser, folderWith, run } from '../helpers.js';

/** Every element's tag, text and full computed style, and the same for its ::before and ::after. */
function snapshot(): string[] {
  return [...document.querySelectorAll('html, body, body *')].map((element) => {
    const styles = [null, '::before', '::after'].map((pseudo) =>
      [...getComputedStyle(element, pseudo)]
        .map((name) => `${name}:${getComputedStyle(element, pseudo).getPropertyValue(name)}`)
        .join(';'),
    );
    const own = [...element.childNodes]
      .map((node) => (node.nodeType === Node.TEXT_NODE ? node.textContent : ''))
      .join('|');
    return `${element.tagName} ${own} ${element.getAttribute('src') ?? ''} ${styles.join('\n')}`;
  });
}

describeInBrowser("The demo's bundle in Chromium", () => {
  let browser: Browser;
  let server: Server;
  let origin: string;
  let directory: string;
  const errors: string[] = [];

  /** Opens a page as it is, or with the bundle last in its head. */
  async function open(path: string, withBundle: boolean): Promise<Page> {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    page.on('console', (message) => message.type() === 'error' && errors.push(message.text()));
    await page.goto(`${origin}${path}${withBundle ? '?with' : ''}`, { waitUntil: 'load' });
    return page;
  }

  beforeAll(async () => {
    directory = join(folderWith({}), 'ferries');
    writeDemoProject(directory);
    writeDemoSite(join(directory, 'live'), 'live');
    await run(directory, ['start', 'live']);
    // It hides its link on every page but one, which is what it is for.
    await run(directory, ['rules', 'pause', 'camera-link']);
    await run(directory, ['build', '--out', 'live/needle']);
    server = createServer((request, response) => {
      const url = new URL(request.url ?? '/', 'http://x');
      const page = demoPages.find(({ path }) => path === url.pathname);
      if (page) {
        const bundle =
          '<link rel="stylesheet" href="/needle/needle.css"><script src="/needle/needle.js"></script></head>';
        const html = renderPage(page, 'live').replace(
          /<script src="\/assets\/[\w-]+\.js" (defer|async)><\/script>/g,
          '',
        );
        response.setHeader('content-type', 'text/html');
        return response.end(url.search === '?with' ? html.replace('</head>', bundle) : html);
      }
      if (url.pathname === '/favicon.ico') return response.writeHead(204).end();
      try {
        const type = { css: 'text/css', js: 'text/javascript', svg: 'image/svg+xml' }[
          url.pathname.split('.').at(-1) ?? ''
        ];
        response.setHeader('content-type', type ?? 'text/plain');
        response.end(readFileSync(join(directory, 'live', normalize(url.pathname))));
      } catch {
        response.writeHead(404).end();
      }
    });
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
    origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    browser = await chromium.launch({ executablePath: chromiumPath() ?? undefined, args: ['--no-sandbox'] });
  });

  afterAll(async () => {
    await browser?.close();
    server?.close();
  });

  test('hides on the page of its rule', async () => {
    const page = await open('/tickets/pay', true);
    expect(await page.locator('.masthead .menu').isVisible()).toBe(false);
    expect(await page.locator('.footer .band.sign-up').isVisible()).toBe(false);
    expect(await page.locator('.footer .band.legal').isVisible()).toBe(true);
  });

  test.each([
    ['/winter', '.hero', 'backgroundColor', 'rgb(29, 53, 64)'],
    ['/routes/skerry', '.content h1', 'color', 'rgb(122, 75, 0)'],
    ['/legal/terms', '.content', 'maxWidth', '640px'],
    ['/tickets/pay', 'form.pay .button', 'fontSize', '18px'],
  ])('restyles %s %s', async (path, selector, property, value) => {
    const page = await open(path, true);
    expect(
      await page.locator(selector).evaluate((element, name) => getComputedStyle(element)[name as 'color'], property),
    ).toBe(value);
  });

  test('swaps an image and a fragment, and runs a script', async () => {
    const winter = await open('/winter', true);
    const logo = winter.locator('.masthead .logo img');
    expect(await logo.getAttribute('src')).toMatch(/\/needle\/files\/logo-winter-\w+\.svg$/);
    expect(await logo.getAttribute('alt')).toBe('Saltmere Ferries, winter timetable');
    expect(await logo.evaluate((image: HTMLImageElement) => image.naturalWidth)).toBe(180);
    expect(await winter.locator('.notice').innerText()).toContain('Storm season.');
    const front = await open('/', true);
    expect(await front.locator('.hero .slide').first().innerText()).toContain('The night boat');
  });

  test.each([
    '/winter/contact',
    '/routes/holm/../outer-bank',
    '/journal',
    '/tickets',
    '/timetables/summer',
    '/harbours',
    '/routes/night-boat',
  ])('changes nothing on %s', async (path) => {
    const [before, after] = await Promise.all([open(path, false), open(path, true)]);
    const [plain, built] = await Promise.all([before.evaluate(snapshot), after.evaluate(snapshot)]);
    expect(plain.length).toBeGreaterThan(20);
    expect(built).toEqual(plain);
  });

  test('one rule that throws stops no other', async () => {
    const files = {
      'local-needle.yaml': 'version: 1\nsites: { live: { folder: public } }\n',
      'rules/a.css':
        '@needle bad { pages: path("/"); @script url("../bad.js"); }\n@needle good { pages: path("/"); @swap .x { text: "swapped"; } @script url("../good.js"); }',
      'bad.js': 'throw new Error("on purpose");',
      'good.js': 'document.title = "ran";',
      'public/index.html': '<!doctype html><head></head><body><p class="x">a</p></body>',
    };
    const project = folderWith(files);
    await run(project, ['build', '--out', 'out']);
    const page = await browser.newPage();
    const said: string[] = [];
    page.on('console', (message) => said.push(message.text()));
    await page.route('**/*', (route) =>
      route.fulfill({
        contentType: 'text/html',
        body: `<!doctype html><head><script>${readFileSync(join(project, 'out/needle.js'), 'utf8')}</script></head><body><p class="x">a</p></body>`,
      }),
    );
    await page.goto('http://saltmere.example/');
    expect(await page.locator('.x').innerText()).toBe('swapped');
    expect(await page.title()).toBe('ran');
    expect(said.join()).toMatch(/Rule "bad" failed:.*on purpose/);
  });

  test('and the browser had nothing to complain about', () => {
    expect(errors).toEqual([]);
  });
});
