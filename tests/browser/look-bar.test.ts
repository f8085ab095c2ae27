import { readFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import { createRequire } from 'node:module';
import type { AddressInfo } from 'node:net';
import type { Browser, BrowserContext, Frame, Page } from 'playwright-core';
import { describeInBrowser, folderWith, pageHtml, run, smallProject } from '../helpers.js';
import { launchBrowser } from './chromium.js';
import { startPreview, until, type Running } from './previewing.js';

const settings = `viewports:
  desktop: 1280x800
  phone: { size: 390x844, touch: true }
  night: { size: 1280x800, color-scheme: dark }
states:
  scrolled: { add-class: { .masthead: is-stuck }, remove-class: { .y: calm } }
  over: { pseudo-class: { ".menu a": hover } }
`;
const theme = `:root { color-scheme: light dark }
.x { color: light-dark(black, white) } .y { margin: 0 }
@media (prefers-color-scheme: dark) { .y { margin: 1px } } @media (hover: none) { .y { margin: 2px } }
@media print { .y { margin: 3px } } @media only screen and (hover) { .z { margin: 4px } }
@layer menus { .menu:hover { border-top: 5px solid } @supports (color: red) { .menu a:hover, .none { color: rgb(1, 2, 3) } } }
.calm { padding: 6px }`;
const rules = `@needle small { pages: path("/"); @media (max-width: 600px) { .x { order: 2 } } }
@needle stuck { pages: path("/"); .masthead.is-stuck .x { order: 3 } }
@needle teal { pages: all; .y { background: teal } }`;
const inside =
  '<header class="masthead"><nav class="menu"><a href="/other.html">Other</a></nav></header><p class="x">a</p><p class="y calm">b</p><p class="z">c</p><div style="height: 3000px"></div>';
const head = '<link rel="stylesheet" href="/theme.css"><link rel="stylesheet" media="print" href="/print.css">';

describeInBrowser('The looks of the preview', () => {
  let browser: Browser;
  let context: BrowserContext;
  let running: Running;
  let site: Server | undefined;
  let tab: Page;

  beforeAll(async () => {
    browser = await launchBrowser();
  });
  beforeEach(async () => {
    context = await browser.newContext({ viewport: { width: 1280, height: 800 }, colorScheme: 'dark' });
  });
  afterEach(async () => {
    await context.close();
    await running.stop();
    site?.closeAllConnections();
    site?.close();
    site = undefined;
  });
  afterAll(() => browser?.close());

  async function open(words: string[] = []): Promise<void> {
    const directory = smallProject(rules, {
      'local-needle.yaml': `version: 1\nsites: { live: { folder: public } }\n${settings}`,
      'public/index.html': pageHtml('class="page-1"', head + inside),
      'public/other.html': pageHtml('class="page-2"', `${head}<p class="y">b</p>`),
      'public/theme.css': theme,
      'public/print.css': '.z { padding: 7px }',
    });
    running = await startPreview(directory, words);
    tab = await context.newPage();
    await tab.goto(`${running.overview}looks?address=/index.html`);
    await tab.locator('#rules .verdict').first().waitFor();
  }
  /** The page in a frame, by the words of its title. */
  async function frame(title: string): Promise<Frame> {
    const handle = await tab.locator(`iframe[title="${title}"]`).elementHandle();
    const found = await handle?.contentFrame();
    if (!found) throw new Error(`There is no frame ${title}`);
    return found;
  }
  const style = async (title: string, selector: string, property: string) =>
    (await frame(title)).evaluate(
      ([each = '', name = '']) => getComputedStyle(document.querySelector(each)!).getPropertyValue(name),
      [selector, property],
    );
  const verdictOf = (name: string) =>
    tab
      .locator('#rules li', { has: tab.getByText(name, { exact: true }) })
      .locator('.verdict')
      .innerText();

  test('have the size and the medium of a viewport, and its verdicts', async () => {
    await open();
    // The browser prefers dark; the viewport says light.
    await until(async () => (await style('desktop, rules on', '.x', 'color')) === 'rgb(0, 0, 0)');
    expect([await verdictOf('small'), await style('desktop, rules on', '.y', 'margin-top')]).toEqual([
      'no-effect',
      '0px',
    ]);
    await tab.locator('#viewport').selectOption('phone');
    await until(async () => (await verdictOf('small')) === 'hit');
    await until(async () => (await style('phone, rules on', '.y', 'margin-top')) === '2px');
    expect(await (await frame('phone, rules on')).evaluate(() => [innerWidth, innerHeight])).toEqual([390, 844]);
    expect([await style('phone, rules on', '.x', 'order'), await style('phone, rules on', '.z', 'margin-top')]).toEqual(
      ['2', '16px'],
    );
    await tab.getByLabel('Beside it').selectOption('night');
    await until(async () => (await style('night, rules on', '.y', 'margin-top')) === '1px');
    expect(await style('night, rules on', '.x', 'color')).toBe('rgb(255, 255, 255)');
    await tab.getByLabel('printed').check();
    await until(async () => (await style('phone, rules on', '.y', 'margin-top')) === '3px');
    expect([await style('phone, rules on', '.z', 'padding-top'), await tab.title()]).toEqual([
      '7px',
      '/ phone, printed',
    ]);
    // Whoever comes next finds it as it was left.
    await tab.reload();
    await until(() => tab.locator('#print').isChecked());
  });

  test('show rules off and on with an edge between them, scrolled together', async () => {
    await open();
    await tab.getByLabel('both').check();
    await until(async () => (await style('desktop, rules on', '.y', 'background-color')) === 'rgb(0, 128, 128)');
    await until(async () => (await style('desktop, rules off', '.y', 'background-color')) === 'rgba(0, 0, 0, 0)');
    await tab.getByLabel(/Edge/).fill('30');
    expect(
      await tab.locator('iframe[title="desktop, rules on"]').evaluate((each) => getComputedStyle(each).clipPath),
    ).toBe('inset(0px 0px 0px 30%)');
    await (await frame('desktop, rules on')).evaluate(() => scrollTo(0, 500));
    const other = await frame('desktop, rules off');
    await until(() => other.evaluate(() => scrollY === 500));
    // A link that is followed in one of them is followed in all.
    await (await frame('desktop, rules on')).evaluate(() => document.querySelector<HTMLElement>('.menu a')?.click());
    await until(async () => (await frame('desktop, rules off')).url().endsWith('/other.html'));
    await until(async () => (await tab.title()) === '/other.html desktop');
    expect(await tab.locator('#rules li').count()).toBe(1);
  });

  test('stand still where a page leads elsewhere at one size and back at another', async () => {
    const directory = smallProject('@needle teal { pages: all; .y { background: teal } }', {
      'local-needle.yaml': `version: 1\nsites: { live: { folder: public } }\n${settings}`,
      'public/index.html': pageHtml(
        '',
        '<p class="y">b</p><script>if (innerWidth < 600) location.href = "/other.html"</script>',
      ),
      'public/other.html': pageHtml(
        '',
        '<p class="y">b</p><script>if (innerWidth > 600) location.href = "/index.html"</script>',
      ),
    });
    running = await startPreview(directory);
    tab = await context.newPage();
    await tab.goto(`${running.overview}looks?address=/index.html`);
    await tab.locator('#rules .verdict').first().waitFor();
    await tab.locator('#beside').selectOption('phone');
    await tab.getByText('The frames lead to different pages').waitFor();
    await until(async () => (await frame('phone, rules on')).url().endsWith('/other.html'));
    expect((await frame('desktop, rules on')).url()).toMatch(/index\.html$/);
  });

  test('set states on the page: classes, and pseudo-classes with all that is above', async () => {
    await open(['--state', 'over']);
    const title = 'desktop, rules on';
    await until(async () => (await style(title, '.menu a', 'color')) === 'rgb(1, 2, 3)');
    expect([await style(title, '.menu', 'border-top-width'), await verdictOf('stuck')]).toEqual(['5px', 'no-match']);
    await tab.getByLabel('State').selectOption('scrolled');
    await until(async () => (await style(title, '.y', 'padding-top')) === '0px');
    expect(await (await frame(title)).evaluate(() => document.querySelector('.masthead.is-stuck') !== null)).toBe(true);
    await until(async () => (await style(title, '.menu', 'border-top-width')) === '0px');
    // A page by itself is in that state too.
    const alone = await context.newPage();
    await alone.goto(`${running.pages}index.html`);
    await until(() => alone.evaluate(() => document.querySelector('.masthead.is-stuck') !== null));
  });

  test('have no serious fault by axe, and refuse what is not to be chosen', async () => {
    await open();
    const axe = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');
    for (const colorScheme of ['light', 'dark'] as const) {
      await tab.emulateMedia({ colorScheme });
      const faults = await tab.evaluate(
        `${axe}; axe.run({ exclude: ['iframe'] }).then(({ violations }) => violations.map(({ id, impact, nodes }) => [id, impact, nodes[0].html]))`,
      );
      expect((faults as string[][]).filter(([, impact]) => impact === 'serious' || impact === 'critical')).toEqual([]);
    }
    const choose = (look: object) =>
      tab.evaluate(async (body) => {
        const { status, ok } = await fetch('looks', {
          method: 'POST',
          headers: { 'content-type': 'application/json' },
          body: JSON.stringify(body),
        });
        return ok ? 'taken' : status;
      }, look);
    const plain = { viewport: 'desktop', state: null, visitor: null, colorScheme: null, print: false };
    expect(await choose({ ...plain, viewport: 'wall' })).toBe(422);
    expect(await choose({ ...plain, print: 'yes' })).toBe(400);
    expect(await choose({ ...plain, visitor: 'member' })).toBe(422);
    expect(await choose(plain)).toBe('taken');
    await until(async () => (await verdictOf('teal')) === 'hit');
  });

  test.each([
    ['x-frame-options', 'DENY'],
    ['content-security-policy', "default-src 'self'; frame-ancestors 'none'"],
  ])('show a running page that sends %s: %s, and that would leave its frame', async (name, value) => {
    site = createServer(({ url = '' }, response) =>
      response
        .writeHead(200, { [name]: value, 'content-type': url.endsWith('.js') ? 'text/javascript' : 'text/html' })
        .end(
          url.endsWith('.js')
            ? 'top.location = location'
            : pageHtml('class="page-1"', '<p class="y">b</p><script src="/out.js"></script>'),
        ),
    );
    await new Promise<void>((done) => site?.listen(0, '127.0.0.1', done));
    const directory = folderWith({
      'local-needle.yaml': `version: 1\nsites: { live: { address: "http://127.0.0.1:${(site.address() as AddressInfo).port}" } }\n`,
      'rules/a.css': '@needle teal { pages: all; .y { background: teal } }',
    });
    await run(directory, ['capture']);
    running = await startPreview(directory, ['--live']);
    tab = await context.newPage();
    await tab.goto(`${running.overview}looks?address=/`);
    await until(async () => (await style('desktop, rules on', '.y', 'background-color')) === 'rgb(0, 128, 128)');
    await tab.getByLabel('off', { exact: true }).check();
    await until(async () => (await style('desktop, rules off', '.y', 'background-color')) === 'rgba(0, 0, 0, 0)');
    expect(tab.url()).toContain('/looks?');
    const answer = await fetch(running.pages);
    expect(answer.headers.get('content-security-policy')).toMatch(/frame-ancestors http:\/\/127\.0\.0\.1:\d+(;|$)/);
  });
});
