import { appendFileSync, readdirSync, readFileSync, rmSync, truncateSync, utimesSync, writeFileSync } from 'node:fs';
import { setTimeout } from 'node:timers/promises';
import { openCheck } from '../../src/app/check-input.js';
import { identityOf } from '../../src/capture/folder.js';
import { join } from 'node:path';
import { check } from '../../src/core/check/check.js';
import type { WhyReport } from '../../src/core/explain/explain.js';
import type { CheckReport, Variation } from '../../src/core/check/verdict.js';
import { inTestBrowser } from '../browser/chromium.js';
import { describeInBrowser, folderWith, pageHtml, run, smallProject } from '../helpers.js';

const html = (body: string, inside: string, head = '') =>
  `<!DOCTYPE html><html><head><title>Saltmere</title><link rel="stylesheet" href="/theme.css">${head}</head><body ${body}>${inside}</body></html>`;

const theme = `.menu .camera { color: red !important }
@layer quiet { .card { order: 1 } }
.masthead .menu { order: 2 }
@media (max-width: 600px) { .card { color: teal !important } }
.hero { animation: glide 3s infinite } @keyframes glide { from { left: 0 } to { left: 9px } }
.gone { display: none !important }
@scope (.menu) { .camera { z-index: 4 } }
.plain { color: #fff; margin: 0 }`;

const inside = `<header class="masthead"><ul class="menu"><li class="camera" style="top: 3px">Camera</li></ul></header>
<div class="card">One <b>two</b> <a href="/x">three</a></div><div class="hero" style="position: relative">Hero</div><p class="gone">Gone</p><p class="plain">Plain</p>
<p class="legal">Terms</p>`;

/** A project of two pages with a theme. */
function project(rules: string, more: Record<string, string> = {}): string {
  return folderWith({
    'local-needle.yaml':
      'version: 1\nsites: { live: { folder: public } }\nviewports: { desktop: 1280x800, phone: 390x844 }\nstates: { over: { pseudo-class: { ".card": hover } } }\n',
    'rules/a.css': rules,
    'public/index.html': html('class="page-1"', inside),
    'public/tickets/index.html': html('class="page-2"', inside),
    'public/theme.css': theme,
    ...more,
  });
}

/** Waits until a file is old enough for its time to tell whether it was changed. */
async function untilSettled(file: string): Promise<void> {
  while (identityOf(file) === null) await setTimeout(50);
}

async function checked(
  directory: string,
  words: string[] = [],
  environment: Record<string, string> = {},
): Promise<CheckReport> {
  const all = ['check', '--format', 'json', '--fail-on', 'never', ...words];
  const { out, log } = await run(directory, all, environment);
  if (out === '') throw new Error(log);
  return JSON.parse(out) as CheckReport;
}

const codes = ({ findings }: CheckReport) => findings.map(({ code }) => code);

