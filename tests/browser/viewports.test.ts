import type { Browser } from 'playwright-core';
import { contextFor, setMedium } from '../../src/browser/look.js';
import type { Viewport } from '../../src/core/css/cascade/media.js';
import { describeInBrowser } from '../helpers.js';
import { launchBrowser } from './chromium.js';
import { plain } from '../oracle/compare.js';
import { opened } from '../oracle/judge.js';

const size = { width: 800, height: 600 };
const viewports: Viewport[] = [
  { name: 'desktop', ...size },
  { name: 'phone', width: 390, height: 844, touch: true, pixelRatio: 3 },
  { name: 'night', ...size, colorScheme: 'dark' },
  { name: 'calm', ...size, contrast: 'more', motion: 'reduce' },
  { name: 'paper', width: 794, height: 1123, media: 'print' },
  { name: 'night-paper', ...size, colorScheme: 'dark', media: 'print' },
];

/** Every query has an element of its own, which it makes bold. */
const queries = [
  ...['hover', 'any-hover', 'pointer', 'any-pointer', 'update', 'overflow-block'].flatMap((name) =>
    ['hover', 'none', 'coarse', 'fine', 'fast', 'paged', 'scroll'].map((value) => `(${name}: ${value})`),
  ),
  ...['hover', 'pointer', 'update', 'prefers-contrast', 'prefers-reduced-motion'].map((name) => `(${name})`),
  ...['light', 'dark', 'no-preference'].map((value) => `(prefers-color-scheme: ${value})`),
  ...['more', 'less', 'custom', 'no-preference'].map((value) => `(prefers-contrast: ${value})`),
  ...['reduce', 'no-preference'].map((value) => `(prefers-reduced-motion: ${value})`),
  ...['print', 'screen', 'not print', 'only screen', 'print and (hover)', 'not print, (color)', 'speech'],
  ...[
    '(resolution: 3dppx)',
    '(resolution: 300dpi)',
    '(max-resolution: 3.1dppx)',
    '(min-resolution: 150dpi)',
    '(resolution > 2x)',
    '(-webkit-min-device-pixel-ratio: 2)',
  ],
  ...['(width: 390px)', '(orientation: portrait)', '(hover: none) and (pointer: coarse)', '(scripting)'],
];
const asked = queries.map((query, index) => `@media ${query} { .q${index} { order: 7 } }`).join('\n');

const schemes = ['normal', 'light', 'dark', 'light dark', 'dark light', 'only light', 'only dark', 'moss', 'moss dark'];
const colours = `.c { color: light-dark(#7a4b00, #f0c070); background-color: canvas; border-top: 1px solid }
.s { color: canvastext; background-color: buttonface; border-top: 1px solid linktext } .i { color: initial }
.v { --a: light-dark(red, lime); color: var(--a); background-color: color-mix(in srgb, var(--a), white) }
.o { color-scheme: dark; color: light-dark(#111, #eee) } .o.i { color: inherit }`;
const parts = ['c', 's', 'i', 'v', 'o', 'o i']
  .map((name) => `<p class="${name}">a <b class="${name}">b</b></p>`)
  .join('');

const pages: [name: string, html: string][] = [
  [
    'media features',
    `<html><head><style>${asked}</style></head><body>${queries.map((_, index) => `<i class="q${index}"></i>`).join('')}</body></html>`,
  ],
  ...schemes.map((scheme): [string, string] => [
    `color-scheme: ${scheme}`,
    `<html><head><style>:root { color-scheme: ${scheme} } ${colours}</style></head><body>${parts}<a href="/">a</a></body></html>`,
  ]),
  ...['light dark', 'dark', '', 'only dark', '1'].map((scheme): [string, string] => [
    `a meta of ${scheme}`,
    `<html><head><meta name="Color-Scheme" content="${scheme}"><meta name="color-scheme" content="dark"><style>${colours}</style></head><body>${parts}</body></html>`,
  ]),
];
const properties = ['order', 'color', 'background-color', 'border-top-color'];

describeInBrowser('A viewport', () => {
  let browser: Browser;
  beforeAll(async () => {
    browser = await launchBrowser();
  });
  afterAll(() => browser?.close());

  test.each(viewports.map((each): [string, Viewport] => [each.name, each]))(
    '%s is looked at as Chromium does',
    async (_name, viewport) => {
      const context = await browser.newContext(contextFor(viewport));
      const tab = await context.newPage();
      await setMedium(tab, viewport);
      for (const [name, html] of pages) {
        const source = `<!doctype html>${html}`;
        await tab.setContent(source);
        const theirs = await tab.evaluate(
          (names) =>
            [...document.querySelectorAll('html, body, body *')].map((element) => {
              const style = getComputedStyle(element);
              return names.map((each) => style.getPropertyValue(each));
            }),
          properties,
        );
        const { look } = opened(source, [], undefined, viewport);
        const body = look.document.elements.findIndex(({ tagName }) => tagName === 'body');
        const elements = look.document.elements.filter((_element, index) => index === 0 || index >= body);
        const ours = elements.map((element) => properties.map((each) => look.built.value(element, '', each)));
        expect(theirs.length).toBeGreaterThan(10);
        const told = (all: string[][]) => all.map((row) => row.map((value, at) => plain(properties[at] ?? '', value)));
        expect([name, told(ours)]).toEqual([name, told(theirs)]);
      }
      await context.close();
    },
  );
});
