import { existsSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { CompareReport } from '../../src/core/compare/compare.js';
import type { CheckReport } from '../../src/core/check/verdict.js';
import { folderWith, pageHtml, run, smallProject } from '../helpers.js';

const checked = async (directory: string, words: string[] = []) =>
  JSON.parse((await run(directory, ['check', '--format', 'json', '--fail-on', 'never', ...words])).out) as CheckReport;

describe('Two copies of which one lacks pages', () => {
  const two = (rules: string, staging: Record<string, string>) =>
    folderWith({
      'local-needle.yaml':
        'version: 1\nsites: { live: { folder: live, query-keys: [page_id], drop-extension: .html }, staging: { folder: staging, query-keys: [page_id], drop-extension: .html } }\n',
      'rules/a.css': rules,
      'live/index.html': pageHtml('class="page-1"', '<p class="x">'),
      'live/winter.html': pageHtml('class="page-2 season"', '<p class="x">'),
      ...staging,
    });

  test.each([
    ['path("/winter")', ['/winter'], ['/winter']],
    ['body-class(season)', ['/winter'], ['/winter']],
    ['page-id(2)', ['/winter'], ['/winter']],
    ['path("/*")', ['/winter'], ['/winter']],
    ['all', ['/winter'], ['/winter']],
    ['path("/")', [], []],
    ['site(live) path("/winter")', [], []],
  ])('pages: %s; differs by what is missing', async (pages, onA, missing) => {
    const directory = two(`@needle a { pages: ${pages}; @hide .x; }`, {
      'staging/index.html': pageHtml('class="page-1"', '<p class="x">'),
    });
    const { out } = await run(directory, ['compare', 'live', 'staging', '--format', 'json']);
    const { rules } = JSON.parse(out) as CompareReport;
    // No other condition helps where a page is missing.
    expect(rules.map((each) => [each.pagesOnA, each.missing, each.instead])).toEqual(
      onA.length > 0 ? [[onA, missing, null]] : [],
    );
    const text = (await run(directory, ['compare', 'live', 'staging'])).out;
    expect(text.includes('Every rule targets the same pages')).toBe(onA.length === 0);
    expect(text.includes('/winter (missing on the other)')).toBe(onA.length > 0);
  });

  test.each([
    ['query("page_id=13")', true],
    ['query("page_id=0af3b2c91d")', true],
    ['query("page_id=winter")', false],
  ])('%s is site-specific: %s', async (condition, isSpecific) => {
    const value = /=([^"]*)/.exec(condition)?.[1] ?? '';
    const har = (host: string, values: string[]) =>
      JSON.stringify({
        log: {
          version: '1.2',
          entries: values.map((each) => ({
            request: { method: 'GET', url: `http://${host}/?page_id=${each}` },
            response: {
              status: 200,
              headers: [{ name: 'content-type', value: 'text/html' }],
              content: { mimeType: 'text/html', text: pageHtml('', `<p class="x">${each}`) },
            },
          })),
        },
      });
    const directory = folderWith({
      'local-needle.yaml':
        'version: 1\nsites: { live: { har: live.har, query-keys: [page_id] }, staging: { har: staging.har, query-keys: [page_id] } }\n',
      'rules/a.css': `@needle a { pages: ${condition}; @hide .x; }`,
      'live.har': har('saltmere.example', [value, '99']),
      'staging.har': har('staging.example', ['99', '98']),
    });
    const { findings } = await checked(directory);
    expect(findings.some(({ code }) => code === 'site-specific-id')).toBe(isSpecific);
  });
});

describe('A hint', () => {
  test.each<[string, string[], alt?: string]>([
    ['<a class="brand"><img src="/l.svg"></a>', ['invalid-swap', 'Select the img itself: .brand img.']],
    ['<a class="brand">Saltmere</a>', []],
    ['<a class="brand">Saltmere</a>', ['invalid-swap', 'Add alt: "What the picture says";'], ''],
    ['<a class="brand"><svg><use href="#l"/></svg></a>', []],
    [
      '<a class="logo"><svg class="brand"><path/></svg></a>',
      ['invalid-swap', 'Swap all of what is around it, with alt: a.logo'],
    ],
    [
      '<h1><svg><path class="brand"/></svg></h1>',
      ['invalid-swap', 'Swap all of what is around it, with alt: h1 there.'],
    ],
    ['<video class="brand"></video>', ['invalid-swap', '']],
    ['<a class="brand back">S</a>', ['invalid-swap', '.brand { background-image: url("../l.svg"); }']],
    ['<a class="brand mask">S</a>', ['invalid-swap', '.brand { mask-image: url("../l.svg"); }']],
    ['<picture><source srcset="/l.png"><img class="brand" loading="lazy" src="/l.svg"></picture>', []],
  ])('for a picture that is swapped into %s: %j', async (inside, expected, alt = 'alt: "L";') => {
    const rules = `@needle a { pages: path("/"); @swap .brand { image: url("../l.svg"); ${alt} } }`;
    const directory = smallProject(rules, {
      'public/index.html': pageHtml(
        'class="page-1"',
        `<style>.back { background: url(/b.png) } .mask { mask: url(/b.png) }</style>${inside}`,
      ),
      'l.svg': '<svg xmlns="http://www.w3.org/2000/svg" width="1" height="1"/>',
    });
    const found = (await checked(directory)).findings.filter(({ code }) => code === 'invalid-swap');
    expect(found.map(({ code, hint }) => [code, hint ?? ''])).toEqual(
      expected.length === 0 ? [] : [[expected[0], expect.stringContaining(expected[1] ?? '')]],
    );
  });
});

describe('An exception that matches nobody', () => {
  test.each([
    ['body-class(logged-in)', []],
    ['body-id(member)', []],
    ['path("/leagl")', ['missing-page']],
    ['page-id(99)', ['missing-page']],
  ])('except: %s', async (except, expected) => {
    const { findings } = await checked(smallProject(`@needle a { pages: path("/"); except: ${except}; @hide .x; }`));
    expect(findings.map(({ code }) => code)).toEqual(expected);
  });
});

describe('Links in the folder of a site', () => {
  test('that are broken or lead out are skipped and reported, and stop nothing', async () => {
    const directory = smallProject('@needle a { pages: path("/"); @hide .x; }', {
      'outside/secret.html': pageHtml(''),
    });
    symlinkSync('../outside/secret.html', join(directory, 'public/out.html'));
    symlinkSync('gone.html', join(directory, 'public/broken.html'));
    symlinkSync('nowhere.svg', join(directory, 'public/picture.svg'));
    symlinkSync('legal/index.html', join(directory, 'public/same.html'));
    const { findings, cells } = await checked(directory);
    expect(cells.map(({ verdict }) => verdict)).toEqual(['hit']);
    expect(findings.map(({ code, message }) => [code, message])).toEqual([
      ['skipped-link', 'broken.html is a broken symbolic link, and was skipped'],
      ['skipped-link', 'out.html is a symbolic link that leads out of the folder, and was skipped'],
    ]);
    const built = await run(directory, ['build', '--as', 'pages', '--out', 'out']);
    expect([built.status, built.log]).toEqual([0, expect.not.stringContaining('error')]);
    expect(built.out).toMatch(/Skipped: broken\.html is a broken[^]*Skipped: out\.html[^]*Skipped: picture\.svg/);
    expect(existsSync(join(directory, 'out/same.html'))).toBe(true);
    expect(existsSync(join(directory, 'out/out.html'))).toBe(false);
  });
});

describe('The tags that build prints', () => {
  const rules = '@needle a { pages: path("/"); @hide .x; }';
  test.each([
    ['public/assets', '', 'href="/assets/local-needle.css"'],
    ['public', '', 'href="/local-needle.css"'],
    [
      'elsewhere',
      '',
      'the address that your site serves the folder from:\n  <link rel="stylesheet" href="local-needle.css">',
    ],
    ['elsewhere', ', bundle-address: /css/local-needle.css', 'href="/css/local-needle.css"'],
  ])('for --out %s with%s have the address that pages load', async (out, more, expected) => {
    const settings = `version: 1\nsites: { live: { folder: public${more} } }\n`;
    const built = await run(smallProject(rules, { 'local-needle.yaml': settings }), ['build', '--out', out]);
    expect([built.status, built.out]).toEqual([0, expect.stringContaining(expected)]);
  });
});

describe('A rule file with an error beside others', () => {
  const directory = smallProject('@needle a { pages: path("/"); @hide .x; }', {
    'rules/b.css': '@needle b { pages: path("/");\n  @hid .x;\n}',
    'rules/c.css': '@needle c { pages: path("/"); @hide .gone; }',
  });

  test('leaves the others checked, is reported at its place, and ends with status 2', async () => {
    const { status, out, log } = await run(directory, ['check', '--format', 'json']);
    const report = JSON.parse(out) as CheckReport;
    expect([status, report.cells.map(({ rule, verdict }) => `${rule} ${verdict}`)]).toEqual([
      2,
      ['a hit', 'c no-match'],
    ]);
    expect(log).toMatch(/rules\/b\.css:2:3 {2}@hid is unknown in a rule[^]*1 rule file could not be read/);
  });

  test.each([['check', '--accept'], ['build'], ['rules']])(
    'stops %s %s, which are about all rules',
    async (...words) => {
      const { status, out } = await run(directory, words);
      expect([status, out]).toEqual([2, '']);
    },
  );
});

describe('A site whose files end in .html and whose links do not', () => {
  const page = (links: string) => pageHtml('', links);
  const bare = { 'public/index.html': page('<a href="/booking">'), 'public/booking.html': page('<a href="/">') };

  test.each([
    ['links without', bare, 'drop-extension: .html', '/booking'],
    [
      'links with it',
      { ...bare, 'public/index.html': page('<a href="booking.html">') },
      'folder: "public" }',
      '/booking.html',
    ],
  ])('init sees %s', async (_what, files, setting, path) => {
    const directory = folderWith(files);
    expect((await run(directory, ['init', 'public'])).status).toBe(0);
    expect(readFileSync(join(directory, 'local-needle.yaml'), 'utf8')).toContain(setting);
    expect((await run(directory, ['pages'])).out).toContain(`\n${path}\t`);
  });

  test.each([
    [['check'], '@needle a { pages: path("/booking"); @hide p; }'],
    [['why', 'a', '/booking'], '@needle a { pages: all; @hide p; }'],
    [['pages', '/booking'], '@needle a { pages: all; @hide p; }'],
  ])('%j names the setting', async (words, rules) => {
    const directory = smallProject(rules, { 'public/booking.html': page('') });
    const { out, log } = await run(directory, words);
    expect(out + log).toMatch(/booking\.html.*add drop-extension: \.html/);
  });
});

describe('Pages that only local-needle.js can match', () => {
  const rule = (name: string, path: string, more = '') =>
    `@needle ${name} { pages: path("${path}"); ${more} @hide header; }`;
  const project = (rules: string, site = '') =>
    smallProject(rules, {
      'local-needle.yaml': `version: 1\nsites: { live: { folder: public${site} } }\n`,
      'public/about.html': pageHtml('', '<header>'),
    });
  const needing = async (directory: string) =>
    (await checked(directory)).findings.filter(({ code }) => code === 'needs-script');

  test.each([
    ['one rule', rule('a', '/legal'), '', 'a', /matches \/legal by path: it has no unique/],
    [
      'several rules',
      rule('a', '/legal') + rule('b', '/about.html') + rule('c', '/legal'),
      '',
      null,
      /matches \/legal, \/about\.html by path for 3 rules \(a, b, c\): they have no unique/,
    ],
    [
      'rules of which one accepts it',
      rule('a', '/legal', 'allow: needs-script "It is loaded.";') + rule('b', '/about.html'),
      '',
      'b',
      /matches \/about\.html by path/,
    ],
  ])('are reported once for %s', async (_what, rules, site, name, message) => {
    const found = await needing(project(rules, site));
    expect(found.map((each) => [each.rule, each.message])).toEqual([[name, expect.stringMatching(message)]]);
  });

  test.each([
    ['a bundle-address, which says how pages load it', rule('a', '/legal'), ', bundle-address: /local-needle.css'],
    ['a rule that is paused', rule('a', '/legal', 'paused: yes;'), ''],
    ['a rule that is expired', rule('a', '/legal', 'until: 2020-01-01;'), ''],
    ['a page with a handle', rule('a', '/tickets/pay.html'), ''],
  ])('are not reported with %s', async (_what, rules, site) => {
    expect(await needing(project(rules, site))).toEqual([]);
  });

  test.each(['<script src="/a/local-needle.js">', '<script src="local-needle-0f3a9c1e.js?v=1">'])(
    'are not reported once a captured page has %s',
    async (script) => {
      const directory = project(rule('a', '/legal') + rule('b', '/about.html'));
      expect(await needing(directory)).toHaveLength(1);
      writeFileSync(join(directory, 'public/about.html'), pageHtml('', `<header>${script}</script>`));
      expect(await needing(directory)).toEqual([]);
    },
  );

  test('are fixed by a condition that picks the same pages without the script', async () => {
    const directory = smallProject('@needle a { pages: path("/journal/*"); @hide header; }', {
      'public/journal/a.html': pageHtml('class="category-news"', '<header>'),
      'public/journal/b.html': pageHtml('class="category-news"', '<header>'),
      'public/other.html': pageHtml('class="category-news old"', '<header>'),
    });
    const [{ hint } = { hint: '' }] = await needing(directory);
    const line = 'pages: body-class(category-news); except: body-class(old);';
    expect(hint).toContain(line);
    writeFileSync(join(directory, 'rules/a.css'), `@needle a { ${line} @hide header; }`);
    const { cells, findings } = await checked(directory);
    expect([cells.map(({ page }) => page), findings]).toEqual([['/journal/a.html', '/journal/b.html'], []]);
  });
});

test('what is said to work on both copies does so there too, or is not said', async () => {
  const page = (id: number) => pageHtml(`class="page-${id}"`, '<p class="x">');
  const directory = folderWith({
    'local-needle.yaml':
      'version: 1\nsites: { live: { folder: live, drop-extension: .html }, staging: { folder: staging, drop-extension: .html } }\n',
    'rules/a.css': '@needle a { pages: page-id(2), page-id(3), page-id(4); @hide .x; }',
    'live/index.html': page(1),
    ...Object.fromEntries([2, 3, 4].map((id) => [`live/news/n${id}.html`, page(id)])),
    'staging/index.html': page(11),
    ...Object.fromEntries([2, 3, 4, 5].map((id) => [`staging/news/n${id}.html`, page(id + 10)])),
  });
  const { out } = await run(directory, ['compare', 'live', 'staging', '--format', 'json']);
  const instead = (JSON.parse(out) as CompareReport).rules[0]?.instead ?? null;
  // `path("/news/*")` means the three pages on live, and a fourth one on staging.
  expect(instead === null || !instead.includes('*')).toBe(true);
  for (const { hint } of (await checked(directory)).findings) expect(hint ?? '').not.toContain('/news/*');
});

describe('Conditions and captures of visitors', () => {
  /** A capture as it is on disk, of pages with a body class each. */
  const capture = (visitor: string | null, day: string, pages: Record<string, string>) => {
    const folder = `captured/live${visitor === null ? '' : `.${visitor}`}`;
    const entries = Object.entries(pages).map(([path, body]) => {
      const file = `pages/${path.slice(1) || 'index'}.html`;
      return { path, file, html: pageHtml(`class="${body}"`, '<p class="x">'), body };
    });
    const lines = [
      { capture: 1, site: 'live', visitor, address: 'http://saltmere.example', rendered: false, day },
      ...entries.map(({ path, file, html, body }) => ({
        page: {
          ...{
            path,
            url: `http://saltmere.example${path}`,
            title: 'Saltmere',
            body: { class: body },
            styles: [],
            file,
          },
          ...{ bytes: Buffer.byteLength(html), hash: '0123456789abcdef' },
        },
      })),
      { end: '0123456789abcdef' },
    ];
    return {
      [`${folder}/index.jsonl`]: lines.map((line) => `${JSON.stringify(line)}\n`).join(''),
      ...Object.fromEntries(entries.map(({ file, html }) => [`${folder}/${file}`, html])),
    };
  };
  const project = (rules: string, day: string, withMember = true) =>
    folderWith({
      'local-needle.yaml':
        'version: 1\nsites: { live: { address: "http://saltmere.example" } }\nvisitors: { member: { cookies: { s: "1" } } }\n',
      'rules/a.css': rules,
      ...capture(null, '2026-11-25', { '/': 'home', '/news': 'news' }),
      ...(withMember ? capture('member', day, { '/': 'home logged-in', '/news': 'news logged-in' }) : {}),
    });

  test.each([
    ['pages: body-class(logged-in); @hide .x;', true, [], ['visitor-page']],
    ['pages: all; except: body-class(logged-in); @hide .x;', true, [], ['visitor-page']],
    ['pages: all; except: body-class(logged-in); @hide .x;', false, [], ['unused-except']],
    ['pages: body-class(logged-in); @hide .x;', false, ['missing-page'], []],
    ['pages: all; except: path("/gone"); @hide .x;', true, ['missing-page'], []],
    ['pages: body-class(logged-in); visitor: member; @hide .x;', true, [], []],
  ])('%s (member captured: %s)', async (rule, withMember, codes, notes) => {
    const report = await checked(project(`@needle a { ${rule} }`, '2026-11-25', withMember));
    const of = (list: CheckReport['findings']) => list.map(({ code }) => code);
    expect([of(report.findings), of(report.notes)]).toEqual([codes, notes]);
  });

  test.each([
    ['2026-10-02', ['old-capture'], 'Run local-needle capture live --visitor member.'],
    ['2026-12-24', ['old-capture'], 'Run local-needle capture live.'],
    ['2026-11-20', [], undefined],
  ])('captured on %s beside one of 2026-11-25: %j', async (day, codes, hint) => {
    const report = await checked(project('@needle a { pages: all; visitor: member; @hide .x; }', day));
    expect(report.findings.map(({ code }) => code)).toEqual(codes);
    expect(report.findings[0]?.hint).toBe(hint);
  });

  test.each([
    ['2026-11-25', true],
    ['2026-11-20', false],
  ])('no hint rests on the older of two captures (%s)', async (day, isHinted) => {
    const directory = project('@needle a { pages: path("/"); @hide .bar; }', day);
    const file = join(directory, 'captured/live.member/pages/index.html');
    writeFileSync(file, pageHtml('class="home logged-in"', '<p class="bar">'));
    const [finding] = (await checked(directory)).findings;
    expect([finding?.code, finding?.hint?.includes('visitor member') ?? false]).toEqual(['missing-element', isHinted]);
  });
});

describe('Page IDs of a real site', () => {
  const project = (rules: string, pages: Record<string, string>) =>
    folderWith({
      'local-needle.yaml': 'version: 1\nsites: { live: { folder: public, drop-extension: .html } }\n',
      'rules/a.css': rules,
      ...Object.fromEntries(
        Object.entries(pages).map(([path, body]) => [
          `public${path}.html`,
          pageHtml(`class="${body}"`, '<p class="x">'),
        ]),
      ),
    });

  test('are shared by the parts of a page, which is no error', async () => {
    const parts = { '/a': 'page-1', '/b': 'page-2', '/c': 'page-3', '/c/2': 'page-3 paged', '/c/3': 'page-3 paged' };
    const all = await checked(project('@needle a { pages: page-id(3); @hide .x; }', parts));
    expect([all.cells.map(({ page }) => page), all.findings]).toEqual([['/c', '/c/2', '/c/3'], []]);
  });

  test('that are not recognised are told with the class and the line to write', async () => {
    const directory = project('@needle a { pages: page-id(13); @hide .x; }', {
      '/a': 'page-id-13 parent-pageid-13',
      '/b': 'author-paged-13',
    });
    const [finding] = (await checked(directory)).findings;
    expect([finding?.code, finding?.hint]).toEqual([
      'missing-page',
      'body-class(page-id-13) matches /a. For page-id(), write in local-needle.yaml: page-id: { in: body-class, like: "page-id-{id}" }',
    ]);
    const yaml = join(directory, 'local-needle.yaml');
    writeFileSync(yaml, `${readFileSync(yaml, 'utf8')}page-id: { in: body-class, like: "page-id-{id}" }\n`);
    expect((await checked(directory)).findings).toEqual([]);
  });
});

describe('Stylesheets that were not captured', () => {
  const project = (href: string, rules: string, yaml = '') =>
    smallProject(rules, {
      'local-needle.yaml': `version: 1\nsites: { live: { folder: public } }\n${yaml}`,
      'public/index.html': `<!doctype html><head><link rel="stylesheet" href="${href}"></head><body class="page-1"><p class="x">`,
      'public/tickets/pay.html': `<!doctype html><head><link rel="stylesheet" href="${href}"></head><body class="page-2"><p class="x">`,
    });
  const widget = 'https://widgets.saltmere.example/chat.css';
  const fonts = 'https://fonts.saltmere.example/css?family=Sea';
  const hide = '@needle a { pages: page-id(1); @hide .x; }';
  const restyle = '@needle a { pages: page-id(1); .x { color: teal; } }';

  test.each([
    ['hiding is sure', widget, hide, true, 1],
    ['a restyle is not', widget, restyle, false, 1],
    ['of a host for web fonts do not count', fonts, restyle, true, 0],
  ])('%s', async (_what, href, rules, sure, findings) => {
    const report = await checked(project(href, rules));
    expect(report.cells.map((cell) => cell.sure)).toEqual([sure]);
    expect(report.findings.map(({ code }) => code)).toEqual(Array<string>(findings).fill('uncaptured-stylesheet'));
    expect(report.notes.map(({ code }) => code)).toEqual(findings === 0 ? ['assumed-fonts'] : []);
  });

  test('are one finding in the text, however many there are', async () => {
    const directory = project(widget, hide);
    const html = `<!doctype html><head><link rel="stylesheet" href="${widget}"><link rel="stylesheet" href="${widget}?2"></head><body class="page-1"><p class="x">`;
    writeFileSync(join(directory, 'public/index.html'), html);
    const { out } = await run(directory, ['check']);
    expect(out.match(/uncaptured-stylesheet {2}/g)).toHaveLength(1);
    expect(out).toContain(`the same on ${widget}?2`);
  });

  test.each([
    [`at: "${widget}", `, 1],
    ['at: "https://widgets.saltmere.example/*", ', 1],
    ['at: "/*", ', 1],
    ['at: "/tickets/*", ', 0],
    ['at: "https://other.saltmere.example/*", ', 0],
    ['', 1],
  ])('are accepted in local-needle.yaml with %j: %i', async (at, accepted) => {
    const directory = project(widget, hide, `allow: [{ code: uncaptured-stylesheet, ${at}reason: "A chat box." }]\n`);
    const report = await checked(directory);
    expect([report.accepted, report.findings.length]).toEqual([accepted, 1 - accepted]);
    expect((await run(directory, ['check'])).out.includes('1 accepted')).toBe(report.accepted === 1);
  });

  test.each([
    ['[{ code: uncaptured, reason: "x" }]', 'must be the code of a finding'],
    ['[{ code: not-html }]', 'must say why'],
    ['[{ code: not-html, at: "old", reason: "x" }]', 'must be a path, an address or a pattern'],
    ['{ not-html: "x" }', 'must be a list'],
  ])('allow: %s is refused', async (allow, message) => {
    const { status, log } = await run(project(widget, hide, `allow: ${allow}\n`), ['check']);
    expect([status, log]).toEqual([2, expect.stringContaining(message)]);
  });
});

describe('Pages that differ in their query alone', () => {
  const project = (rules: string) => {
    const entries: [string, string][] = [
      ['/', 'home'],
      ['/?p=4', 'postid-4'],
      ['/?p=4&page=2', 'postid-4 paged-2'],
      ['/?p=5', 'postid-5'],
    ];
    const entry = ([url, body]: [string, string]) => ({
      request: { method: 'GET', url: `http://saltmere.example${url}` },
      response: {
        status: 200,
        headers: [{ name: 'content-type', value: 'text/html' }],
        content: { mimeType: 'text/html', text: pageHtml(`class="${body}"`, '<h1 class="x">a</h1>', body) },
      },
    });
    return folderWith({
      'local-needle.yaml':
        'version: 1\nsites: { live: { har: a.har, query-keys: [p, page] } }\npage-id: { in: body-class, like: "postid-{id}" }\n',
      'a.har': JSON.stringify({ log: { version: '1.2', entries: entries.map(entry) } }),
      'rules/a.css': rules,
    });
  };

  test.each([
    ['path("/")', ['/']],
    ['path("/") query("p=4")', ['/?p=4', '/?p=4&page=2']],
    ['path("/") query("p=4") query("page=2")', ['/?p=4&page=2']],
    ['page-id(4); except: body-class(paged-2)', ['/?p=4']],
  ])('are told apart by %s, in the check and in what ships', async (pages, paths) => {
    const directory = project(`@needle a { pages: ${pages}; page-count: ${paths.length}; .x { color: teal; } }`);
    const { cells } = await checked(directory);
    expect(cells.map(({ page }) => page)).toEqual(paths);
    const { status, log } = await run(directory, ['build', '--fail-on', 'never']);
    expect([status, log]).toEqual([0, '']);
  });

  test('narrow a check, which says so where no rule targets them', async () => {
    const directory = project('@needle a { pages: page-id(5); .x { color: teal; } }');
    expect((await run(directory, ['check', '--page', '/?p=5'])).out).toContain('1 cell: 1 hit');
    expect((await run(directory, ['check', '--page', '/?p=4'])).out).toContain('No rule targets this.');
  });

  test('are offered with what really picks them', async () => {
    const { out } = await run(project(''), ['pages', '/?p=4']);
    expect(out).toMatch(/pages: path\("\/"\) query\("p=4"\);\t2 pages/);
    expect(out).toMatch(/pages: page-id\(4\); except: body-class\(paged-2\);\tthis page only/);
    expect((await run(project(''), ['pages', '/?p=5'])).out).toMatch(/query\("p=5"\);\tthis page only\tanother copy/);
    expect((await run(project('@needle a { pages: query("p=4&page=2"); @hide .x; }'), ['check'])).log).toContain(
      'Write query("p=4") query("page=2")',
    );
  });
});