describe('A verdict', () => {
  test.each<[string, string, string, number, number, string[]]>([
    ['hit', '.card { order: 5 }', 'hit', 1, 1, []],
    [
      'partial, with what is important',
      '.camera { color: blue; order: 3 }',
      'partial',
      2,
      1,
      ['theme.css:1 important'],
    ],
    ['overridden by an inline style', '.camera { top: 9px }', 'overridden', 1, 0, ['index.html:1 inline']],
    ['overridden by specificity', ':where(.menu) { order: 9 }', 'overridden', 1, 0, ['theme.css:3 specificity']],
    ['overridden by an animation', '.hero { left: 4px }', 'overridden', 1, 0, ['theme.css:5 animation']],
    [
      'overridden by a layer that is important',
      '@layer mine { .menu { order: 9 } }',
      'overridden',
      1,
      0,
      ['theme.css:3 layer'],
    ],
    [
      'overridden by another of our rules',
      '.card { order: 5 } } @needle b { pages: page-id(1); .card { order: 6 }',
      'overridden',
      1,
      0,
      ['rules/a.css:1 order'],
    ],
    ['won, since the winner computes to the same', '.camera { color: #f00 }', 'no-effect', 1, 1, []],
    ['no-effect', '.plain { color: white }', 'no-effect', 1, 1, []],
    ['no effect where it is hidden already', '@hide .gone;', 'no-effect', 1, 1, []],
    ['no effect where no at-rule holds', '@media (max-width: 600px) { .card { order: 3 } }', 'no-effect', 0, 0, []],
    ['no-match', '.none { order: 1 }', 'no-match', 0, 0, []],
    ['late', 'added-by: script; .none { order: 1 }', 'pending', 0, 0, []],
    [
      'hit, its own later rule winning',
      '.card { order: 5; } @media (min-width: 1px) { .card { order: 6 } }',
      'hit',
      2,
      2,
      [],
    ],
    ['hit with shorthands', '.card { margin: 1px 2px; background: teal }', 'hit', 13, 13, []],
    [
      'hit, its own later declaration meaning the same margin by its other name, as the winner says it',
      '.card { margin-inline-start: 4px; margin: 3px } } @needle b { pages: page-id(1); .card { margin: 3px }',
      'hit',
      5,
      5,
      [],
    ],
    ['hit in a state', 'state: over; .card:hover { order: 5 }', 'hit', 1, 1, []],
    ['hit at a viewport', 'viewport: phone; @media (max-width: 600px) { .card { order: 3 } }', 'hit', 1, 1, []],
    ['overridden for @only-here', '@only-here .gone;', 'overridden', 1, 0, ['theme.css:6 important']],
    ['hit inside @scope', '@scope (.menu) { .camera { z-index: 5 } }', 'hit', 1, 1, []],
  ])('is %s', async (_name, content, verdict, pairs, won, by) => {
    const report = await checked(project(`@needle a { pages: page-id(1); ${content} }`));
    const cell = report.cells.find(({ rule }) => rule === 'a');
    const sum = (key: 'pairs' | 'won') => cell?.actions.reduce((total, action) => total + action[key], 0);
    expect([cell?.verdict, sum('pairs'), sum('won')]).toEqual([verdict, pairs, won]);
    expect(
      cell?.actions.flatMap(({ overridden }) =>
        overridden.map((each) => `${each.by.file}:${each.by.line} ${each.by.reason}`),
      ),
    ).toEqual(by);
    const expected: Record<string, string> = {
      partial: 'partial',
      overridden: 'overridden',
      'no-effect': 'no-effect',
      'no-match': 'missing-element',
    };
    if (expected[verdict]) expect(codes(report)).toContain(expected[verdict]);
  });

  test('is less sure where a stylesheet was not captured, unless nothing could give it back', async () => {
    const rules =
      '@needle a { pages: page-id(1); .card { order: 5 } } @needle b { pages: page-id(1); .camera { color: blue } }';
    const directory = project(rules, {
      'public/index.html': html('class="page-1"', inside, '<link rel="stylesheet" href="/missing.css">'),
    });
    const { cells, findings } = await checked(directory);
    expect(cells.map(({ verdict, sure, dependsOn }) => [verdict, sure, dependsOn])).toEqual([
      ['hit', false, ['stylesheet /missing.css not captured']],
      ['overridden', true, undefined],
    ]);
    expect(findings.find(({ code }) => code === 'uncaptured-stylesheet')?.message).toMatch(/^\/ loads \/missing\.css/);
  });

  test('is less sure inside a container query, where the page has containers at all', async () => {
    const rules = '@needle a { pages: page-id(1); @container (min-width: 1px) { .card { order: 5 } } }';
    const [cell] = (await checked(project(rules, { 'public/theme.css': 'body { container-type: inline-size }' })))
      .cells;
    expect([cell?.verdict, cell?.sure, cell?.dependsOn]).toEqual(['hit', false, ['@container (min-width: 1px)']]);
    expect((await checked(project(rules))).cells[0]?.verdict).toBe('no-effect');
  });

  test('takes what an earlier build left in a page as not there', async () => {
    const left = '<style>/*! local-needle begin: live */ .card { order: 5 } /*! local-needle end */</style>';
    const directory = project('@needle a { pages: page-id(1); .card { order: 5 } }', {
      'public/index.html': html('class="page-1"', inside, left),
    });
    expect((await checked(directory)).cells[0]?.verdict).toBe('hit');
  });

  test('depends on where the build is', async () => {
    const late = html('class="page-1"', `${inside}<style>.page-1 .card { order: 8 } body .card { order: 7 }</style>`);
    const directory = project('@needle a { pages: page-id(1); .card { order: 5 } }', {
      'public/index.html': late.replace('.page-1 .card', 'body.page-1 .card'),
    });
    expect((await checked(directory)).cells[0]?.verdict).toBe('overridden');
    appendFileSync(join(directory, 'local-needle.yaml'), 'place: body-end\n');
    expect((await checked(directory)).cells[0]?.verdict).toBe('hit');
  });
});

