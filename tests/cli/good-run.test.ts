import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { CheckReport } from '../../src/core/check/verdict.js';
import { folderWith, pageHtml, run, runBuilt, smallProject } from '../helpers.js';

const rules = `
@needle calm-payment { note: "No way */ out."; pages: path("/tickets/pay.html"); @hide .masthead, .promo-field; }
@needle front { pages: page-id(1); .x { color: teal; &:hover { color: red; } @media (max-width: 600px) { margin: 0; } } .masthead img::before { content: ""; } }
@needle legal { pages: path("/legal"); important: yes; .masthead { color: red; } html { font-size: 20px; } }
@needle swap { pages: body-class(home); @swap .logo { image: url("../new.svg"); alt: "New \\"logo\\""; } @swap .x { text: "</script>"; } }
@needle off { pages: all; paused: yes; @hide .x; }
@needle old { pages: all; until: 2020-01-31; @hide .masthead; }
@needle sheets { @on body-id(pay) { @style-file url("../pay.css"); } @on page-id(1) { @script url("../go.js") { wait-for: ".late"; } } }
`;
const more = {
  'new.svg': '<svg xmlns="http://www.w3.org/2000/svg"/>',
  'pay.css': '.promo-field { padding: 4px }',
  'go.js': 'window.gone = 1;\n',
};

describe('A project', () => {
  const directory = smallProject(rules, more);

  test('is checked, with a cell for each rule and page that it targets', async () => {
    const { status, out, log } = await run(directory, ['check', '--format', 'json']);
    const report = JSON.parse(out) as CheckReport;
    expect(log).toBe('');
    expect(status).toBe(0);
    expect(report).toMatchObject({
      kind: 'local-needle.check',
      version: 2,
      site: 'live',
      viewport: 'desktop',
      state: null,
      visitor: null,
    });
    expect(report.totals).toEqual({ rules: 7, pages: 3, cells: 6, errors: 0, warnings: 2 });
    expect(report.rules.find(({ rule }) => rule === 'off')).toEqual({
      rule: 'off',
      file: 'rules/a.css',
      line: 6,
      paused: true,
      status: 'paused',
      pages: ['/', '/legal', '/tickets/pay.html'],
      note: null,
    });
    const cell = report.cells.find(({ rule }) => rule === 'calm-payment');
    expect(cell).toMatchObject({ page: '/tickets/pay.html', verdict: 'hit' });
    expect(
      cell?.actions.map(({ action, selector, elements, pairs, overridden }) => [
        action,
        selector,
        elements,
        pairs,
        overridden,
      ]),
    ).toEqual([
      ['hide', '.masthead', 1, 1, []],
      ['hide', '.promo-field', 1, 1, []],
    ]);
    const front = report.cells.find(({ rule }) => rule === 'front');
    expect(front?.actions.map(({ selector, elements, pairs }) => [selector, elements, pairs])).toEqual([
      ['.x', 2, 2],
      ['.x:hover', 0, 0],
      // What is in an at-rule that does not hold at this viewport is left out.
      ['.masthead img::before', 1, 1],
    ]);
    expect(report.cells.filter(({ rule }) => rule === 'sheets').map(({ page, verdict }) => [page, verdict])).toEqual([
      ['/', 'unjudged'],
      ['/tickets/pay.html', 'hit'],
    ]);
    expect(report.findings.map(({ code, rule, level }) => [code, rule, level])).toEqual([
      ['needs-script', 'legal', 'warning'],
      ['expired', 'old', 'warning'],
    ]);
    expect((await run(directory, ['check', '--fail-on', 'warning'])).status).toBe(1);
    expect((await run(directory, ['check', '--fail-on', 'never'])).status).toBe(0);
  });

  test('is built into a stylesheet and a script that reach its pages alone', async () => {
    const { status, out } = await run(directory, ['build', '--as', 'bundle', '--out', 'out']);
    expect(status).toBe(0);
    expect(out).toContain('Left out: off (paused)');
    expect(out).toContain('Left out: old (ran until 2020-01-31)');
    const css = readFileSync(join(directory, 'out/local-needle.css'), 'utf8');
    for (const part of [
      '/*! local-needle begin: live */',
      '/* calm-payment: No way * / out. (rules/a.css:2) */',
      'body.page-46 .masthead {\n  display: none !important;\n}',
      'body.page-1 .x:hover {\n  color: red;\n}',
      '@media (max-width: 600px) {\n  body.page-1 .x {\n    margin: 0;\n  }\n}',
      'body.page-1 .masthead img::before {',
      '[data-local-needle~="legal"] body .masthead {\n  color: red !important;\n}',
      'html[data-local-needle~="legal"]:has(> body) {\n  font-size: 20px !important;\n}',
      'body[id="pay"] .promo-field {\n  padding: 4px;\n}',
      '/*! local-needle end */',
    ]) {
      expect(css).toContain(part);
    }
    expect(css).not.toMatch(/off|old:/);
    const map = JSON.parse(readFileSync(join(directory, 'out/local-needle.css.map'), 'utf8')) as {
      sources: string[];
      sourcesContent: string[];
    };
    expect(map.sources.join(' ')).toMatch(/rules\/a\.css.*pay\.css/);
    expect(map.sourcesContent).toContain(rules);
    const js = readFileSync(join(directory, 'out/local-needle.js'), 'utf8');
    expect(js).toContain('\\u003c/script>');
    expect(js).toContain('window.gone = 1;');
    expect(existsSync(join(directory, 'out', /files\/new-[0-9a-f]{8}\.svg/.exec(js)?.[0] ?? 'none'))).toBe(true);
    const again = await run(directory, ['build', '--out', 'again']);
    expect(again.status).toBe(0);
    expect(readFileSync(join(directory, 'again/local-needle.css'), 'utf8')).toBe(css);
    expect((await run(directory, ['build', '--no-script'])).status).toBe(2);
  });

  test('lists its pages with their handles', async () => {
    const { out, status } = await run(join(directory, 'rules'), ['pages', '--format', 'json']);
    expect(status).toBe(0);
    expect(JSON.parse(out)).toMatchObject({
      kind: 'local-needle.pages',
      version: 1,
      site: 'live',
      pages: [
        {
          path: '/',
          url: '/index.html',
          pageId: '1',
          bodyId: null,
          bodyClasses: ['page-1', 'home'],
          soleHandles: ['body.page-1', 'body.home'],
          title: 'Saltmere',
        },
        { path: '/legal', pageId: null, soleHandles: [] },
        {
          path: '/tickets/pay.html',
          pageId: '46',
          bodyId: 'pay',
          soleHandles: ['body.page-46', 'body[id="pay"]', 'body.section-tickets'],
        },
      ],
    });
  });
});

