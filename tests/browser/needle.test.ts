import { chromium, type Browser, type Page } from 'playwright-core';
import { chromiumPath } from '../../src/browser/chromium.js';
import { needleScript } from '../../src/core/build/script.js';
import type { Task } from '../../src/core/build/tasks.js';
import type { Mark } from '../../src/core/build/scope.js';
import { describeInBrowser } from '../helpers.js';

const task = (more: Partial<Task>): Task => ({ rule: 'r', scope: 'body', selector: '.x', ...more });
const mark = (more: Partial<Mark>): Mark => ({ name: 'm', path: null, pattern: null, pages: [], queries: [], ...more });
const form = { site: 'live', pathOptions: {}, minify: false, sheetName: null };
let scripts = 0;
const script = (text: string) => ({
  url: 'x.js',
  path: `${scripts++}.js`,
  at: { file: '', line: 1, column: 1 },
  content: new TextEncoder().encode(text),
});

describeInBrowser('needle.js', () => {
  let browser: Browser;
  beforeAll(async () => {
    browser = await chromium.launch({ executablePath: chromiumPath() ?? undefined, args: ['--no-sandbox'] });
  });
  afterAll(() => browser?.close());

  /** Opens a page with this work; `csp`: with a policy that forbids eval. */
  async function open(tasks: Task[], marks: Mark[], body: string, path = '/', csp = false): Promise<Page> {
    const { text } = needleScript(marks, tasks, {
      ...form,
      pathOptions: { dropExtension: '.html' },
    });
    const page = await browser.newPage();
    await page.route('**/*', (route) => {
      const url = new URL(route.request().url());
      const headers: Record<string, string> = csp ? { 'content-security-policy': "script-src 'self'" } : {};
      if (url.pathname === '/needle.js') return route.fulfill({ contentType: 'text/javascript', body: text });
      if (url.pathname.endsWith('.png')) return route.fulfill({ contentType: 'image/png', body: '' });
      return route.fulfill({
        contentType: 'text/html',
        headers,
        body: `<!doctype html><html><head><script src="/needle.js"></script></head><body>${body}</body></html>`,
      });
    });
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
    ['/winter/lights', mark({ pattern: '/winter/*', pages: [] }), true],
    ['/winter', mark({ pattern: '/winter/*', pages: ['/winter'] }), false],
    ['/?p=12', mark({ path: '/', queries: [['p', '12']] }), true],
    ['/?p=13', mark({ path: '/', queries: [['p', '12']] }), false],
  ])('marks html on %s before the body is drawn', async (path, given, expected) => {
    const page = await open([], [given], '', path);
    expect(await page.getAttribute('html', 'data-needle')).toBe(expected ? 'm' : null);
    await page.close();
  });

  test('swaps words once the element is whole, and elements that come late, each once', async () => {
    const page = await open(
      [task({ text: 'new' })],
      [],
      `<p class="x">old <b>words</b> more</p><script>setTimeout(() => document.body.insertAdjacentHTML('beforeend', '<p class="x">late</p>'), 50)</script>`,
    );
    await page.waitForFunction(() => document.querySelectorAll('.x').length === 2);
    await page.waitForTimeout(50);
    expect(await page.locator('.x').allInnerTexts()).toEqual(['new', 'new']);
    await page.evaluate(() => {
      document.querySelectorAll('.x')[0]!.textContent = 'changed by the page';
      document.body.append(document.createElement('hr'));
    });
    await page.waitForTimeout(50);
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

  test('swaps an image with its sources and its words', async () => {
    const page = await open(
      [task({ selector: 'img', image: 'files/new.png', alt: 'New' })],
      [],
      '<picture><source srcset="/wide.png"><img src="/old.png" srcset="/old2.png 2x" sizes="50vw" alt="Old"></picture>',
    );
    expect(await page.locator('picture').innerHTML()).toBe(
      '<img src="http://saltmere.example/files/new.png" alt="New">',
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
    await page.waitForTimeout(50);
    expect(await page.getAttribute('html', 'data-ran')).toBe('a');
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