describe('Shadow trees that a page declares', () => {
  const tree = `<style>:host { color: red !important }</style><p class="legend" part="legend">Routes</p>`;
  const body = `<route-map><template shadowrootmode="open">${tree}</template></route-map><fare-table></fare-table>`;
  const pages = { 'public/index.html': html('class="page-1"', body) };

  test.each<[rule: string, verdict: string, sure: boolean, said: string]>([
    ['.legend { order: 1 }', 'no-match', true, 'It is in the shadow tree of <route-map>'],
    ['route-map::part(legend) { order: 1 }', 'hit', true, ''],
    ['route-map::part(none) { order: 1 }', 'no-match', true, 'The parts of <route-map> are legend.'],
    ['fare-table::part(x) { order: 1 }', 'hit', false, ''],
    ['p::part(x) { order: 1 }', 'no-match', true, ''],
    ['route-map { color: teal !important }', 'overridden', true, 'Nothing outside of a shadow tree wins'],
    ['route-map { order: 1 }', 'hit', true, ''],
  ])('%s: %s', async (rule, verdict, sure, said) => {
    const { cells, findings } = await checked(project(`@needle a { pages: path("/"); ${rule} }`, pages));
    expect(cells).toEqual([expect.objectContaining({ verdict, sure })]);
    expect(findings.map(({ hint }) => hint ?? '').join()).toContain(said);
  });

  test('find tells where they are', async () => {
    const { out } = await run(project('', pages), ['find', '.legend']);
    expect(out).toContain('1 element in the shadow tree of <route-map> on /');
  });
});

describe('A selector that would take for ever', () => {
  const deep = `${'<div class="d">'.repeat(400)}x${'</div>'.repeat(400)}`;
  // What must be above an element is looked for first; this is beside one.
  const bomb = `.none + ${'.d '.repeat(9)}.d`;
  test.each([
    ['of a rule', `${bomb} { order: 1 }`, theme],
    ['of a stylesheet', '.d { order: 1 }', `${bomb} { order: 2 !important }`],
  ])('%s leaves its page unjudged, and the others as they are', (_name, rule, css) => {
    const directory = project(`@needle a { pages: all; ${rule} .card { order: 5 } }`, {
      'public/index.html': html('class="page-1"', inside + deep),
      'public/theme.css': css,
    });
    const { input } = openCheck({ project: directory });
    // Counted in steps, so that the limit is the same on every machine.
    const startTime = () => {
      let asked = 0;
      return () => ++asked > 100;
    };
    const { cells, findings } = check({ ...input, startTime });
    expect(cells.map(({ page, verdict, sure }) => [page, verdict, sure])).toEqual([
      ['/', 'unjudged', false],
      ['/tickets', 'hit', true],
    ]);
    expect(findings.filter(({ code }) => code === 'too-slow')).toHaveLength(1);
  });

  test('ends after ten seconds on a page', () => {
    const { now } = performance;
    try {
      const isLate = openCheck({ project: project('') }).input.startTime?.();
      performance.now = () => now.call(performance) + 9000;
      expect(isLate?.()).toBe(false);
      performance.now = () => now.call(performance) + 10_001;
      expect(isLate?.()).toBe(true);
    } finally {
      performance.now = now;
    }
  });
});