describe('start', () => {
  test('writes a project that check accepts, and never overwrites one', async () => {
    const directory = folderWith({
      'public/a.html': pageHtml('data-page="7"'),
      'public/b.html': pageHtml('data-page="8"'),
    });
    const { status, out } = await run(directory, ['init', 'public']);
    expect(status).toBe(0);
    expect(out).toContain('2 pages in public. Page IDs: {id} in data-page (2 pages, too few to be sure).');
    expect(readFileSync(join(directory, 'local-needle.yaml'), 'utf8')).toContain(
      '- { in: body-attribute, attribute: data-page, like: "{id}" }',
    );
    expect((await run(directory, ['check'])).status).toBe(0);
    const pages = JSON.parse((await run(directory, ['pages', '--format', 'json'])).out) as {
      pages: { pageId: string }[];
    };
    expect(pages.pages.map(({ pageId }) => pageId)).toEqual(['7', '8']);
    writeFileSync(join(directory, 'local-needle.yaml'), 'mine');
    expect((await run(directory, ['init', 'public'])).status).toBe(2);
    expect(readFileSync(join(directory, 'local-needle.yaml'), 'utf8')).toBe('mine');
  });
});

describe('demo', () => {
  test('shows every command with its output on a fresh copy, which then checks by itself', async () => {
    const directory = folderWith({});
    const { status, out } = await runBuilt(directory, ['demo', 'ferries']);
    expect(status).toBe(0);
    for (const shown of [
      '$ local-needle init live=',
      '$ local-needle capture live',
      '$ local-needle pages',
      '$ local-needle compare live staging',
      '$ local-needle check',
      '$ local-needle build',
      'Try next',
    ])
      expect(out).toContain(shown);
    const checked = await run(join(directory, 'ferries'), ['check', '--format', 'json']);
    expect(checked.status).toBe(0);
    const report = JSON.parse(checked.out) as CheckReport;
    expect(report.totals.rules).toBeGreaterThanOrEqual(12);
    expect(report.cells.filter(({ verdict }) => verdict === 'hit').length).toBeGreaterThan(report.cells.length / 2);
    for (const hint of [
      '.promo-field matches 1 there (typo).',
      'path("/routes/night-boat") matches /routes/night-boat.',
    ])
      expect(out).toContain(hint);
    // What convert wrote passes the check as well.
    const built = await run(join(directory, 'ferries'), ['build']);
    expect([built.status, built.out]).toEqual([0, expect.stringContaining('39 rules for 32 pages')]);
    expect((await runBuilt(directory, ['demo', 'ferries'])).status).toBe(2);
  });
});

describe('Every command', () => {
  test('has help with an example, and the program its version', async () => {
    const directory = folderWith({});
    for (const name of ['init', 'capture', 'pages', 'check', 'compare', 'build', 'demo']) {
      const { out, status } = await run(directory, [name, '--help']);
      expect(status).toBe(0);
      expect(out).toMatch(/Examples:\s+local-needle/);
    }
    expect((await run(directory, ['--version'])).out).toMatch(/^\d+\.\d+\.\d+\n$/);
  });
});
