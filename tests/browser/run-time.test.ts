import { minifyScript } from '../../src/app/minify-script.js';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { gzipSync } from 'node:zlib';
import { parse } from 'acorn';
import { chromium, type Browser, type Page } from 'playwright-core';
import { PNG } from 'pngjs';
import { chromiumPath } from '../../src/browser/chromium.js';
import { readBuild } from '../../src/core/ship/read-back.js';
import { needleScript } from '../../src/core/ship/script.js';
import type { Task } from '../../src/core/ship/tasks.js';
import type { RunTimeAddress } from '../../src/core/target/run-time-addresses.js';
import { describeInBrowser, noteFigure, runsOf } from '../helpers.js';
import { launchBrowser } from './chromium.js';

const task = (more: Partial<Task>): Task => ({ rule: 'r', scope: 'body', selector: '.x', ...more });
const mark = (more: Partial<RunTimeAddress>): RunTimeAddress => ({
  name: 'm',
  path: null,
  pattern: null,
  pages: [],
  queries: [],
  ...more,
});
const form = { site: 'live', pathOptions: {}, minify: null, sheetName: null };
let scripts = 0;
const script = (text: string) => ({
  url: 'x.js',
  path: `${scripts++}.js`,
  at: { file: '', line: 1, column: 1 },
  content: new TextEncoder().encode(text),
});

/** Waits until local-needle.js has looked again: once a frame, and in a task of its own after the address changed. */
const looked = (page: Page): Promise<void> =>
  page.evaluate(
    () =>
      new Promise((done) => {
        setTimeout(() => requestAnimationFrame(() => requestAnimationFrame(() => done())));
      }),
  );