describeInBrowser('check --browser', () => {
  test('shows each page as on a first visit, also after one that does not let itself be left', async () => {
    const visit =
      "if (localStorage.seen || sessionStorage.seen || window.name || document.cookie) document.querySelector('.x').remove(); localStorage.seen = sessionStorage.seen = window.name = 'yes'; document.cookie = 'seen=yes'; setInterval(() => { window.name = localStorage.seen = sessionStorage.seen = 'yes'; }, 1);";
    const stays = "Object.defineProperty(window, 'name', { set() { throw new Error('stays'); } });";
    const pages = Array.from({ length: 10 }, (_none, at) => [
      `public/${at}.html`,
      pageHtml('class="page-1"', `<p class="x">Ferry</p><script>${visit}${at === 1 ? stays : ''}</script>`),
    ]);
    const directory = folderWith({
      'local-needle.yaml': 'version: 1\nsites: { live: { folder: public } }\n',
      'rules/a.css': '@needle a { pages: all; .x { order: 5 } }',
      ...Object.fromEntries(pages),
    });
    const { cells } = await checked(directory, ['--browser'], inTestBrowser);
    expect(cells.map(({ verdict }) => verdict)).toEqual(Array(10).fill('hit'));
  });

  test('says which pages do not load or answer, is not sure of them, and judges the others', async () => {
    const page = (script: string) => pageHtml('class="page-1"', `<p class="x">Ferry</p><script>${script}</script>`);
    const directory = folderWith({
      'local-needle.yaml': 'version: 1\nsites: { live: { folder: public } }\n',
      'rules/a.css': '@needle a { pages: all; .x { order: 5 } }',
      'public/index.html': page(''),
      'public/loads.html': page('document.body.appendChild(document.createElement("iframe")).contentDocument.open();'),
      'public/spins.html': page('document.getAnimations = () => { for (;;); };'),
    });
    const words = ['check', '--browser', '--timeout', '2'];
    const { status, out, log } = await run(directory, words, inTestBrowser);
    expect(status).toBe(3);
    expect(log).toContain('/loads.html could not be judged in Chromium: it did not load within 2 s\n');
    expect(log).toContain('/spins.html could not be judged in Chromium: it did not answer within 2 s\n');
    expect(out).toContain('Chromium agrees with the static check on the pages that it judged.\n');
    expect(out).toContain('Not judged by Chromium, so not sure: /loads.html, /spins.html\n');
    // One page is asked for, so one is opened.
    const one = await run(
      directory,
      ['check', '--browser', '--timeout', '1', '--page', '/loads.html', '--format', 'json'],
      inTestBrowser,
    );
    expect(one.log).toMatch(/judged 0 cells of live\.\n\/loads\.html could not be judged[^\n]*\n$/);
    expect((JSON.parse(one.out) as CheckReport).cells).toEqual([
      expect.objectContaining({ verdict: 'hit', sure: false, dependsOn: ['what Chromium makes of the page'] }),
    ]);
  });

  test('sees late elements, scripts and states, and says where the static check differs', async () => {
    const rules = `@needle late { pages: page-id(1); added-by: script; @hide .late; }
@needle script { pages: page-id(1); @script url("../go.js"); }
@needle broken { pages: page-id(1); @script url("../stop.js"); }
@needle hover { pages: page-id(1); state: over; .card:hover { order: 5 } }
@needle undone { pages: page-id(1); .plain { order: 5 } }
@needle lost { pages: page-id(1); .camera { color: blue } }
@needle veiled { pages: page-id(1); input { display: block } }`;
    const directory = project(rules, {
      'go.js': 'document.title = "here";',
      'stop.js': 'throw new Error("stop");',
      'public/late.js':
        'setTimeout(() => { document.body.insertAdjacentHTML("beforeend", "<p class=late>x</p>"); }, 300); addEventListener("load", () => document.querySelector(".plain").style.setProperty("order", 9, "important"));',
      'public/index.html': html('class="page-1"', `${inside}<input type="hidden">`, '<script src="/late.js"></script>'),
    });
    const report = (await checked(directory, ['--browser'])) as CheckReport & { differences: unknown[] };
    expect(report.cells.map(({ rule, verdict, sure }) => [rule, verdict, sure])).toEqual([
      ['late', 'hit', true],
      ['script', 'hit', true],
      ['broken', 'overridden', true],
      ['hover', 'hit', true],
      ['undone', 'overridden', true],
      ['lost', 'overridden', true],
      ['veiled', 'overridden', true],
    ]);
    expect(report.differences).toEqual([
      { rule: 'late', page: '/', static: 'pending', browser: 'hit' },
      { rule: 'script', page: '/', static: 'unjudged', browser: 'hit' },
      { rule: 'broken', page: '/', static: 'unjudged', browser: 'overridden' },
      { rule: 'undone', page: '/', static: 'hit', browser: 'overridden' },
    ]);
  });
});

