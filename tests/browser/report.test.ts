import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import type { Browser, Page } from 'playwright-core';
import { writeDemoProject, writeDemoSite } from '../../demo/site.js';
import { checkHtml } from '../../src/report/html.js';
import type { CheckReport } from '../../src/core/check/verdict.js';
import { describeInBrowser, folderWith, run } from '../helpers.js';
import { launchBrowser } from './chromium.js';

describeInBrowser('The report of check as a page', () => {
  let browser: Browser;
  let page: Page;
  let file: string;
  const shown = () => page.locator('.rule:not([hidden]) h3').count();

  beforeAll(async () => {
    const directory = join(folderWith({}), 'ferries');
    writeDemoProject(directory);
    writeDemoSite(join(directory, 'live'), 'live');
    await run(directory, ['init', 'live']);
    file = join(directory, 'report.html');
    await run(directory, ['check', '--format', 'html', '--out', file]);
    browser = await launchBrowser();
    page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    await page.goto(pathToFileURL(file).href);
  });
  afterAll(() => browser?.close());

  test('has no serious fault by axe, light or dark', async () => {
    const axe = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');
    for (const colorScheme of ['light', 'dark'] as const) {
      await page.emulateMedia({ colorScheme });
      await page.evaluate('document.querySelectorAll("details").forEach((each) => (each.open = true))');
      await page.evaluate(axe);
      const faults = await page.evaluate(
        'axe.run().then(({ violations }) => violations.map(({ id, impact, nodes }) => [id, impact, nodes[0].html]))',
      );
      expect((faults as string[][]).filter(([, impact]) => impact === 'serious' || impact === 'critical')).toEqual([]);
    }
  });

  test('searches and filters, by keyboard too', async () => {
    const all = await shown();
    expect(all).toBe(17);
    await page.getByLabel('Search').fill('tickets/pay');
    await page.waitForFunction(() => document.querySelectorAll('.rule:not([hidden])').length < 17);
    expect(await page.locator('.rule:not([hidden]) h3').allTextContents()).toEqual([
      expect.stringContaining('calm-payment'),
      expect.stringContaining('steps-first'),
      expect.stringContaining('promo-once'),
      expect.stringContaining('pay-button'),
    ]);
    await page.getByLabel('Search').fill('');
    await page.getByRole('checkbox', { name: /^hit/ }).focus();
    await page.keyboard.press('Space');
    await page.waitForFunction(() => /^11 cells/.test(document.querySelector('#shown')?.textContent ?? ''));
    expect(await page.locator('tr:not([hidden]) .hit').count()).toBe(0);
  });

  test('stays quick with 1,000 pages and 100 rules', async () => {
    const pages = [...Array(1000).keys()].map((index) => `/journal/entry-${index}`);
    const rules = [...Array(100).keys()].map((index) => `rule-${index}`);
    const report: CheckReport = {
      ...{ kind: 'local-needle.check', version: 2, site: 'live', viewport: 'desktop', state: null, visitor: null },
      rules: rules.map((rule, line) => ({
        rule,
        file: 'rules/a.css',
        line,
        note: null,
        paused: false,
        status: 'active' as const,
        pages,
      })),
      cells: rules.flatMap((rule) =>
        pages.map((each, index) => ({
          ...{ rule, page: each, verdict: 'hit' as const, sure: true },
          actions: [{ action: 'hide', selector: '.x', elements: index % 50, pairs: 0, won: 0, overridden: [] }],
        })),
      ),
      findings: [],
      notes: [],
      accepted: 0,
      totals: { rules: 100, pages: 1000, cells: 100_000, errors: 0, warnings: 0 },
    };
    await page.setContent(checkHtml(report, { command: 'local-needle check', version: '0', day: '2026-11-26' }), {
      waitUntil: 'load',
    });
    await page.evaluate(async () => {
      const search = document.querySelector<HTMLInputElement>('#search')!;
      search.value = 'entry-999';
      search.dispatchEvent(new Event('input', { bubbles: true }));
      const status = document.querySelector('#shown')!;
      await new Promise<void>((done) =>
        new MutationObserver(() => done()).observe(status, { childList: true, characterData: true, subtree: true }),
      );
    });
    expect(await page.locator('#shown').innerText()).toMatch(/cells shown$/);
  });
});
