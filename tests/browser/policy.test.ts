import fc from 'fast-check';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import { forbiddenBy, type Asked } from '../../src/core/deployment/policy.js';
import { linksOf } from '../../src/capture/links.js';
import { describeInBrowser, runsOf } from '../helpers.js';
import { launchBrowser } from './chromium.js';

const own = 'http://saltmere.example:8080/tickets/pay';
const addresses = [
  'http://saltmere.example:8080/assets/a.css',
  'http://saltmere.example/assets/a.css',
  'https://saltmere.example/assets/a.css',
  'https://cdn.saltmere.example/a.css',
  'https://cdn.saltmere.example:8443/assets/a.css',
  'https://other.example/assets/a.css',
];

const source = fc.constantFrom(
  ...["'self'", "'none'", '*', 'https:', 'http:', 'data:', "'unsafe-inline'", "'nonce-abc'", "'strict-dynamic'"],
  ...['saltmere.example', 'saltmere.example:*', '*.saltmere.example', 'cdn.saltmere.example:8443', 'https://*:*'],
  ...['https://saltmere.example', 'http://saltmere.example:8080/assets/', 'https://other.example/assets/a.css'],
  ...['saltmere.example:8080', 'http://*.saltmere.example', 'other.example/assets', 'SALTMERE.example:8080', "'SELF'"],
);
const directive = fc.constantFrom(
  ...['default-src', 'style-src', 'style-src-elem', 'script-src', 'script-src-elem', 'img-src', 'font-src'],
);
const policy = fc
  .array(fc.tuple(directive, fc.array(source, { maxLength: 3 })), { minLength: 1, maxLength: 3 })
  .map((list) => list.map(([name, sources]) => [name, ...sources].join(' ')).join('; '));

/** Everything that is asked of a policy: each kind from each address, and in the page itself, with and without a nonce. */
const asked: Asked[] = (['style', 'script', 'img'] as const).flatMap((kind) => [
  ...addresses.map((address) => ({ kind, address })),
  ...(kind === 'img'
    ? []
    : [
        { kind, address: null },
        { kind, address: null, nonce: 'abc' },
        { kind, address: addresses[5] ?? null, nonce: 'abc' },
      ]),
]);

/** `turn`: a browser keeps pictures that it has; none has the address of an earlier one. */
function element({ kind, address, nonce }: Asked, index: number, turn: number): string {
  const mark = `data-number="${index}"${nonce === undefined ? '' : ` nonce="${nonce}"`}`;
  if (kind === 'img') return `<img ${mark} src="${address}?${index}&${turn}">`;
  if (address === null)
    return kind === 'style' ? `<style ${mark}>.s${index} { }</style>` : `<script ${mark}>ran(${index})</script>`;
  return kind === 'style'
    ? `<link ${mark} rel="stylesheet" href="${address}?${index}&${turn}">`
    : `<script ${mark} src="${address}?${index}&${turn}"></script>`;
}

describeInBrowser('What pages may load and what they point to, against Chromium', () => {
  let browser: Browser;
  let context: BrowserContext;
  beforeAll(async () => {
    browser = await launchBrowser();
    context = await browser.newContext();
  });
  afterAll(() => browser?.close());

  /** The page that is shown under one policy after the other, and what it asks for. */
  let shown: Page | undefined;
  let header = '';
  let turn = 0;
  const came = new Set<number>();

  async function pageUnderPolicies(): Promise<Page> {
    const page = await context.newPage();
    await page.addInitScript(() => {
      const done: number[] = [];
      Object.assign(window, { done, ran: (number: number) => done.push(number) });
    });
    await page.route('**/*', (route) => {
      const url = route.request().url();
      if (url === own) {
        const parts = asked.map((each, index) => element(each, index, turn));
        const body = `<!doctype html><html><head>${parts.join('')}</head><body></body></html>`;
        return route.fulfill({ contentType: 'text/html', headers: { 'content-security-policy': header }, body });
      }
      const [, number, of] = /\?(\d+)&(\d+)$/.exec(url) ?? [];
      if (Number(of) === turn) came.add(Number(number));
      const isScript = asked[Number(number)]?.kind === 'script';
      return route.fulfill({ contentType: isScript ? 'text/javascript' : 'text/css', body: '' });
    });
    return page;
  }

  /** The numbers of what loaded or ran under a policy. */
  async function allowed(text: string): Promise<number[]> {
    shown ??= await pageUnderPolicies();
    header = text;
    turn++;
    came.clear();
    await shown.goto(own, { waitUntil: 'load' });
    const inPage = await shown.evaluate(() => [
      ...(window as unknown as { done: number[] }).done,
      ...[...document.querySelectorAll('style')].flatMap((style) =>
        style.sheet ? [Number(style.dataset['number'])] : [],
      ),
    ]);
    return [...came, ...inPage].sort((a, b) => a - b);
  }

  test('policies forbid what they forbid there', async () => {
    await fc.assert(
      fc.asyncProperty(policy, async (text) => {
        const told = asked.flatMap((each, index) => (forbiddenBy(text, each, own) === null ? [index] : []));
        expect({ text, allowed: told }).toEqual({ text, allowed: await allowed(text) });
      }),
      { numRuns: runsOf(30, 2000) },
    );
  });

  test('links lead where they lead there', async () => {
    const href = fc.constantFrom(
      ...['/a', 'b', '../c', '?p=1', '#top', '//cdn.saltmere.example/d', 'https://other.example', 'mailto:a@b.example'],
      ...[
        '/a b',
        '/%zz',
        '/ä',
        ' /e ',
        '/f\n/g',
        'javascript:void 0',
        '',
        'http:h',
        '/i?q=ö',
        '\\j',
        'http://[',
        'data:,k',
      ],
    );
    const tag = fc.tuple(fc.constantFrom('a', 'area', 'base', 'svg'), href).map(([name, to]) => {
      const value = to.replace(/"/g, '&quot;');
      // Chromium leaves a link as it is written below a base that is no address; the standard has it ignore the base.
      if (name === 'base') return to === 'http://[' ? '' : `<base href="${value}">`;
      return name === 'svg' ? `<template><a href="${value}"></a></template>` : `<${name} href="${value}"></${name}>`;
    });
    const page = await context.newPage();
    await page.route('**/*', (route) => route.fulfill({ contentType: 'text/html', body: current }));
    let current = '';
    await fc.assert(
      fc.asyncProperty(fc.array(tag, { minLength: 1, maxLength: 8 }), async (tags) => {
        current = `<!doctype html><meta charset="utf-8"><body>${tags.join('')}`;
        await page.goto(own);
        const there = await page.evaluate(() =>
          [...document.querySelectorAll<HTMLAnchorElement>('a, area')].map((link) => link.href),
        );
        const pages = there
          .filter((each) => URL.canParse(each))
          .map((each) => {
            const url = new URL(each);
            url.hash = '';
            return url;
          });
        const expected = pages.filter(({ protocol }) => /^https?:$/.test(protocol)).map((url) => url.href);
        expect(linksOf(current, own).pages).toEqual([...new Set(expected)]);
      }),
      { numRuns: runsOf(40, 2000) },
    );
    await page.close();
  });
});