describe('why', () => {
  const rules = `@needle a { note: "Blue."; pages: page-id(1); except: body-class(none); .camera { color: blue; order: 3 } }
@needle container { pages: page-id(1); .card { color: blue } }`;
  const why = async (words: string[]) =>
    JSON.parse((await run(project(rules), ['why', ...words, '--format', 'json'])).out) as WhyReport;

  test('names the winner, the step that decided, and a change that wins', async () => {
    const report = await why(['a', '/']);
    expect(report).toMatchObject({
      kind: 'local-needle.why',
      page: '/',
      verdict: 'partial',
      targeted: { holds: true, condition: 'page-id(1)' },
    });
    const [color, order] = report.actions[0]?.shown[0]?.pairs ?? [];
    expect(color).toMatchObject({
      property: 'color',
      won: false,
      step: 'important',
      winner: { file: 'theme.css', line: 1, selector: '.menu .camera', specificity: '(0,2,0)' },
      change: 'important: yes would win.',
    });
    expect(order).toMatchObject({ property: 'order', won: true, value: '3', without: '0', winner: null });
    const directory = project(rules.replace('pages: page-id(1); except', 'pages: page-id(1); important: yes; except'));
    expect((await checked(directory)).cells[0]?.verdict).toBe('hit');
  });

  test('says how much of the text takes an inherited value', async () => {
    const [color] = (await why(['container', '/'])).actions[0]?.shown[0]?.pairs ?? [];
    expect(color?.text).toEqual({
      takes: 2,
      of: 3,
      others: [{ element: 'body > div:nth-of-type(1) > a', from: 'the browser: a:any-link' }],
    });
  });

  test('says by how little a page is not targeted', async () => {
    expect((await why(['a', '/tickets'])).targeted).toEqual({
      holds: false,
      condition: 'page-id(1)',
      missing: ['page-id(1)'],
      excepted: null,
    });
    const { out } = await run(project(rules), ['why', 'a', '/tickets']);
    expect(out).toMatch(/Not targeted\. Nearest is page-id\(1\)/);
  });

  test.each([
    [['why', 'b', '/'], /There is no rule "b"/],
    [['why', 'a', '/ticket'], /has no page \/ticket[^]*\/tickets/],
    [['why', 'a', '/', '--element', '..x'], /--element: .*not a valid selector/],
    [['check', '--browser', '--watch'], /--watch and --browser cannot be combined/],
  ])('refuses %j', async (words, message) => {
    const { status, log } = await run(project(rules), words);
    expect(status).toBe(2);
    expect(log).toMatch(message);
  });
});

