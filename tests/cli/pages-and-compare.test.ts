import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { writeDemoSite } from '../../demo/site.js';
import type { CompareReport } from '../../src/core/compare/compare.js';
import type { CheckReport } from '../../src/core/check/verdict.js';
import { folderWith, pageHtml, run } from '../helpers.js';

const project = (rules: string, more: Record<string, string> = {}) =>
  folderWith({
    'local-needle.yaml': 'version: 1\nsites: { live: { folder: live }, staging: { folder: staging } }\n',
    'rules/a.css': rules,
    ...more,
  });

test('pages leaves out what all pages share, and proposes no class that a script takes away at once', async () => {
  const page = (classes: string) => pageHtml(`class="${classes}"`);
  const directory = project('', {
    'live/index.html': page('no-js custom-logo home wide'),
    'live/about.html': page('no-js custom-logo about wide'),
    'live/contact.html': page('custom-logo contact'),
    'staging/index.html': page(''),
  });
  const { out } = await run(directory, ['pages']);
  expect(out).not.toMatch(/custom-logo|no-js/);
  expect(out).toMatch(/body\.home\t\.wide/);
  const { out: only } = await run(directory, ['pages', '/about.html']);
  expect(only).not.toContain('body-class(no-js)');
});

describe('pages', () => {
  const directory = project('');
  writeDemoSite(join(directory, 'live'), 'live');

  test.each([
    [['--path', '/winter/*'], ['/winter/contact', '/winter/getting-here', '/winter/lights'], 'path("/winter/*")'],
    [
      ['--body-class', 'section-tickets is-step', '--path', '/tickets/:step'],
      ['/tickets/choose', '/tickets/done', '/tickets/passengers', '/tickets/pay'],
      'path("/tickets/*")',
    ],
    [['--page-id', '46'], ['/tickets/pay'], 'page-id(46)'],
    [['--page-id', '47111'], [], 'No page matches'],
  ])('%j picks %j', async (words, paths, shown) => {
    const { pages } = JSON.parse((await run(directory, ['pages', '--format', 'json', ...words])).out) as {
      pages: { path: string }[];
    };
    expect(pages.map(({ path }) => path)).toEqual(paths);
    expect((await run(directory, ['pages', ...words])).out).toContain(shown);
  });

  test('of one page shows each way to target it, best first, and what its template lacks', async () => {
    const { out } = await run(directory, ['pages', '/tickets/pay/']);
    const order = ['pages: path("/tickets/pay");', 'pages: page-id(46);', 'pages: body-class(section-tickets);'].map(
      (line) => out.indexOf(line),
    );
    expect(order.every((at) => at > 0) && order.join() === [...order].sort((a, b) => a - b).join()).toBe(true);
    expect(out).toMatch(/body-class\(section-tickets\);\s+5 pages\s+shared with \/tickets, /);
    const bare = await run(directory, ['pages', '/legal/terms']);
    expect(bare.out).toMatch(
      /needs local-needle\.js[^]*no unique handle[^]*page-… as the other pages have it[^]*class="section-legal"/,
    );
    const { status, log } = await run(directory, ['pages', '/tickets/pya']);
    expect([status, log]).toEqual([2, expect.stringContaining('Did you mean /tickets/pay?')]);
  });
});

describe('compare', () => {
  const rules = `
@needle by-path { pages: path("/pay"); @hide .a; }
@needle by-id { pages: page-id(1); @hide .a; }
@needle by-class { pages: body-class(wide); @hide .a; }
@needle by-site { pages: site(live) page-id(1), site(staging) page-id(9); @hide .a; }
@needle element { pages: path("/same"); @hide .b; }
`;
  const directory = project(rules, {
    'live/pay.html': pageHtml('class="page-1 wide"', '<p class="a">'),
    'live/same.html': pageHtml('class="page-2"', '<p class="b">'),
    'live/only.html': pageHtml('class="page-3"'),
    'staging/pay.html': pageHtml('class="page-9"', '<p class="a">'),
    'staging/same.html': pageHtml('class="page-2 wide"', '<p class="c"><p class="a">'),
    'staging/new.html': pageHtml('class="page-1"'),
  });
  const settings =
    'version: 1\nsites: { live: { folder: live, drop-extension: .html }, staging: { folder: staging, drop-extension: .html } }\n';

  test('names the rules that mean something else on the other copy, and what holds on both', async () => {
    writeFileSync(join(directory, 'local-needle.yaml'), settings);
    const { out, status } = await run(directory, ['compare', 'live', 'staging', '--format', 'json']);
    const report = JSON.parse(out) as CompareReport;
    expect(status).toBe(0);
    expect([report.onlyOnA, report.onlyOnB]).toEqual([['/only'], ['/new']]);
    expect(report.otherIds).toEqual([{ path: '/pay', here: '1', there: '9' }]);
    expect(report.rules).toEqual([
      expect.objectContaining({
        rule: 'by-id',
        pagesOnA: ['/pay'],
        pagesOnB: ['/new'],
        instead: 'pages: path("/pay");',
      }),
      expect.objectContaining({
        rule: 'by-class',
        pagesOnA: ['/pay'],
        pagesOnB: ['/same'],
        instead: 'pages: path("/pay");',
      }),
      expect.objectContaining({
        rule: 'element',
        pagesOnA: [],
        hits: [{ page: '/same', selector: '.b', here: 1, there: 0 }],
        instead: null,
      }),
    ]);
    expect((await run(directory, ['compare', 'live', 'staging', '--fail-on', 'warning'])).status).toBe(1);
    expect((await run(directory, ['compare', 'live', 'staging'])).out).toContain('pages: path("/pay"); works on both.');
    const checked = JSON.parse(
      (await run(directory, ['check', '--format', 'json', '--fail-on', 'never'])).out,
    ) as CheckReport;
    expect(
      checked.findings
        .filter(({ code }) => code === 'site-specific-id')
        .map(({ rule, message, hint }) => [rule, message, hint]),
    ).toEqual([
      ['by-id', 'page-id(1) matches /pay on live, and /new on staging', 'pages: path("/pay"); works on both.'],
      [
        'by-class',
        'body-class(wide) matches /pay on live, and /same on staging',
        'pages: path("/pay"); works on both.',
      ],
    ]);
  });
});
