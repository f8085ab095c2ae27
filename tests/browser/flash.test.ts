import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser } from 'playwright-core';
import type { CheckReport } from '../../src/core/check/verdict.js';
import { describeInBrowser, folderWith, pageHtml, run } from '../helpers.js';
import { launchBrowser } from './chromium.js';

/** A page that stops for a while inside of its second paragraph. */
const [head, tail] = [
  '<h1>Boats</h1><div class="band"><p>All day</p><p>and all ',
  'night<b class="late">!</b></p></div><p class="last"></p>',
];

describeInBrowser('A note of a flash', () => {
  let browser: Browser;
  let server: Server;
  let directory: string;
  /** Sends what comes late of the page. */
  let sendRest: () => void;
  /** The part of the page that loads the build at its end. */
  let part = 'head';
  beforeAll(async () => {
    browser = await launchBrowser();
    server = createServer(({ url = '/' }, response) => {
      if (!/^\/(local-needle.*)?$/.test(url)) return response.writeHead(404).end();
      if (url !== '/') {
        const type = url.endsWith('css') ? 'text/css' : 'text/javascript';
        return response.writeHead(200, { 'content-type': type }).end(readFileSync(join(directory, 'build', url)));
      }
      const links = '<link rel="stylesheet" href="/local-needle.css"><script src="/local-needle.js"></script>';
      const [start, end] = pageHtml('class="page-1"', `${head}|${tail}`)
        .replace(`</${part}>`, `${links}</${part}>`)
        .split('|');
      response.writeHead(200, { 'content-type': 'text/html; charset=utf-8' }).write(start);
      sendRest = () => response.end(end);
      return response;
    });
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  });
  afterAll(async () => {
    server.closeAllConnections();
    server.close();
    await browser.close();
  });

  test.each([
    ['@hide .band:has(.late);', '.band', true],
    ['@hide .band;', '.band', false],
    ['.band:has(.late) { display: none; }', '.band', true],
    ['@swap .band { text: "Winter boats"; }', '.band', true],
    ['@hide .band;', '.band', true, 'body'],
  ])('is given for what is seen: %s', async (action, selector, isSeen, place = 'head') => {
    part = place;
    directory = folderWith({
      'local-needle.yaml': `version: 1\nplace: ${place}-end\nsites: { live: { folder: public } }\n`,
      'rules/a.css': `@needle a { pages: page-id(1); note: "x"; ${action} }\n@needle b { pages: page-id(1); @swap h1 { text: "Ferries"; } }`,
      'public/index.html': pageHtml('class="page-1"', head + tail),
      'public/two.html': pageHtml('class="page-2"'),
    });
    const { out, status } = await run(directory, ['check', '--format', 'json', '--fail-on', 'warning']);
    const { findings, notes } = JSON.parse(out) as CheckReport;
    expect([status, findings]).toEqual([0, []]);
    expect(notes.filter(({ rule }) => rule === 'a').map(({ code, level }) => [code, level])).toEqual(
      isSeen ? [['flash', 'note']] : [],
    );
    await run(directory, ['build', '--out', 'build']);
    const page = await browser.newPage();
    await page.goto(`http://127.0.0.1:${(server.address() as AddressInfo).port}/`, { waitUntil: 'commit' });
    const shown = () =>
      page.evaluate((which) => {
        const element = document.querySelector<HTMLElement>(which);
        return element?.checkVisibility() === true && element.innerText.includes('All day');
      }, selector);
    await page.waitForFunction(() => document.querySelectorAll('.band p').length === 2);
    expect(await shown()).toBe(isSeen);
    sendRest();
    await page.waitForLoadState('load');
    await page.waitForFunction(() => document.querySelector('h1')?.textContent === 'Ferries');
    expect(await shown()).toBe(false);
    await page.close();
  });
});