describe('Guards and expectations', () => {
  test.each([
    ['hides it', '@hide .legal;', 'must stay visible, and "a" hides it on /'],
    ['hides what is around it', '@hide body;', 'hides body around it'],
    ['makes it invisible', 'html { visibility: hidden; }', 'hides it'],
    ['replaces it', '@swap body { text: "Closed"; }', 'replaces it'],
    ['lets it stand', '.legal { color: red; }', ''],
  ])('a guard speaks where a rule %s', async (_name, action, message) => {
    const report = await checked(
      project(`@needle a { pages: page-id(1); ${action} } @keep-visible .legal, .gone { note: "The law."; }`),
    );
    const found = report.findings.filter(({ code }) => code === 'hidden-by-rule');
    expect(found.map((each) => each.message).join()).toContain(message);
    expect(found.map(({ rule, level }) => [rule, level])).toEqual(message ? [['a', 'error']] : []);
  });

  test('@only-here is guarded against on all other pages, and its loss there is told', async () => {
    const report = await checked(
      project('@needle a { pages: page-id(1); @only-here .legal, .plain; } @keep-visible .legal;', {
        'public/theme.css':
          '.plain { display: block !important; } .x .plain {} body .plain.plain.plain { display: block !important }',
      }),
    );
    expect(report.findings.map(({ code, page }) => [code, page])).toEqual([
      ['hidden-by-rule', '/tickets'],
      ['overridden', '/tickets'],
    ]);
  });

  test.each([
    ['@shown .legal; @hidden .gone, .none; .plain { color: white; margin: 0 } .card { order: 5 }', []],
    ['@shown .gone;', ['expects .gone to be shown, and it is hidden on /']],
    ['@hidden .legal;', ['expects .legal to be hidden, and it is shown on /']],
    ['@shown .none;', ['expects .none to be there, and nothing matches it on /']],
    ['.card { order: 4 }', ['expects .card to have order: 4, and it has 5 on /']],
    ['viewport: phone; .card { color: teal }', []],
    ['pages: page-id(2); .card { order: 1 }', []],
  ])('an expectation %s', async (content, messages) => {
    const pages = content.includes('pages:') ? '' : 'pages: page-id(1);';
    const report = await checked(
      project(`@needle a { pages: page-id(1); .card { order: 5 } } @expect e { ${pages} ${content} }`),
    );
    expect(
      report.findings.filter(({ code }) => code === 'expectation').map(({ message }) => message.replace(/^e /, '')),
    ).toEqual(messages);
  });

  test.each([
    ['@expect { @shown .a; }', 2, /@expect has no name/],
    ['@expect e { }', 2, /"e" expects nothing/],
    ['@expect e { @show .a; }', 2, /@show is unknown in @expect[^]*@shown/],
    ['@expect e { state: nowhere; @shown .a; }', 2, /names the state "nowhere"/],
    ['@expect e { .a { .b { color: red } } }', 2, /takes declarations only/],
    ['@expect e { .a { color: rde } }', 1, /invalid-css/],
    ['@keep-visible .a { nte: "x"; }', 2, /nte/],
    ['@keep-visibel .a;', 2, /@keep-visibel is unknown[^]*@keep-visible/],
  ])('%s is refused at its place', async (rules, status, message) => {
    const result = await run(project(rules), ['check']);
    expect(result.status).toBe(status);
    expect(result.log + result.out).toMatch(message);
    expect(result.log + result.out).toMatch(/rules\/a\.css:1:\d+/);
  });
});

