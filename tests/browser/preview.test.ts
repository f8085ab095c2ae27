import { appendFileSync, existsSync, mkdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { createServer, type RequestListener, type Server } from 'node:http';
import { createRequire } from 'node:module';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { WebSocketServer } from 'ws';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import { writeDemoProject, writeDemoSite } from '../../demo/site.js';
import { describeInBrowser, folderWith, pageHtml, run, runBuiltHere, runsOf, smallProject } from '../helpers.js';
import { launchBrowser } from './chromium.js';
import { looks } from './looks.js';
import { pageWithPanel, panelOf, raw, startPreview, startPreviewProcess, until, type Running } from './previewing.js';

const colourOf = (tab: Page, selector: string) =>
  tab.evaluate((each) => getComputedStyle(document.querySelector(each)!).color, selector);
const teal = 'rgb(0, 128, 128)';

describeInBrowser('The preview', () => {
  let browser: Browser;
  let context: BrowserContext;
  const ends: (() => unknown)[] = [];

  beforeAll(async () => {
    browser = await launchBrowser();
  });
  beforeEach(async () => {
    context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  });
  afterEach(async () => {
    await context.close();
    for (const end of ends.splice(0)) await end();
  });
  afterAll(() => browser?.close());

  async function preview(directory: string, words: string[] = [], environment: Record<string, string> = {}) {
    const running = await startPreview(directory, words, environment);
    ends.push(running.stop);
    return running;
  }

  async function serve(listener: RequestListener, port = 0): Promise<{ address: string; close: () => void }> {
    const server: Server = createServer(listener);
    await new Promise<void>((done) => server.listen(port, '127.0.0.1', done));
    const close = () => (server.closeAllConnections(), server.close());
    ends.push(close);
    return { address: `http://127.0.0.1:${(server.address() as AddressInfo).port}`, close };
  }

  async function demo(): Promise<{ directory: string; running: Running }> {
    const directory = join(folderWith({}), 'ferries');
    writeDemoProject(directory);
    writeDemoSite(join(directory, 'live'), 'live');
    await run(directory, ['init', 'live']);
    return { directory, running: await preview(directory) };
  }

  test('ships to the pages what build ships, and its panel changes nothing on them', async () => {
    const { directory, running } = await demo();
    await runBuiltHere(directory, ['build', '--as', 'bundle', '--out', 'out', '--force']);
    for (const name of ['local-needle.css', 'local-needle.js']) {
      const served = await (await fetch(`${running.pages}.local-needle/${name}`)).text();
      expect(served).toBe(readFileSync(join(directory, 'out', name), 'utf8'));
    }
    for (const path of runsOf(0, 1) > 0 ? ['tickets/pay', 'harbours/skerry', ''] : ['tickets/pay', 'harbours/skerry']) {
      const { tab } = await pageWithPanel(context, running.pages + path, false);
      const bare = await context.newPage();
      await bare.route('**/page.js', (route) => route.abort());
      await bare.goto(running.pages + path);
      await bare.waitForLoadState('networkidle');
      // The panel's element is in html, outside of body.
      const seen = async (page: Page) =>
        (await page.evaluate(looks)).map((each) => each.replace(/^HTML [|\s]*/, 'HTML'));
      const shown = await seen(tab);
      expect(shown.length).toBeGreaterThan(20);
      expect(shown).toEqual(await seen(bare));
      expect(await tab.evaluate(() => document.documentElement.scrollHeight)).toBe(
        await bare.evaluate(() => document.documentElement.scrollHeight),
      );
    }
    const { tab } = await pageWithPanel(context, `${running.pages}tickets/pay`);
    const box = () => tab.evaluate(() => document.querySelector('local-needle-panel')?.getClientRects().length);
    expect(await box()).toBe(1);
    await tab.emulateMedia({ media: 'print' });
    expect(await box()).toBe(0);
  });

  test('has overview and panel without a serious fault by axe, light and dark', async () => {
    const { running } = await demo();
    const axe = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');
    const overview = await context.newPage();
    await overview.goto(running.overview);
    await overview.locator('.finding').first().waitFor();
    const { tab } = await pageWithPanel(context, `${running.pages}tickets/pay`);
    const panel = await context.newPage();
    await panel.goto((await panelOf(tab)).url());
    await panel.getByRole('button', { name: /Local Needle/ }).click();
    await panel.locator('#rules .verdict').first().waitFor();
    for (const page of [overview, panel])
      for (const colorScheme of ['light', 'dark'] as const) {
        await page.emulateMedia({ colorScheme });
        // By the developer tools' own way: the page's policy lets no other script in.
        const faults = await page.evaluate(
          `${axe}; axe.run().then(({ violations }) => violations.map(({ id, impact, nodes }) => [id, impact, nodes[0].html]))`,
        );
        expect((faults as string[][]).filter(([, impact]) => impact === 'serious' || impact === 'critical')).toEqual(
          [],
        );
      }
  });

  test('shows a saved rule at once: styles without a reload, scripts with one of the pages they touch', async () => {
    const directory = smallProject('@needle blue { pages: path("/"); .x { color: blue; } }\n');
    const running = await preview(directory);
    const { tab: front } = await pageWithPanel(context, running.pages, false);
    const { tab: pay } = await pageWithPanel(context, `${running.pages}tickets/pay.html`, false);
    for (const tab of [front, pay]) await tab.evaluate('window.stayed = true');
    writeFileSync(join(directory, 'rules/a.css'), '@needle blue { pages: path("/"); .x { color: teal; } }\n');
    await until(async () => (await colourOf(front, '.x')) === teal);
    expect(await front.evaluate('window.stayed')).toBe(true);
    expect(await front.locator('link[data-local-needle]').count()).toBe(1);
    appendFileSync(
      join(directory, 'rules/a.css'),
      '@needle words { pages: path("/tickets/pay.html"); @swap .promo-field { text: "No code"; } }\n',
    );
    await pay.getByText('No code').waitFor();
    expect(await pay.evaluate('window.stayed')).toBeUndefined();
    expect(await front.evaluate('window.stayed')).toBe(true);
    writeFileSync(join(directory, 'public/index.html'), pageHtml('class="page-1"', '<p class="x">New words</p>'));
    await front.getByText('New words').waitFor();
    // A site that is built again is gone for a moment.
    rmSync(join(directory, 'public'), { recursive: true });
    await until(() => running.said().includes('public'));
    expect((await fetch(running.pages)).status).toBe(500);
    mkdirSync(join(directory, 'public'));
    writeFileSync(join(directory, 'public/index.html'), pageHtml('class="page-1"', '<p class="x">Built anew</p>'));
    await front.getByText('Built anew').waitFor();
  });

  test('keeps the last good rules while a file is broken, and says so on page, overview and terminal', async () => {
    const good = '@needle blue { pages: path("/"); .x { color: teal; } }\n';
    const directory = smallProject(good);
    const running = await preview(directory);
    const { tab, panel } = await pageWithPanel(context, running.pages);
    const overview = await context.newPage();
    await overview.goto(running.overview);
    writeFileSync(join(directory, 'rules/a.css'), '@needle blue { pages: path("/"); @hide .x \n');
    for (const place of [panel, overview])
      await place.getByRole('alert').filter({ hasText: 'rules/a.css:1' }).waitFor();
    expect(running.said()).toMatch(/rules\/a\.css:1.*\n.*@needle blue/);
    expect(await colourOf(tab, '.x')).toBe(teal);
    await tab.reload();
    expect(await colourOf(tab, '.x')).toBe(teal);
    writeFileSync(join(directory, 'rules/a.css'), good.replace('teal', 'red'));
    await until(async () => (await colourOf(tab, '.x')) === 'rgb(255, 0, 0)');
    for (const place of [await panelOf(tab), overview]) await place.getByRole('alert').waitFor({ state: 'hidden' });
  });

  test('switches rules for itself alone, in two browsers at once', async () => {
    const rules =
      '@needle first { note: "Calm."; pages: path("/"); .x { color: teal; } }\n@needle second { pages: path("/"); @swap .logo { alt: "Ferries"; } }\n';
    const directory = smallProject(rules);
    const running = await preview(directory);
    const { tab, panel } = await pageWithPanel(context, running.pages);
    const other = await browser.newContext();
    ends.push(() => other.close());
    const { tab: far, panel: farPanel } = await pageWithPanel(other, running.pages);
    const overview = await other.newPage();
    await overview.goto(running.overview);
    await overview.getByRole('switch', { name: 'first in this preview' }).focus();
    await overview.keyboard.press('Space');
    for (const each of [tab, far]) await until(async () => (await colourOf(each, '.x')) === 'rgb(0, 0, 0)');
    for (const each of [panel, farPanel]) {
      await each.getByText('turned off in this preview').waitFor();
      expect(await each.getByRole('switch', { name: 'first' }).isChecked()).toBe(false);
    }
    await overview.getByText('off in this preview, 1 page').waitFor();
    expect(await tab.getByAltText('Ferries').count()).toBe(1);
    await panel.getByRole('button', { name: 'Before' }).click();
    await until(async () => (await tab.getByAltText('Ferries').count()) === 0);
    await (await panelOf(tab)).getByRole('button', { name: 'After' }).click();
    await until(async () => (await tab.getByAltText('Ferries').count()) === 1 && (await colourOf(far, '.x')) === teal);
    expect(readFileSync(join(directory, 'rules/a.css'), 'utf8')).toBe(rules);
  });

  test('searches, filters and explains on the overview', async () => {
    const { running } = await demo();
    const overview = await context.newPage();
    await overview.goto(running.overview);
    const rows = overview.locator('#pages tr');
    await overview.getByRole('row', { name: /tickets\/pay/ }).waitFor();
    // The map is found by keys: the rules of menu.css, the third on the pages of the journal.
    await overview.locator('#map').focus();
    for (let turn = 0; turn < 2; turn++) await overview.keyboard.press('ArrowDown');
    const said = overview.locator('#map-said');
    for (let turn = 0; turn < 40 && !(await said.textContent())?.includes('overridden'); turn++)
      await overview.keyboard.press('ArrowRight');
    expect(await said.textContent()).toMatch(/^calm-footer, \/journal.*: overridden$/);
    await overview.keyboard.press('Enter');
    await overview.getByRole('dialog').getByText('theme.css:24').first().waitFor();
    await overview.keyboard.press('Escape');
    const all = await rows.count();
    await overview.getByLabel('pages without rules').check();
    await until(async () => (await rows.count()) > all);
    await overview.getByLabel('pages without rules').uncheck();
    await overview.getByLabel('Search').fill('calm-payment');
    await until(async () => (await rows.locator('a').allTextContents()).join() === '/tickets/pay');
    await overview.getByLabel('Search').fill('');
    await overview.getByRole('button', { name: 'calm-footer', exact: true }).click();
    expect(await rows.locator('.verdict').allTextContents()).toEqual(Array(3).fill('overridden'));
    await overview.getByRole('button', { name: 'overridden calm-footer' }).first().click();
    await overview.getByRole('dialog').getByText('theme.css:24').first().waitFor();
    await overview.getByRole('dialog').getByText('important: yes would win').first().waitFor();
    await overview.keyboard.press('Escape');
    expect(await overview.getByRole('dialog').count()).toBe(0);
    await rows.locator('a').first().click();
    await overview.waitForURL(`${running.pages}journal/**`);
    await overview.goBack();
    // The search, which is kept, leaves findings out too.
    expect(await overview.locator('#findings h3:visible', { hasText: 'promo-once' }).count()).toBe(0);
    await overview.getByLabel('Search').fill('promo');
    await overview.locator('#findings h3', { hasText: 'promo-once' }).getByRole('link').click();
    await overview.waitForURL(`${running.pages}tickets/**`);
  });

  test('stays quick with 1,000 pages and 100 rules', async () => {
    const running = await preview(smallProject(''));
    const overview = await context.newPage();
    const rule = (name: string) => ({
      name,
      place: 'rules/a.css:1',
      note: null,
      status: 'on',
      pages: 1000,
      verdicts: {},
    });
    const cells = [...Array(100).keys()].map((index) => ({ rule: index, verdict: 'hit', sure: true }));
    const state = {
      ...{ site: 'live', how: 'desktop', problem: null, judging: false, findings: '' },
      templates: [
        { name: '/journal/*', pages: 900, path: '/journal/1', address: '/' },
        { name: '/journal/* (2)', pages: 100, path: '/journal/0', address: '/' },
      ],
      totals: { pages: 1000, cells: 100_000, errors: 0, warnings: 0 },
      rules: [...Array(100).keys()].map((index) => rule(`rule-${index}`)),
      pages: [...Array(1000).keys()].map((index) => ({
        ...{ path: `/journal/${index}`, address: '/', title: '', cells },
        template: index % 10 === 0 ? 1 : 0,
      })),
    };
    await overview.route('**/overview.json', (route) => route.fulfill({ json: state }));
    await overview.goto(running.overview);
    await overview.getByText('1000 pages, 100000 cells shown').waitFor();
    // Pages of a section stand in one column of the map.
    await overview.locator('#map').focus();
    await overview.getByText('rule-0, /journal, 1000 pages: hit on 1000').waitFor();
    // Or of a template, the largest first; a click leaves its pages alone.
    await overview.getByLabel('Pages by').selectOption('template');
    await overview.locator('#map').focus();
    await overview.getByText('rule-0, /journal/*, 900 pages: hit on 900').waitFor();
    await overview.keyboard.press('ArrowRight');
    await overview.getByText('rule-0, /journal/* (2), 100 pages: hit on 100').waitFor();
    await overview.keyboard.press('Enter');
    await overview.getByText('100 pages, 10000 cells shown').waitFor();
    expect(await overview.getByLabel('Search').inputValue()).toBe('template:2');
    await overview.getByLabel('Pages by').selectOption('section');
    await overview.getByLabel('Search').fill('/journal/999 rule-42');
    await overview.getByText('1 page, 1 cell shown').waitFor();
    await overview.locator('#map').focus();
    await overview.getByText('rule-42, /journal/999: hit').waitFor();
    await overview.getByLabel('Search').fill('');
    const few = await overview.locator('#pages tr').count();
    await overview.getByRole('button', { name: 'Show more pages' }).click();
    expect(await overview.locator('#pages tr').count()).toBeGreaterThan(few);
  });

  test("copies the page's handles in the form that a rule takes", async () => {
    const running = await preview(smallProject('@needle a { pages: all; .x { color: teal; } }\n'));
    await context.grantPermissions(['clipboard-read', 'clipboard-write']);
    const address = `${running.pages}tickets/pay.html`.replace('127.0.0.1', 'localhost');
    const { tab, panel } = await pageWithPanel(context, address);
    const shown = await panel.locator('#handles button').allTextContents();
    expect(shown).toEqual(['path("/tickets/pay.html")', 'page-id(46)', 'body-id(pay)', 'body-class(section-tickets)']);
    await panel.getByRole('button', { name: 'page-id(46)' }).click();
    await panel.getByText('Copied page-id(46)').waitFor();
    expect(await tab.evaluate('navigator.clipboard.readText()')).toBe('page-id(46)');
    for (let turn = 0; turn < 2; turn++) {
      await tab.keyboard.press('Escape');
      await panel.getByRole('button', { name: /Local Needle/ }).waitFor();
    }
  });

  test('writes a rule for an element that was pointed at, by mouse or by keys, and shows it at once', async () => {
    const late = '<script>document.body.append(Object.assign(document.createElement("aside"), {id: "chat"}))</script>';
    const body = '<div class="promo-field">Code <b>here</b></div><p class="fine">Small print</p>';
    const directory = smallProject('@needle a { pages: path("/legal"); .masthead { color: teal; } }\n', {
      'public/tickets/pay.html': pageHtml('class="page-46"', body + late),
    });
    const running = await preview(directory);
    const { tab, panel } = await pageWithPanel(context, `${running.pages}tickets/pay.html`, false);
    await tab.keyboard.press('Alt+Shift+N');
    await tab.evaluate(() =>
      document.querySelector('.promo-field')?.addEventListener('click', () => (document.title = 'clicked')),
    );
    await panel.getByRole('button', { name: 'Point at an element' }).click();
    await tab.locator('.promo-field b').click();
    await panel.getByText('.promo-field b', { exact: true }).waitFor();
    expect(await tab.title()).not.toBe('clicked');
    await panel.getByRole('button', { name: 'The element around it' }).click();
    const choice = panel.locator('.proposals > div').first();
    await choice.filter({ hasText: '.promo-field' }).filter({ hasText: '1 here, on 0 other pages' }).waitFor();
    await panel.getByLabel('Note').fill('Asked for already.');
    await panel.locator('.rule-form .hit').waitFor();
    expect(existsSync(join(directory, 'rules/added.css'))).toBe(false);
    await panel.getByRole('button', { name: 'Write to rules/added.css' }).click();
    await panel.getByText('Added hide-promo-field-tickets-pay-html to rules/added.css').waitFor();
    await tab.locator('.promo-field').waitFor({ state: 'hidden' });
    expect(readFileSync(join(directory, 'rules/added.css'), 'utf8')).toBe(
      '@needle hide-promo-field-tickets-pay-html {\n  note: "Asked for already.";\n  pages: path("/tickets/pay.html");\n  @hide .promo-field;\n}\n',
    );
    // By keys alone: the last element of body is what the script made.
    await panel.getByRole('button', { name: 'Point at an element' }).focus();
    await tab.keyboard.press('Enter');
    await panel.getByText('body', { exact: false }).first().waitFor();
    for (const key of ['ArrowDown', 'ArrowRight', 'ArrowRight', 'ArrowRight', 'Enter']) await tab.keyboard.press(key);
    await panel.getByText('added by a script').first().waitFor();
    await panel.getByLabel('Restyle').check();
    await panel.getByLabel(/Declarations/).fill('color: teal');
    await panel.getByText('added-by: script').waitFor();
    await panel.getByRole('button', { name: 'Write to rules/added.css' }).click();
    await panel.getByText('Added style-chat-tickets-pay-html').waitFor();
    await until(async () => (await colourOf(tab, '#chat')) === teal);
    expect((await run(directory, ['check'])).status).toBe(0);
  });

  test('refuses what would not be one rule, and writes nothing', async () => {
    // That its pages do not load the build yet is no fault of a rule.
    const directory = smallProject('@needle a { pages: path("/"); .x { color: teal; } }\n', {
      'local-needle.yaml':
        'version: 1\nsites: { live: { folder: public, bundle-address: /assets/local-needle.css } }\n',
    });
    const { overview } = await preview(directory);
    const asked = {
      ...{ doing: 'hide', selector: '.x', content: '', pages: 'path("/")', name: 'fresh', note: '' },
      ...{ addedByScript: false, state: null, visitor: null, important: false },
    };
    const cases: [object, string][] = [
      [{ ...asked, selector: '.x; } @needle evil { pages: all; @hide body' }, ''],
      [{ ...asked, doing: 'style', content: 'color: red; } } @needle evil { pages: all; .y { color: red' }, 'one rule'],
      [{ ...asked, pages: 'all; @hide body' }, ''],
      [{ ...asked, name: 'x { } @needle y' }, 'name'],
      [{ ...asked, name: 'a' }, 'already'],
      [{ ...asked, file: '../evil.css' }, 'file'],
      [[], 'object'],
    ];
    const send = (body: object, origin: string) =>
      fetch(`${overview}write`, {
        method: 'POST',
        headers: { 'content-type': 'application/json', origin },
        body: JSON.stringify(Array.isArray(body) || 'edit' in body ? body : { rule: body }),
      });
    const edits: [object, string][] = [
      [{ edit: { name: 'a', text: '@needle a { pages: path("/"); @hide .x ' } }, 'not valid CSS'],
      [{ edit: { name: 'a', text: '.x { color: red }' } }, 'not one @needle block'],
      [{ edit: { name: 'b', text: '@needle b { pages: path("/"); @hide .x; }' } }, 'There is no rule'],
      [{ rule: asked, edit: { name: 'a', text: 5 } }, 'text'],
    ];
    for (const [body, words] of [...cases, ...edits]) {
      const answer = await send(body, new URL(overview).origin);
      expect([answer.status >= 400, ((await answer.json()) as { error: string }).error]).toEqual([
        true,
        expect.stringContaining(words),
      ]);
    }
    expect((await send(asked, 'http://evil.example')).status).toBe(403);
    expect(existsSync(join(directory, 'rules/added.css'))).toBe(false);
    expect((await send(asked, new URL(overview).origin)).status).toBe(200);
    expect(existsSync(join(directory, 'rules/added.css'))).toBe(true);
  });

  test('gives hostile pages and requests nothing', async () => {
    const evil = '<img src=x onerror="top.hacked=1">';
    const attribute = evil.replace(/"/g, '&quot;');
    const path = `${encodeURIComponent('<img src=x onerror=top.hacked=1>')}`;
    const directory = smallProject('@needle a { pages: path("/*"); .x { color: teal; } @hide .nothing; }\n', {
      [`public/${decodeURIComponent(path)}.html`]: pageHtml(
        `class="page-9 ${attribute}" id="${attribute}"`,
        `<p class="x ${attribute}" id='${attribute}'>${evil.replace(/</g, '&lt;')}</p>
         <script>addEventListener('message', (event) => window.forging && event.source.postMessage({ needle: 'picked', html: '<body data-local-needle-picked>' }, '*'));</script>`,
        `</title>${evil}`.replace(/</g, '&lt;'),
      ),
      'public/.secret': 'hidden',
      'secret.txt': 'the secret',
    });
    symlinkSync(join(directory, 'secret.txt'), join(directory, 'public/link.txt'));
    const running = await preview(directory);
    const { tab, panel } = await pageWithPanel(context, `${running.pages}${path}.html`);
    await panel.getByRole('button', { name: 'Point at an element' }).click();
    await tab.locator('.x').click();
    await panel.locator('.proposals').waitFor();
    // From here on the page answers whatever the panel asks with an element of its own choice.
    await tab.evaluate('window.forging = true');
    await panel.getByRole('button', { name: 'Point at an element' }).click();
    await panel
      .locator('#picked code', { hasText: /^body$/ })
      .first()
      .waitFor({ state: 'attached' });
    const overview = await context.newPage();
    await overview.goto(running.overview);
    await overview.getByText('onerror=').first().waitFor();
    await overview.locator('.finding').first().waitFor();
    for (const frame of [tab.mainFrame(), panel, overview.mainFrame()]) {
      expect(await frame.evaluate('window.hacked')).toBeUndefined();
      expect(await frame.locator('img[onerror]').count()).toBe(0);
    }
    // Nothing from another place: the page's scripts can neither read nor ask the overview.
    const asked = await tab.evaluate(
      (address) => fetch(`${address}overview.json`).then(String, () => 'refused'),
      running.overview,
    );
    expect(asked).toBe('refused');
    symlinkSync(directory, join(directory, 'public/way'));
    const host = new URL(running.pages).host;
    const requests: [string, RegExp][] = [
      [`GET /../secret.txt HTTP/1.1\nHost: ${host}\n\n`, /^HTTP\/1.1 40\d/],
      [`GET /..%2fsecret.txt HTTP/1.1\nHost: ${host}\n\n`, /^HTTP\/1.1 40\d/],
      [`GET /%2e%2e/%2e%2e/secret.txt HTTP/1.1\nHost: ${host}\n\n`, /^HTTP\/1.1 40\d/],
      [`GET /link.txt HTTP/1.1\nHost: ${host}\n\n`, /^HTTP\/1.1 404/],
      [`GET /way/secret.txt HTTP/1.1\nHost: ${host}\n\n`, /^HTTP\/1.1 404/],
      [`GET /.local-needle/..%2f..%2fsecret.txt HTTP/1.1\nHost: ${host}\n\n`, /^HTTP\/1.1 404/],
      [`GET /%ff%00 HTTP/1.1\nHost: ${host}\n\n`, /^HTTP\/1.1 40\d/],
      [`GET //evil.example/ HTTP/1.1\nHost: ${host}\n\n`, /^HTTP\/1.1 404/],
      [`GET http://evil.example/ HTTP/1.1\nHost: ${host}\n\n`, /^HTTP\/1.1 400/],
      ['GET / HTTP/1.1\nHost: evil.example\n\n', /^HTTP\/1.1 403/],
      [`GET / HTTP/1.1\nHost: 127.0.0.1\n\n`, /^HTTP\/1.1 403/],
      [`POST / HTTP/1.1\nHost: ${host}\nContent-Length: 0\n\n`, /^HTTP\/1.1 405/],
    ];
    for (const [request, status] of requests) {
      const answer = await raw(running.pages, request.replace('\n\n', '\nConnection: close\n\n'));
      expect([request, answer]).toEqual([request, expect.stringMatching(status)]);
      expect(answer).not.toContain('the secret');
    }
    const far = await raw(running.overview, 'GET /overview.json HTTP/1.1\nHost: evil.example\nConnection: close\n\n');
    expect(far).toMatch(/^HTTP\/1.1 403/);
  });

  test('gives other websites nothing, and the visitor’s session to its own pages alone', async () => {
    const got: { url: string; method: string; cookie: string }[] = [];
    const site = createServer(({ url = '', method = '', headers }, response) => {
      got.push({ url, method, cookie: headers.cookie ?? '' });
      response
        .writeHead(200, { 'content-type': 'text/html', 'access-control-allow-origin': '*' })
        .end(pageHtml('class="page-1"', '<p class="x">a</p><img src="/own.png"><a href="/next">n</a>'));
    });
    await new Promise<void>((done) => site.listen(0, '127.0.0.1', done));
    const address = `http://127.0.0.1:${(site.address() as AddressInfo).port}`;
    const directory = folderWith({
      'local-needle.yaml': `version: 1\nsites: { live: { address: "${address}" } }\nvisitors: { member: { cookies: { session: "secret" } } }\n`,
      'rules/a.css': '@needle a { pages: all; .x { color: teal; } }',
    });
    await run(directory, ['capture']);
    await run(directory, ['capture', '--visitor', 'member']);
    got.length = 0;
    const running = await preview(directory, ['--live', '--visitor', 'member']);
    const { port } = new URL(running.pages);
    const evil = createServer((_request, response) =>
      response.writeHead(200, { 'content-type': 'text/html' }).end(`<body><script>
        const to = 'http://127.0.0.1:${port}';
        fetch(to + '/read').then((answer) => answer.text()).catch(() => {});
        fetch(to + '/send', { method: 'POST', body: 'a=1', mode: 'no-cors' }).catch(() => {});
        document.body.insertAdjacentHTML('beforeend', '<img src="' + to + '/picture"><iframe name="f"></iframe><form target="f" method="post" action="' + to + '/form"></form>');
        document.forms[0].submit();
      </script>`),
    );
    await new Promise<void>((done) => evil.listen(0, '127.0.0.1', done));
    const evilPort = (evil.address() as AddressInfo).port;
    for (const host of ['127.0.0.1', 'localhost']) {
      const tab = await context.newPage();
      await tab.goto(`http://${host}:${evilPort}/`);
      await tab.waitForLoadState('networkidle');
    }
    expect(got).toEqual([]);
    const tab = await context.newPage();
    await tab.goto(running.pages);
    await tab.waitForLoadState('networkidle');
    await tab.getByText('n', { exact: true }).click();
    await tab.waitForURL('**/next');
    expect(got.map(({ url }) => url)).toEqual(expect.arrayContaining(['/', '/own.png', '/next']));
    expect(new Set(got.map(({ cookie }) => cookie))).toEqual(new Set(['session=secret']));
    // The overview links to the pages.
    const overview = await context.newPage();
    await overview.goto(running.overview);
    const link = overview.locator(`a[href^="http://127.0.0.1:${port}/"]`).first();
    await link.waitFor();
    await link.evaluate((each: HTMLAnchorElement) => each.removeAttribute('target'));
    await link.click();
    await overview.locator('.x').waitFor();
    for (const server of [site, evil]) {
      server.closeAllConnections();
      server.close();
    }
  });

  test('has its panel on pages that zoom, move, cover, remove or rewrite themselves', async () => {
    const pointed = '<p class="x" style="margin: 40px">Words to point at</p>';
    // Once the panel is there.
    const later = (script: string) =>
      `${pointed}<script>setTimeout(function wait() { if (!document.querySelector('local-needle-panel')) return setTimeout(wait, 20); ${script}; window.isDone = true; }, 20)</script>`;
    const hostile: Record<string, [html: string, inside: string]> = {
      zoom: ['style="zoom: 1.5"', pointed],
      scaled: ['style="transform: scale(0.5); transform-origin: 0 0"', pointed],
      rtl: ['dir="rtl"', pointed],
      removes: ['', later("document.querySelector('local-needle-panel').remove()")],
      rewrites: ['', later(`document.documentElement.innerHTML = '<body class="page-1">${pointed}</body>'`)],
      covers: ['', `${pointed}<div style="position: fixed; inset: 0; z-index: 2147483647"></div>`],
      dialog: [
        '',
        '<dialog style="padding: 60px"><p class="x">Words to point at</p></dialog><script>document.querySelector("dialog").showModal()</script>',
      ],
      laterDialog: [
        '',
        `<p>behind</p><dialog style="padding: 60px"><p class="x">Words to point at</p></dialog>${later("document.querySelector('dialog').showModal()")}`.replace(
          pointed,
          '',
        ),
      ],
      history: [
        '',
        `${pointed}<script>let n = 0; setInterval(() => history.pushState({}, '', '?n=' + (n++ % 7)), 30)</script>`,
      ],
      many: ['', pointed + '<div><i></i><b></b></div>'.repeat(runsOf(8000, 33_000))],
    };
    const files = Object.entries(hostile).map(([name, [html, body]]) => [
      `public/${name}.html`,
      `<!doctype html><html ${html}><head><title>${name}</title></head><body class="page-1">${body}</body></html>`,
    ]);
    const running = await preview(
      smallProject('@needle a { pages: all; .x { color: teal; } }', Object.fromEntries(files)),
    );
    // Every second of them, the others in another run; all in the long one.
    const [step, first] = runsOf(0, 1) > 0 ? [1, 0] : [2, Math.floor(Math.random() * 2)];
    for (const name of Object.keys(hostile).filter((_name, at) => at % step === first)) {
      const tab = await context.newPage();
      await tab.goto(`${running.pages}${name}.html`);
      if (/^(re|later)/.test(name)) await tab.waitForFunction('window.isDone');
      const panel = await panelOf(tab);
      const box = await (await panel.frameElement()).boundingBox();
      expect([name, box]).toEqual([name, { x: 1142, y: 756, width: 130, height: 36 }]);
      await panel.getByRole('button', { name: /Local Needle/ }).click();
      await panel.getByRole('button', { name: 'Point at an element' }).click();
      const seen = await tab.locator('.x').boundingBox();
      // The page hears of it a moment later: the pointer moves until then.
      let moves = 0;
      const under = panel.getByRole('button', { name: name === 'covers' ? 'div' : 'p.x' });
      await until(async () => {
        await tab.mouse.move((seen?.x ?? 0) + 30 + (moves++ % 2), (seen?.y ?? 0) + 4);
        return under.isVisible();
      });
      if (name === 'covers') await panel.getByRole('button', { name: 'Below it' }).click();
      await panel.getByRole('button', { name: 'p.x' }).click();
      await panel.locator('.proposals').getByText('.x', { exact: true }).waitFor();
      await tab.close();
    }
  });

  test('stays in use while a modal dialog is open, also where a draft hides that', async () => {
    const dialog =
      '<dialog><p class="x">Winter fares</p><button onclick="this.closest(\'dialog\').close()">OK</button></dialog>';
    const running = await preview(
      smallProject('@needle a { pages: all; .x { color: teal; } }', {
        'public/modal.html': pageHtml(
          'class="page-1"',
          `${dialog}<button id="more" onclick="document.querySelector('dialog').showModal()">More</button>`,
        ),
      }),
    );
    const { tab, panel } = await pageWithPanel(context, `${running.pages}modal.html`);
    await panel.getByRole('button', { name: 'Point at an element' }).click();
    await tab.locator('#more').click();
    await panel.getByLabel('Note').fill('Kept while dialogs come and go.');
    await panel.getByLabel('Only here').check();
    await tab.locator('#more').click();
    await panel.getByLabel('Name').fill('typed-in-the-dialog');
    await tab.getByRole('button', { name: 'OK' }).click();
    expect(await panel.getByLabel('Note').inputValue()).toBe('Kept while dialogs come and go.');
    expect(await panel.getByLabel('Name').inputValue()).toBe('typed-in-the-dialog');
    // What was typed last was not shown yet, and is not shown any more.
    await panel.getByRole('button', { name: 'Cancel' }).click();
    await tab.locator('#more').click();
    await panel.getByRole('button', { name: 'Point at an element' }).click();
    await tab.locator('.x').hover();
    await panel.getByRole('button', { name: 'dialog', exact: true }).click();
    await tab.locator('.x').waitFor({ state: 'hidden' });
    // Escape ends the panel's own dialog, but not while it is needed.
    await tab.locator('body').evaluate(() => (document.activeElement as HTMLElement | null)?.blur());
    await tab.keyboard.press('Escape');
    // Before a style is typed there is nothing to show.
    await panel.getByLabel('Restyle').check();
    await tab.locator('.x').waitFor();
    await panel.getByRole('button', { name: 'Cancel' }).click();
    await tab.getByRole('button', { name: 'OK' }).click();
    expect(await tab.evaluate("document.querySelector('local-needle-panel').parentElement.tagName")).toBe('HTML');
    await tab.locator('#more').click();
    await tab.evaluate("document.querySelector('dialog').remove()");
    // With its dialog it is removed too, and comes back.
    await tab.waitForFunction("document.querySelector('html > local-needle-panel')");
    await (await panelOf(tab)).getByRole('button', { name: 'Close the panel' }).click();
  });

  test('passes WebSockets on to the running site, for its own pages alone', async () => {
    const site = createServer((_request, response) =>
      response.writeHead(200, { 'content-type': 'text/html' }).end(
        pageHtml(
          'class="page-1"',
          `<p class="x"></p><script>
          const socket = new WebSocket('ws://' + location.host + '/live');
          socket.onopen = () => socket.send('hello');
          socket.onmessage = ({ data }) => (document.querySelector('.x').textContent += data);
        </script>`,
        ),
      ),
    );
    const sockets = new WebSocketServer({ server: site });
    const heard: (string | undefined)[] = [];
    sockets.on('connection', (socket, { headers }) => {
      heard.push(headers.cookie, headers.origin);
      socket.on('message', (words) => socket.send(`${String(words)} yourself`));
    });
    await new Promise<void>((done) => site.listen(0, '127.0.0.1', done));
    const address = `http://127.0.0.1:${(site.address() as AddressInfo).port}`;
    const directory = folderWith({
      'local-needle.yaml': `version: 1\nsites: { live: { address: "${address}" } }\nvisitors: { member: { cookies: { session: "secret" } } }\n`,
      'rules/a.css': '@needle a { pages: all; .x { color: teal; } }',
    });
    await run(directory, ['capture']);
    await run(directory, ['capture', '--visitor', 'member']);
    const running = await preview(directory, ['--live', '--visitor', 'member']);
    const tab = await context.newPage();
    await tab.goto(running.pages);
    await tab.getByText('hello yourself').waitFor();
    expect(heard).toEqual(['session=secret', address]);
    const { host } = new URL(running.pages);
    const ask = (origin: string) =>
      raw(
        running.pages,
        `GET /live HTTP/1.1\nHost: ${host}\nOrigin: ${origin}\nConnection: Upgrade\nUpgrade: websocket\nSec-WebSocket-Version: 13\nSec-WebSocket-Key: AAAAAAAAAAAAAAAAAAAAAA==\n\n`,
      );
    expect(await ask('http://evil.example')).toMatch(/^HTTP\/1.1 403/);
    expect(heard).toHaveLength(2);
    sockets.close();
    site.closeAllConnections();
    site.close();
  });

  test('works on a page with a strict policy, and says what the live page would need', async () => {
    const directory = smallProject('@needle a { pages: path("/"); .x { color: teal; } @swap .x { text: "New"; } }\n', {
      'public/index.html': pageHtml(
        'class="page-1"',
        '<p class="x">a</p><script>document.title = "ran"</script>',
      ).replace(
        '<head>',
        `<head><meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'none'; script-src 'nonce-abc' 'strict-dynamic'">`,
      ),
    });
    const running = await preview(directory);
    const { tab, panel } = await pageWithPanel(context, running.pages);
    await tab.getByText('New').waitFor();
    expect(await colourOf(tab, '.x')).toBe(teal);
    // The page's own scripts stay forbidden.
    expect(await tab.title()).toBe('Saltmere');
    for (const file of ['local-needle.css', 'local-needle.js'])
      await panel.getByText(new RegExp(`forbids ${file.replace('.', '\\.')}.*the live site must allow it`)).waitFor();
  });

  test('passes a running site through: signed in, with forms, its cookies and addresses', async () => {
    const posted: string[] = [];
    const seen: (string | undefined)[] = [];
    const site = await serve((request, response) => {
      seen.push(request.headers.origin);
      const own = `http://${request.headers.host}`;
      if (request.method === 'POST') {
        request.on('data', (part: Buffer) => posted.push(part.toString()));
        request.on('end', () =>
          response.writeHead(303, { location: `${own}/`, 'set-cookie': ['crew=1; Secure; HttpOnly', 'b=2'] }).end(),
        );
        return;
      }
      const member = /crew=1/.test(request.headers.cookie ?? '') ? 'is-member' : '';
      if (request.url === '/sw.js')
        return void response.setHeader('content-type', 'text/javascript').end('/* answers for all */');
      const html = pageHtml(
        `class="page-1 ${member}"`,
        `<p class="x">Ahoy ${member}</p><form method="post" action="/sign-in"><input name="who" value="Ada &amp; Finn"><button>Go</button></form><a href="${own}/far">Far</a>`,
      ).replace(
        '</head>',
        `<style>/*! local-needle begin: live */ .x { color: red !important; } /*! local-needle end */</style><script src="${own}/own.js" type="module"></script></head>`,
      );
      if (request.url === '/own.js')
        response.setHeader('content-type', 'text/javascript').end('document.title = "ran"');
      else response.setHeader('content-type', 'text/html; charset=utf-8').end(html);
    });
    const directory = folderWith({
      'local-needle.yaml': `version: 1\nsites: { live: { address: "${site.address}" } }\n`,
      'rules/a.css':
        '@needle a { pages: path("/"); .x { color: teal; } }\n@needle b { pages: body-class(is-member); .x { text-decoration: underline; } }\n',
    });
    await run(directory, ['capture', '--limit', '1']);
    const running = await preview(directory, ['--live']);
    const { tab } = await pageWithPanel(context, running.pages);
    expect(await colourOf(tab, '.x')).toBe(teal);
    expect(await tab.title()).toBe('ran');
    const worker = () => navigator.serviceWorker.register('/sw.js').then(String, () => 'refused');
    expect(await tab.evaluate(worker)).toBe('refused');
    await tab.getByRole('button', { name: 'Go' }).click();
    await tab.getByText('Ahoy is-member').waitFor();
    expect(tab.url()).toBe(running.pages);
    expect(posted.join('')).toBe('who=Ada+%26+Finn');
    expect(seen).toContain(site.address);
    const panel = await panelOf(tab);
    await panel.getByRole('button', { name: 'body-class(is-member)' }).waitFor();
    await tab.getByText('Far').click();
    await tab.waitForURL(`${running.pages}far`);
    await (await panelOf(tab)).getByText('this page was not captured').first().waitFor();
  });

  test('shows a recording: its pages by their query, its styles and pictures', async () => {
    const entry = (url: string, mimeType: string, text: string, policy?: string) => ({
      request: { method: 'GET', url: `https://www.saltmere.example${url}`, headers: [] },
      response: {
        status: 200,
        headers: policy ? [{ name: 'Content-Security-Policy', value: policy }] : [],
        content: { size: text.length, mimeType, text },
      },
    });
    const entries = [
      entry('/', 'text/html', pageHtml('class="page-1"', '<p class="x">a</p>')),
      entry('/news?p=12', 'text/html', pageHtml('class="page-2"', '<p class="x">b</p>'), "style-src 'none'"),
      entry('/s.css', 'text/css', '.x { color: red; } /*! local-needle begin: live */ .y {} /*! local-needle end */'),
      entry('/l.svg', 'image/svg+xml', '<svg xmlns="http://www.w3.org/2000/svg"/>'),
    ];
    const directory = folderWith({
      'local-needle.yaml': 'version: 1\nsites: { clicked: { har: visit.har, query-keys: [p] } }\n',
      'visit.har': JSON.stringify({ log: { version: '1.2', creator: {}, entries } }),
      'rules/a.css': '@needle a { pages: query("p=12"); .x { color: teal; } }\n',
    });
    const running = await preview(directory);
    const { tab, panel } = await pageWithPanel(context, `${running.pages}news?p=12`);
    expect(await colourOf(tab, '.x')).toBe(teal);
    await panel.getByText('forbids local-needle.css').waitFor();
    const answers: [string, number, string, RegExp][] = [
      ['s.css', 200, 'text/css', /^\.x \{ color: red; \} +$/],
      ['l.svg', 200, 'image/svg+xml', /^<svg/],
      ['news', 404, 'text/html', /clicked has no page or file \/news/],
    ];
    for (const [path, status, type, text] of answers) {
      const answer = await fetch(running.pages + path);
      expect([path, answer.status, answer.headers.get('content-type')]).toEqual([
        path,
        status,
        expect.stringContaining(type),
      ]);
      expect(await answer.text()).toMatch(text);
    }
    const anew = JSON.stringify({ log: { version: '1.2', creator: {}, entries } }).replace('>b<', '>recorded anew<');
    writeFileSync(join(directory, 'visit.har'), anew);
    await tab.getByText('recorded anew').waitFor();
  });

  test('says when the running site is slow or down, and goes on once it is back', async () => {
    const listener: RequestListener = (request, response) => {
      if (request.url === '/slow') return;
      response.setHeader('content-type', 'text/html').end(pageHtml('class="page-1"', '<p class="x">a</p>'));
    };
    const site = await serve(listener);
    const directory = folderWith({
      'local-needle.yaml': `version: 1\nsites: { live: { address: "${site.address}" } }\n`,
      'rules/a.css': '@needle a { pages: path("/"); .x { color: teal; } }\n',
    });
    await run(directory, ['capture', '--limit', '1']);
    const running = await preview(directory, ['--live', '--timeout', '1']);
    const slow = await fetch(`${running.pages}slow`);
    expect([slow.status, await slow.text()]).toEqual([504, expect.stringContaining('did not answer')]);
    site.close();
    const down = await fetch(running.pages);
    expect([down.status, await down.text()]).toEqual([502, expect.stringContaining('nothing listens there')]);
    await until(() => running.said().includes(`${site.address}/ could not be loaded`));
    await serve(listener, Number(new URL(site.address).port));
    const tab = await context.newPage();
    await tab.goto(running.pages);
    expect(await colourOf(tab, '.x')).toBe(teal);
  });

  test('tells what keeps it from starting, and ends when it is told to', async () => {
    const directory = smallProject('@needle a { pages: path("/"); .x { color: teal; } }\n');
    const running = await startPreviewProcess(directory);
    const { port } = new URL(running.pages);
    const cases: [string[], number, string][] = [
      [['preview', '--port', port], 3, `Port ${port} of 127.0.0.1 is in use`],
      [['preview', '--live'], 2, 'live is a folder'],
      [['preview', 'staging'], 2, 'staging'],
      [['preview', '--port', '70000'], 2, 'from 0 to 65534'],
      [['preview', '--timeout', 'soon'], 2, 'takes a number'],
      ...['preview', 'check', 'before-after', 'capture'].flatMap((name): [string[], number, string][] =>
        ['0', '3000000'].map((time) => [[name, '--timeout', time], 2, 'greater than 0 and at most 86400']),
      ),
    ];
    for (const [words, status, text] of cases) {
      const ended = await run(directory, words);
      expect([ended.status, ended.log]).toEqual([status, expect.stringContaining(text)]);
    }
    expect(await running.stop()).toBe(0);
  });
});
