import type { Browser, Page as BrowserPage } from 'playwright-core';
import { check } from '../../src/core/check/check.js';
import { readBuild } from '../../src/core/ship/read-back.js';
import { prepareShipments } from '../../src/core/ship/shipment.js';
import { proveBuild } from '../../src/core/ship/proof.js';
import { deliver, ownPages } from '../../src/core/target/delivery.js';
import { bundleOf, describeInBrowser, siteOf } from '../helpers.js';
import { launchBrowser } from './chromium.js';

/** How each kind is written for an element of its own, and how a page tells that it got it. */
const kinds: Record<string, { written: (id: string) => string; acted: (element: HTMLElement, id: string) => boolean }> =
  {
    hide: { written: (id) => `@hide #${id};`, acted: (element) => getComputedStyle(element).display === 'none' },
    'only-here': {
      written: (id) => `@only-here #${id};`,
      acted: (element) => getComputedStyle(element).display === 'none',
    },
    restyle: { written: (id) => `#${id} { order: 7; }`, acted: (element) => getComputedStyle(element).order === '7' },
    swap: { written: (id) => `@swap #${id} { text: "new"; }`, acted: (element) => element.textContent === 'new' },
    'mark-current': {
      written: (id) => `@mark-current #${id} { order: 7; }`,
      acted: (element) => getComputedStyle(element).order === '7',
    },
    script: {
      written: (id) => `@script url("${id}.js");`,
      acted: (_element, id) => document.documentElement.hasAttribute(`data-${id}`),
    },
  };
const terms = [
  'path("/tickets")',
  'path("/winter/*")',
  'path("/legal")',
  'page-id(1)',
  'body-id(front)',
  'body-class(wide)',
  'query("p=2")',
  'site(live)',
  'site(other)',
  'all',
];
const excepts = [null, 'body-class(wide)', 'path("/winter/lights")', 'path("/legal")'];
const ons = [null, 'path("/winter/*")', 'body-class(wide)'];
const bodies = ['id="front" class="page-1"', 'class="page-2 wide"', 'class="page-3 wide sale"', '', 'class="page-5"'];
const paths = ['/', '/tickets', '/winter/lights', '/legal', '/list?p=2'];

/** Every kind with every term, exception and `@on`, each on an element of its own. */
const cases = Object.keys(kinds).flatMap((kind) =>
  terms.flatMap((pages) => excepts.flatMap((except) => ons.map((on) => ({ kind, pages, except, on })))),
);
const idOf = (index: number) => `r${index}`;
const inside = (path: string) => cases.map((_each, index) => `<a id="${idOf(index)}" href="${path}">old</a>`).join('');

describeInBrowser(`An action of each kind, by each term, exception and @on (${cases.length} rules)`, () => {
  let browser: Browser;
  let tab: BrowserPage;
  beforeAll(async () => {
    browser = await launchBrowser();
    tab = await browser.newPage();
  });
  afterAll(() => browser.close());

  test.each(['handles', 'run-time'] as const)('reaches who is told, ships so and acts so, by %s', async (how) => {
    const text = cases
      .map(({ kind, pages, except, on }, index) => {
        const action = kinds[kind]?.written(idOf(index)) ?? '';
        return `@needle ${idOf(index)} { pages: ${pages}; ${except ? `except: ${except};` : ''} ${on ? `@on ${on} { ${action} }` : action} }`;
      })
      .join('\n');
    const html = Object.fromEntries(
      paths.map((path, index) => [path, `<body ${bodies[index]}>${inside(path)}</body>`]),
    );
    const script = (url: string) =>
      new TextEncoder().encode(`document.documentElement.setAttribute('data-${url.replace('.js', '')}', '')`);
    const { input: read, site, view } = siteOf(html, text, 'a.css', script);
    const input = { ...read, paths: how };
    const delivered = deliver(input.rules, site);
    const told = paths.map((path) => {
      const page = site.byPath.get(path);
      return page ? delivered(page).map(({ rule }) => rule.name) : [];
    });
    const { cells } = check(input);
    for (const rule of input.rules)
      for (const action of rule.actions)
        for (const { path } of ownPages(rule, action, site))
          expect(cells.some((cell) => cell.rule === rule.name && cell.page === path)).toBe(true);
    const build = { ...input, site, open: view.open };
    const { css, js } = bundleOf(build, ({ url }) => url);
    const shipments = prepareShipments(build);
    const actions = shipments.whole.rules.flatMap((each) => each.actions.map(({ action }) => action));
    const brought = { build: readBuild(css.text, js?.text ?? null), actions };
    expect(proveBuild(input, cells, { to: () => brought, pathOptions: {} }).findings).toEqual([]);
    await tab.route('**/*', (route) => {
      const { pathname, search } = new URL(route.request().url());
      const page = html[pathname + search] ?? '';
      return route.fulfill({
        contentType: 'text/html',
        body: `<!doctype html><html><head><style>${css.text}</style><script>${js?.text ?? ''}</script></head>${page}`,
      });
    });
    const acted: string[][] = [];
    for (const path of paths) {
      await tab.goto(`http://saltmere.example${path}`, { waitUntil: 'load' });
      await tab.waitForFunction(() => document.querySelectorAll('a').length > 0);
      const tests = cases.map(({ kind }, index) => [idOf(index), String(kinds[kind]?.acted)] as const);
      acted.push(
        await tab.evaluate(
          (all) =>
            all.flatMap(([id, test]) => {
              const element = document.getElementById(id);
              const holds = new Function(`return ${test}`)() as (element: HTMLElement | null, id: string) => boolean;
              return element && holds(element, id) ? [id] : [];
            }),
          tests,
        ),
      );
      await tab.goto('about:blank');
    }
    await tab.unroute('**/*');
    expect(acted).toEqual(told);
  });
});