describe('Viewports, accepted verdicts and the cache', () => {
  const rules =
    '@needle a { pages: all; .card { color: red } } @needle wide { pages: page-id(1); @media (min-width: 600px) { .card { order: 3 } } }';

  test('verdicts that vary by viewport are told', async () => {
    const directory = project(rules);
    const { out } = await run(directory, ['check', '--all-viewports', '--fail-on', 'never']);
    expect(out).toMatch(/a on \/: desktop hit, phone overridden/);
    expect(out).toMatch(/wide on \/: desktop hit, phone no-effect/);
    const report = await checked(directory, ['--all-viewports']);
    expect(report.findings.map(({ code, message }) => [code, message.slice(0, 9)])).toEqual([
      ['overridden', 'at phone:'],
      ['overridden', 'at phone:'],
    ]);
  });

  test('a viewport is more than its size', async () => {
    const directory = smallProject(
      `@needle dark { pages: path("/"); @media (prefers-color-scheme: dark) { .x { color: teal } } }
       @needle still { pages: path("/"); .x { background: light-dark(white, black) } }
       @needle touch { pages: path("/"); @media (hover: none) and (min-resolution: 3dppx) { .x { order: 2 } } }
       @needle paper { pages: path("/"); @media print { .masthead { display: none } } }`,
      {
        'local-needle.yaml': `version: 1\nsites: { live: { folder: public } }\nviewports:
  desktop: 1280x800\n  phone: { size: 390x844, touch: true, pixel-ratio: 3 }
  night: { size: 1280x800, color-scheme: dark }\n  paper: { size: 794x1123, media: print }\n`,
        'public/index.html': pageHtml(
          '',
          '<style>:root { color-scheme: light dark } .x { background: white }</style><header class="masthead"></header><p class="x">a</p>',
        ),
      },
    );
    const report = await checked(directory, ['--all-viewports']);
    const usual = { desktop: 'no-effect', phone: 'no-effect', night: 'no-effect', paper: 'no-effect' };
    const { variations } = report as CheckReport & { variations: Variation[] };
    expect(variations.map(({ rule, verdicts }) => [rule, verdicts])).toEqual([
      ['dark', { ...usual, night: 'hit' }],
      ['still', { ...usual, night: 'hit' }],
      ['touch', { ...usual, phone: 'hit' }],
      ['paper', { ...usual, paper: 'hit' }],
    ]);
  });

  test('what stopped hitting since the accepted check is told, and what was taken out is not', async () => {
    const directory = project(rules);
    await run(directory, ['check', '--accept']);
    const text = readFileSync(join(directory, 'local-needle.accepted.json'), 'utf8');
    expect(JSON.parse(text)).toEqual({
      accepted: 1,
      looks: { live: { a: { '/': 'hit', '/tickets': 'hit' }, wide: { '/': 'hit' } } },
    });
    expect(codes(await checked(directory))).toEqual([]);
    writeFileSync(join(directory, 'public/theme.css'), '.card { color: blue !important }');
    writeFileSync(join(directory, 'rules/a.css'), rules.replace('@needle wide {', '@needle wide { paused: yes;'));
    const report = await checked(directory);
    expect(report.findings.filter(({ code }) => code === 'no-longer-hit').map(({ message }) => message)).toEqual([
      '"a" no longer hits /: it is overridden',
      '"a" no longer hits /tickets: it is overridden',
    ]);
    writeFileSync(join(directory, 'local-needle.accepted.json'), '{');
    expect(await run(directory, ['check'])).toMatchObject({
      status: 2,
      log: expect.stringContaining('local-needle.accepted.json cannot be read'),
    });
  });

  test('a kept result counts only while nothing that it came from changed', async () => {
    const directory = project(rules);
    const old = new Date(Date.now() - 60_000);
    // Files that were just written are not trusted to have settled.
    const settled = (file: string, text?: string) => {
      if (text !== undefined) writeFileSync(join(directory, file), text);
      utimesSync(join(directory, file), old, new Date(old.getTime() + (text?.length ?? 0)));
    };
    const verdicts = async () => (await checked(directory)).cells.map(({ verdict }) => verdict);
    const files = ['public/index.html', 'public/tickets/index.html', 'public/theme.css'];
    for (const file of files) settled(file);
    for (const file of files) await untilSettled(join(directory, file));
    expect(await verdicts()).toEqual(['hit', 'hit', 'hit']);
    const cache = readFileSync(join(directory, '.local-needle/check.live.desktop.jsonl'), 'utf8');
    // A line for the program, and one for each page.
    expect(cache.split('\n')).toHaveLength(3);
    expect(await verdicts()).toEqual(['hit', 'hit', 'hit']);
    settled('public/theme.css', '.card { color: blue !important }');
    expect(await verdicts()).toEqual(['overridden', 'overridden', 'hit']);
    settled('public/index.html', html('class="page-1"', '<p class="card" style="order: 9"></p>'));
    expect(await verdicts()).toEqual(['overridden', 'overridden', 'overridden']);
    writeFileSync(join(directory, 'rules/a.css'), rules.replace('color: red', 'color: blue'));
    expect(await verdicts()).toEqual(['no-effect', 'no-effect', 'overridden']);
  });

  test('pages whose trees were kept are judged as those that are parsed, and damaged trees are not used', async () => {
    const directory = project(rules);
    const old = new Date(Date.now() - 60_000);
    for (const file of ['public/index.html', 'public/tickets/index.html']) utimesSync(join(directory, file), old, old);
    await untilSettled(join(directory, 'public/tickets/index.html'));
    const trees = join(directory, '.local-needle/trees.live');
    const judged = async () => {
      rmSync(join(directory, '.local-needle/check.live.desktop.jsonl'), { force: true });
      return (await run(directory, ['check', '--format', 'json'])).out;
    };
    const parsed = await judged();
    const files = readdirSync(trees).map((name) => join(trees, name));
    expect(files).toHaveLength(2);
    expect(await judged()).toBe(parsed);
    const [first = '', second = ''] = files;
    // A kept tree is really used: what is written into it shows.
    writeFileSync(first, readFileSync(first, 'latin1').replace('card', 'cart'), 'latin1');
    expect(await judged()).not.toBe(parsed);
    for (const cut of [3, 40, readFileSync(first).length - 20]) {
      truncateSync(first, cut);
      writeFileSync(second, 'nothing of ours');
      expect(await judged()).toBe(parsed);
    }
  });
});