describeInBrowser('local-needle.js', () => {
  let browser: Browser;
  beforeAll(async () => {
    browser = await launchBrowser();
  });
  afterAll(() => browser?.close());

  /** Opens a page with this work; `csp`: with a policy that forbids eval. */
  async function open(
    tasks: Task[],
    marks: RunTimeAddress[],
    body: string,
    path = '/',
    csp = false,
    clock = false,
  ): Promise<Page> {
    const { text } = needleScript(marks, tasks, {
      ...form,
      pathOptions: { dropExtension: '.html', queryKeys: ['p'] },
    });
    const page = await browser.newPage();
    await page.route('**/*', (route) => {
      const url = new URL(route.request().url());
      const headers: Record<string, string> = csp ? { 'content-security-policy': "script-src 'self'" } : {};
      if (url.pathname === '/local-needle.js') return route.fulfill({ contentType: 'text/javascript', body: text });
      if (url.pathname.endsWith('.png')) return route.fulfill({ contentType: 'image/png', body: '' });
      return route.fulfill({
        contentType: 'text/html',
        headers,
        body: `<!doctype html><html><head><script src="/local-needle.js"></script></head><body>${body}</body></html>`,
      });
    });
    if (clock) await page.clock.install();
    await page.goto(`http://saltmere.example${path}`);
    return page;
  }

  test.each([
    ['/about', mark({ path: '/about' }), true],
    ['/about/', mark({ path: '/about' }), true],
    ['/about/index.html', mark({ path: '/about' }), true],
    ['/about.html', mark({ path: '/about' }), true],
    ['/about?x=1#y', mark({ path: '/about' }), true],
    ['/abouts', mark({ path: '/about' }), false],
    ['/about?p=4', mark({ path: '/about' }), false],
    ['/about?p=4&x=1', mark({ path: '/about', queries: [['p', '4']] }), true],
    ['/winter/lights', mark({ pattern: '/winter/*', pages: [] }), true],
    ['/winter', mark({ pattern: '/winter/*', pages: ['/winter'] }), false],
    ['/?p=12', mark({ path: '/', queries: [['p', '12']] }), true],
    ['/?p=13', mark({ path: '/', queries: [['p', '12']] }), false],
  ])('marks html on %s before the body is drawn', async (path, given, expected) => {
    const page = await open([], [given], '', path);
    expect(await page.getAttribute('html', 'data-local-needle')).toBe(expected ? 'm' : null);
    await page.close();
  });

  test('swaps words once the element is whole, and elements that come late, each once', async () => {
    const page = await open(
      [task({ text: 'new' })],
      [],
      `<p class="x">old <b>words</b> more</p><script>setTimeout(() => document.body.insertAdjacentHTML('beforeend', '<p class="x">late</p>'), 50)</script>`,
    );
    await page.waitForFunction(() => document.querySelectorAll('.x').length === 2);
    await looked(page);
    expect(await page.locator('.x').allInnerTexts()).toEqual(['new', 'new']);
    await page.evaluate(() => {
      document.querySelectorAll('.x')[0]!.textContent = 'changed by the page';
      document.body.append(document.createElement('hr'));
    });
    await looked(page);
    expect(await page.locator('.x').allInnerTexts()).toEqual(['changed by the page', 'new']);
  });

  test('waits for the whole page where a selector looks ahead', async () => {
    const page = await open(
      [task({ selector: 'p:last-child', text: 'last', looksAhead: true })],
      [],
      '<div><p>1</p> <p>2</p> <p>3</p></div>',
    );
    expect(await page.locator('p').allInnerTexts()).toEqual(['1', '2', 'last']);
  });

  test.each<[about: string, logo: string, selector: string]>([
    ['an image', '<img id="l" src="/red.svg" alt="Old">', '#l'],
    ['a lazy one with sizes', '<img id="l" loading="lazy" src="/red.svg" srcset="/red.svg 120w" sizes="120px">', '#l'],
    ['one in <picture>', '<picture id="l"><source srcset="/red.svg"><img src="/red.svg"></picture>', '#l img'],
    [
      'an <svg> that uses a symbol, in a link',
      '<a id="l" href="/"><svg width="120" height="40"><use href="#s"/></svg></a><svg width="0" height="0"><symbol id="s"><rect width="120" height="40" fill="red"/></symbol></svg>',
      '#l',
    ],
    [
      'an inline <svg> in a link',
      '<a id="l" href="/"><svg width="120" height="40"><rect width="120" height="40" fill="red"/></svg></a>',
      '#l',
    ],
  ])('swaps a logo that is %s, and takes it back', async (_about, logo, selector) => {
    const picture = (fill: string) =>
      `data:image/svg+xml,${encodeURIComponent(`<svg xmlns="http://www.w3.org/2000/svg" width="120" height="40"><rect width="120" height="40" fill="${fill}"/></svg>`)}`;
    const html = `<main style="width: 120px; line-height: 0">${logo.replaceAll('/red.svg', picture('red'))}</main>`;
    const onPage = { scope: 'html[data-local-needle~="m"] body', selector: `html[data-local-needle~="m"] ${selector}` };
    const swap = task({ ...onPage, image: picture('teal'), alt: 'Saltmere' });
    const page = await open([swap], [mark({ path: '/winter' })], html, '/other');
    await page.addStyleTag({ content: 'body { margin: 0 }' });
    const seen = async () => {
      await page.evaluate(() => Promise.all([...document.images].map((each) => each.decode().catch(() => null))));
      const shot = await page.screenshot({ clip: { x: 60, y: 20, width: 1, height: 1 } });
      return [...PNG.sync.read(shot).data.subarray(0, 3)];
    };
    const go = (path: string) => page.evaluate((to) => void history.pushState(null, '', to), path);
    const before = await page.locator('main').innerHTML();
    expect(await seen()).toEqual([255, 0, 0]);
    await go('/winter');
    await page.getByRole('img', { name: 'Saltmere' }).waitFor();
    expect(await seen()).toEqual([0, 128, 128]);
    await go('/other');
    await page.waitForFunction(() => !document.querySelector('main')?.innerHTML.includes('Saltmere'));
    // Attributes come back in another order.
    const parts = (text: string) => text.split(/ (?=[\w-]+=)|>/).sort();
    expect(parts(await page.locator('main').innerHTML())).toEqual(parts(before));
    expect(await seen()).toEqual([255, 0, 0]);
    await page.close();
  });

  test('swaps an image with its sources and its words', async () => {
    const page = await open(
      [task({ selector: 'img', image: 'files/new.png', alt: 'New' })],
      [],
      '<picture><source srcset="/wide.png"><img src="/old.png" srcset="/old2.png 2x" sizes="50vw" alt="Old"></picture>',
    );
    expect(await page.locator('picture').innerHTML()).toBe(
      '<source><img src="http://saltmere.example/files/new.png" sizes="50vw" alt="New">',
    );
  });

  test('runs a script once, when its element is there, on its pages alone, under a policy that forbids eval', async () => {
    const tasks = [
      task({
        selector: '.late',
        script: script('document.documentElement.dataset.ran = (document.documentElement.dataset.ran || "") + "a";'),
      }),
      task({
        scope: 'body.other',
        selector: '',
        script: script('document.documentElement.dataset.ran = "wrong page";'),
      }),
      task({ selector: '.never', script: script('document.documentElement.dataset.ran = "too early";') }),
    ];
    const page = await open(tasks, [], '<p>1</p>', '/', true);
    expect(await page.getAttribute('html', 'data-ran')).toBeNull();
    await page.evaluate(() =>
      document.body.insertAdjacentHTML('beforeend', '<p class="late"></p><p class="late"></p>'),
    );
    await looked(page);
    expect(await page.getAttribute('html', 'data-ran')).toBe('a');
  });

  test('acts again after a navigation within the page, and takes back what is for other pages', async () => {
    const tasks = [
      task({ scope: '[data-local-needle~="m"] body', selector: '[data-local-needle~="m"] body .x', text: 'winter' }),
      task({
        scope: '[data-local-needle~="m"] body',
        selector: '',
        script: script('document.documentElement.dataset.ran = (document.documentElement.dataset.ran || "") + "a";'),
      }),
    ];
    const page = await open(tasks, [mark({ pattern: '/winter/*' })], '<p class="x">plain</p>', '/contact');
    const seen = async () => [await page.locator('.x').innerText(), await page.getAttribute('html', 'data-ran')];
    const push = async (path: string) => {
      await page.evaluate((to) => history.pushState(null, '', to), path);
      await looked(page);
    };
    const traverse = async (steps: number) => {
      await page.evaluate((by) => {
        const isThere = new Promise((done) => addEventListener('popstate', done, { once: true }));
        history.go(by);
        return isThere.then(() => undefined);
      }, steps);
      await looked(page);
    };
    expect(await seen()).toEqual(['plain', null]);
    await push('/winter/lights');
    expect(await seen()).toEqual(['winter', 'a']);
    await push('/winter/lights#top');
    expect(await seen()).toEqual(['winter', 'a']);
    await traverse(-2);
    expect(await seen()).toEqual(['plain', 'a']);
    await traverse(2);
    expect(await seen()).toEqual(['winter', 'aa']);
  });

  test('puts back what was there in place: elements, their listeners and what the page changed since stay', async () => {
    const page = await open(
      [
        task({ scope: '.m body', selector: 'html[data-local-needle~="m"] h1', text: 'Winter' }),
        task({ scope: 'body', selector: 'html[data-local-needle~="m"] .box', html: '<b>New</b>' }),
        task({
          scope: 'body',
          selector: 'html[data-local-needle~="m"] img',
          image: 'https://saltmere.example/w.png',
          alt: 'W',
        }),
        task({ scope: 'body', selector: 'html[data-local-needle~="m"] .own', text: 'Ours' }),
      ].map((each) => ({ ...each, scope: 'html[data-local-needle~="m"] body' })),
      [mark({ path: '/winter' })],
      '<h1>Boats <i>now</i></h1><div class="box"><button>Go</button></div><picture><source srcset="/a.png"><source srcset="/b.png"><img src="/l.png" alt="Logo" srcset="/l2.png 2x"></picture><p class="own">Old</p>',
      '/other',
    );
    const state = () => page.evaluate(() => document.body.innerHTML);
    const before = await state();
    const go = (path: string) => page.evaluate((to) => void history.pushState(null, '', to), path);
    await page.evaluate(() => {
      const all = [...document.querySelectorAll('*')];
      document.querySelector('button')?.addEventListener('click', () => (document.title = 'clicked'));
      Object.assign(window, { same: () => all.every((each) => each.isConnected) });
    });
    for (let turn = 0; turn < 2; turn++) {
      await go('/winter');
      await page.waitForFunction(() => document.querySelector('h1')?.textContent === 'Winter');
      await page.waitForFunction(() => document.querySelector('.box')?.innerHTML === '<b>New</b>');
      expect(await page.getAttribute('img', 'src')).toBe('https://saltmere.example/w.png');
      await go('/other');
      await page.waitForFunction(() => document.querySelector('h1')?.textContent !== 'Winter');
      expect(await state()).toBe(before);
      expect(await page.evaluate('same()')).toBe(true);
    }
    await page.click('button');
    expect(await page.title()).toBe('clicked');
    // What the page itself wrote meanwhile is not taken back.
    await go('/winter');
    await page.waitForFunction(() => document.querySelector('.own')?.textContent === 'Ours');
    await page.evaluate(() => document.querySelector('.own')?.replaceChildren('Page'));
    await go('/other');
    await page.waitForFunction(() => document.querySelector('h1')?.textContent !== 'Winter');
    expect(await page.textContent('.own')).toBe('Page');
    await page.close();
  });

  test('goes on when the page comes back from the browser’s cache', async () => {
    const { text } = needleScript([], [task({ text: 'new' })], form);
    const server = createServer((request, response) => {
      response.setHeader('content-type', request.url === '/local-needle.js' ? 'text/javascript' : 'text/html');
      const body = request.url === '/' ? '<p>a</p>' : '<p>other</p>';
      response.end(
        request.url === '/local-needle.js'
          ? text
          : `<!doctype html><head><script src="/local-needle.js"></script></head><body>${body}`,
      );
    });
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
    const origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    const cached = await chromium.launch({
      executablePath: chromiumPath() ?? undefined,
      args: ['--no-sandbox'],
      ignoreDefaultArgs: ['--disable-back-forward-cache'],
    });
    const page = await cached.newPage();
    await page.goto(`${origin}/`);
    await page.evaluate(() => {
      document.documentElement.dataset['kept'] = 'yes';
    });
    await page.goto(`${origin}/other`);
    await page.goBack({ waitUntil: 'commit' });
    expect(await page.getAttribute('html', 'data-kept')).toBe('yes');
    await page.evaluate(() => document.body.insertAdjacentHTML('beforeend', '<p class="x">late</p>'));
    await looked(page);
    expect(await page.locator('.x').innerText()).toBe('new');
    await cached.close();
    server.close();
  });

  test('acts once, although it stands in the page twice', async () => {
    const count = script('document.documentElement.dataset.ran = (document.documentElement.dataset.ran || "") + "a";');
    const page = await open([task({ text: 'new' }), task({ selector: '', script: count })], [], '<p class="x">old</p>');
    await page.evaluate(() => (document.querySelector('.x')!.textContent = 'changed by the page'));
    await page.addScriptTag({ url: '/local-needle.js' });
    await looked(page);
    expect(await page.getAttribute('html', 'data-ran')).toBe('a');
    expect(await page.locator('.x').innerText()).toBe('changed by the page');
  });

  test.each([
    [5, 'new'],
    [50, 'new'],
    [70, 'late'],
  ])(
    'an element that comes after %i seconds says "%s": it is not waited for without end',
    async (seconds, expected) => {
      const page = await open([task({ text: 'new' })], [], '<p>a</p>', '/', false, true);
      await page.clock.runFor(seconds * 1000);
      await page.evaluate(() => document.body.insertAdjacentHTML('beforeend', '<p class="x">late</p>'));
      await page.evaluate(() => new Promise<void>((done) => queueMicrotask(done)));
      expect(await page.locator('.x').innerText()).toBe(expected);
    },
  );

  test('tells which link is the page’s own, and which its section', async () => {
    const menu = '<a class="x" href="/tickets">1</a><a class="x" href="/tickets/pay/">2</a>';
    const page = await open([task({ current: true })], [], menu, '/tickets/pay');
    expect(
      await page.locator('.x').evaluateAll((links) => links.map((each) => each.getAttribute('aria-current'))),
    ).toEqual(['true', 'page']);
  });

  test('loads a stylesheet before our own, on its pages alone', async () => {
    const tasks = [
      task({ selector: '', sheet: '/theme.css' }),
      task({ scope: 'body.other', selector: '', sheet: '/other.css' }),
    ];
    const page = await open(tasks, [], '<p>1</p>');
    const order = await page.locator('head > *').evaluateAll((all) => all.map((each) => each.outerHTML));
    expect(order).toEqual(['<link rel="stylesheet" href="/theme.css">', '<script src="/local-needle.js"></script>']);
  });

  test('ten rules are at most 2 KB, minified and gzipped', () => {
    const ten = [...Array(10).keys()].map((index) =>
      task({
        rule: ['calm-payment', 'winter-logo', 'storm-notice', 'front-slides', 'camera-link'][index % 5] + `-${index}`,
        scope: `body.page-${index * 7 + 11}`,
        selector: `body.page-${index * 7 + 11} .masthead .part-${index}`,
        ...(index % 3 === 0
          ? { image: `files/logo-${index}-8fe87f24.svg`, alt: 'Saltmere Ferries' }
          : index % 3 === 1
            ? { text: `Sailings may be called off, see quay ${index}` }
            : { script: script(`document.querySelector('.hero').classList.add('is-${index}');`) }),
      }),
    );
    const { text } = needleScript([mark({ path: '/legal/terms' })], ten, { ...form, minify: minifyScript });
    expect(gzipSync(text).length).toBeLessThanOrEqual(2048);
    expect(readBuild('', text).tasks).toHaveLength(10);
  });

  test.each([false, true])('is ES2021, minified: %s', (minify) => {
    const kinds: Partial<Task>[] = [
      ...[
        { text: 'a' },
        { html: '<b>a</b>' },
        { image: 'a.png', alt: 'x' },
        { current: true as const },
        { sheet: '/a.css' },
      ],
      ...[{ script: script('document.title = "x";') }, { text: 'b', looksAhead: true as const }],
    ];
    const marks = [mark({ path: '/a' }), mark({ pattern: '/b/*', queries: [['p', '1']] })];
    const { text } = needleScript(marks, kinds.map(task), {
      ...form,
      minify: minify ? minifyScript : null,
      sheetName: 'local-needle.css',
    });
    expect(() => parse(text, { ecmaVersion: 2021 })).not.toThrow();
    expect(() => parse('class A { static { } }', { ecmaVersion: 2021 })).toThrow();
  });

  test('looks once a frame, in half a millisecond, however much is added', async () => {
    const waiting = [...Array(50).keys()].map((index) =>
      task({ rule: `r${index}`, scope: 'body.page-46', selector: `body.page-46 .masthead .late-${index}`, text: 'x' }),
    );
    const page = await open(waiting, [], '<div class="masthead"></div>');
    const took = await page.evaluate(async () => {
      document.body.className = 'page-46';
      const list = document.querySelector('.masthead');
      const spent: number[] = [];
      const asked = { times: 0 };
      const counted =
        <T>(ask: (selector: string) => T) =>
        (selector: string) => (asked.times++, ask(selector));
      Object.assign(document, {
        querySelector: counted(document.querySelector.bind(document)),
        querySelectorAll: counted(document.querySelectorAll.bind(document)),
      });
      const frame = requestAnimationFrame;
      window.requestAnimationFrame = (look) =>
        frame((now) => {
          const start = performance.now();
          look(now);
          spent.push(performance.now() - start);
        });
      for (let burst = 0; burst < 40; burst++) {
        for (let index = 0; index < 200; index++)
          list?.insertAdjacentHTML('beforeend', '<div class="row"><p>A boat</p></div>');
        await new Promise<void>((done) => frame(() => setTimeout(done)));
      }
      return { spent: spent.sort((a, b) => a - b), asked: asked.times };
    });
    const { spent, asked } = took;
    expect(spent.length).toBeGreaterThan(10);
    expect(spent.length).toBeLessThanOrEqual(41);
    // At most twice for each rule that waits, however many elements came.
    expect(asked).toBeGreaterThan(0);
    expect(asked).toBeLessThanOrEqual(spent.length * waiting.length * 2);
    const median = spent[spent.length >> 1] ?? 0;
    noteFigure('burst', `50 waiting rules, 16,000 elements added in 40 bursts: ${median.toFixed(1)} ms a burst`);
    // Other programs run beside the test, but for the long run.
    if (runsOf(0, 1) > 0) expect(median).toBeLessThan(0.5);
    await page.close();
  });

  test('with html that holds an end tag of a script stays whole when it is pasted into a page', async () => {
    const { text } = needleScript([], [task({ html: '<b>x</b><!--<script>--></script>' })], form);
    const page = await browser.newPage();
    await page.route('**/*', (route) =>
      route.fulfill({
        contentType: 'text/html',
        body: `<!doctype html><head><script>${text}</script></head><body><p class="x">old</p></body>`,
      }),
    );
    await page.goto('http://saltmere.example/');
    expect(await page.locator('.x b').innerText()).toBe('x');
    expect(await page.locator('body').innerText()).toBe('x');
  });
});
