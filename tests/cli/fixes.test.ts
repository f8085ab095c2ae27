import { chmodSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { CheckReport } from '../../src/core/check/verdict.js';
import { folderWith, pageHtml, run, smallProject } from '../helpers.js';

const rulesOf = (directory: string) => readFileSync(join(directory, 'rules/a.css'), 'utf8');
const theme = {
  'public/index.html': pageHtml(
    'class="page-1 home"',
    '<style>.menu .row .x { color: red } .y { color: red !important }</style><nav class="menu"><div class="row"><p class="x">a</p><p class="y">b</p></div></nav>',
  ),
};
const states = {
  'local-needle.yaml':
    'version: 1\nsites: { live: { folder: public } }\nstates: { scrolled: { add-class: { .masthead: is-stuck } } }\n',
};

describe('check --fix', () => {
  test.each<[what: string, from: string, to: string, more?: Record<string, string>]>([
    ['a typing error in a class', '.promo-feild { order: 1; }', '.promo-field { order: 1; }'],
    ['an ID for a class', '@hide #promo-field;', '@hide .promo-field;'],
    ['a typing error in a property', '.x { colour: red; }', '.x { color: red; }'],
    ['a typing error in a unit', '.x { order: 2; padding: 4px 12pxx; }', '.x { order: 2; padding: 4px 12px; }'],
    ['numbers without a unit', '.x { padding: 3 4; }', '.x { padding: 3px 4px; }'],
    ['a typing error in a keyword', '.x { text-align: centre; }', '.x { text-align: center; }'],
    ['a selector that loses', '.x { color: teal; }', '.row .x { color: teal; }', theme],
    ['a state', '@hide .is-stuck;', 'state: scrolled; @hide .is-stuck;', states],
    ['alternatives', '@hide .none-1, .x;', '@hide :is(.none-1, .x);'],
    [
      'quotes and a comment around it',
      '/* .promo-feild */ @hide .promo-feild; /* é */',
      '/* .promo-feild */ @hide .promo-field; /* é */',
    ],
  ])('mends %s', async (_what, from, to, more = {}) => {
    const page = from.includes('promo') ? '/tickets/pay.html' : from.includes('stuck') ? '/legal' : '/';
    const text = (inside: string) => `\ufeff@needle one {\r\n  pages: path("${page}");\r\n  ${inside}\r\n}\r\n`;
    const directory = smallProject(text(from), more);
    expect((await run(directory, ['check'])).out).toMatch(/error|warning/);
    const { status, out } = await run(directory, ['check', '--fix']);
    expect([rulesOf(directory), status]).toEqual([text(to.replace('; @hide .is', ';\r\n  @hide .is')), 0]);
    expect(out).toMatch(/Mended 1 finding in 1 file/);
    expect(out).toMatch(/^\+\+\+ rules\/a\.css$/m);
    expect((await run(directory, ['check', '--fix'])).out).toContain('No finding has a fix that is certain.');
  });

  test.each([
    ['path("/tickets/pya.html")', 'path("/tickets/pay.html")'],
    ["path('/tickets/pya.html')", "path('/tickets/pay.html')"],
  ])('mends the condition %s', async (from, to) => {
    const text = (pages: string) => `@needle one { pages: ${pages}; @hide .promo-field; }`;
    const directory = smallProject(text(from));
    await run(directory, ['check', '--fix']);
    expect(rulesOf(directory)).toBe(text(to));
  });

  test('adds important: yes after the pages, with their indentation', async () => {
    const directory = smallProject(
      "@needle one {\n\tnote: 'a; b';\n\tpages: path('/');\n\t.y { color: teal; }\n}\n",
      theme,
    );
    const { out } = await run(directory, ['check', '--fix']);
    expect(rulesOf(directory)).toBe(
      "@needle one {\n\tnote: 'a; b';\n\tpages: path('/');\n\timportant: yes;\n\t.y { color: teal; }\n}\n",
    );
    expect(out).toContain('one: Add important: yes; (hit on /, 1 element)');
  });

  test('one change mends a rule on all its pages, and one fix may lead to the next', async () => {
    const directory = smallProject(
      '@needle one { pages: path("/"), path("/legal"), path("/tickets/pya.html"); @hide .mast-head; }\n@needle two { pages: path("/"); .x { colour: teal; } }',
    );
    const { out } = await run(directory, ['check', '--fix']);
    expect(rulesOf(directory)).toBe(
      '@needle one { pages: path("/"), path("/legal"), path("/tickets/pay.html"); @hide .masthead; }\n@needle two { pages: path("/"); .x { color: teal; } }',
    );
    expect(out).toMatch(/one: Replace \.mast-head by \.masthead \(hit on 2 pages, 2 elements\)/);
  });

  test.each<[format: string, said: RegExp]>([
    ['html', /<li>Replace \.mast-head by \.masthead \(hit on 2 pages, 2 elements\)<\/li>/],
    ['junit', /Fix: Replace \.mast-head by \.masthead \(hit on \/, 1 element\)/],
  ])('the %s report names the fixes that were tried', async (format, said) => {
    const directory = smallProject('@needle one { pages: path("/"), path("/legal"); @hide .mast-head; }');
    const { out } = await run(directory, ['check', '--fix', '--dry-run', '--format', format]);
    expect(out).toMatch(said);
    expect((await run(directory, ['check', '--format', format])).out).not.toMatch(said);
  });

  test('what can be meant in two ways is shown and left alone', async () => {
    const page = pageHtml('class="home"', '<p class="pier-a">a</p><p class="pier-b">b</p>');
    const directory = smallProject('@needle one { pages: path("/"); @hide .pier-c; }', { 'public/index.html': page });
    const before = rulesOf(directory);
    const { out } = await run(directory, ['check', '--fix']);
    expect(rulesOf(directory)).toBe(before);
    expect(out).toMatch(/Choose one:\s+Replace \.pier-c by \.pier-a .*\s+Replace \.pier-c by \.pier-b /);
  });

  test('a change that makes another finding is not offered', async () => {
    const directory = smallProject(
      '@needle one { pages: path("/tickets/pay.html"); @hide .promo-feild; }\n@keep-visible .promo-field { note: "The law wants it."; }',
    );
    const before = rulesOf(directory);
    expect((await run(directory, ['check', '--fix'])).out).toContain('No finding has a fix that is certain.');
    expect(rulesOf(directory)).toBe(before);
  });

  const several =
    '@needle one { pages: path("/tickets/pay.html"); @hide .promo-feild; .promo-field { colour: red; } }\n@needle two { pages: body-class(home); page-count: 2; @hide .x; }';

  test.each([
    [['--fix=missing-element'], ['.promo-field;', 'colour', 'page-count: 2']],
    [['--fix=invalid-css'], ['.promo-feild;', ' color', 'page-count: 2']],
    [['--fix=page-count'], ['.promo-feild;', 'colour', 'page-count: 1']],
    [
      ['--fix', 'two'],
      ['.promo-feild;', 'colour', 'page-count: 2'],
    ],
    [
      ['--fix', 'one'],
      ['.promo-field;', ' color', 'page-count: 2'],
    ],
    [
      ['one', '--fix'],
      ['.promo-field;', ' color', 'page-count: 2'],
    ],
    [
      ['--fix', '--dry-run'],
      ['.promo-feild;', 'colour', 'page-count: 2'],
    ],
  ])('%j', async (words, left) => {
    const directory = smallProject(several);
    await run(directory, ['check', ...words]);
    for (const text of left) expect(rulesOf(directory)).toContain(text);
  });

  test('as JSON, each finding has its fixes with their edits and results', async () => {
    const directory = smallProject(several);
    const { out, status } = await run(directory, ['check', '--fix', '--dry-run', '--format', 'json']);
    const { findings } = JSON.parse(out) as CheckReport;
    const missing = findings.find(({ code }) => code === 'missing-element');
    const start = several.indexOf('.promo-feild');
    expect(missing?.fixes).toEqual([
      {
        title: 'Replace .promo-feild by .promo-field',
        edits: [{ file: 'rules/a.css', start, end: start + '.promo-feild'.length, newText: '.promo-field' }],
        result: { verdict: 'hit', elements: 1 },
      },
    ]);
    expect(status).toBe(1);
    expect(out).not.toContain('"proposals"');
    expect((await run(directory, ['check', '--format', 'json'])).out).not.toContain('"fixes"');
    const sarif = JSON.parse((await run(directory, ['check', '--fix', '--dry-run', '--format', 'sarif'])).out);
    const [fix] = sarif.runs[0].results.find(({ ruleId }: { ruleId: string }) => ruleId === 'missing-element').fixes;
    expect(fix.artifactChanges).toEqual([
      {
        artifactLocation: { uri: 'rules/a.css' },
        replacements: [
          {
            deletedRegion: { startLine: 1, startColumn: start + 1, endLine: 1, endColumn: start + 13 },
            insertedContent: { text: '.promo-field' },
          },
        ],
      },
    ]);
  });

  test.each([
    [['--dry-run'], /--dry-run belongs to --fix/],
    [['--fix', '--watch'], /--watch and --fix cannot be combined/],
    [['--fix', '--accept'], /--accept and --fix cannot be combined/],
    [['--fix', 'thre'], /no rule|thre/],
  ])('%j is refused', async (words, said) => {
    const directory = smallProject(several);
    const before = rulesOf(directory);
    const { status, log } = await run(directory, ['check', ...words]);
    expect([status, rulesOf(directory)]).toEqual([2, before]);
    expect(log).toMatch(said);
  });

  test('a read-only file stays as it is', async () => {
    const directory = smallProject(several);
    chmodSync(join(directory, 'rules/a.css'), 0o444);
    const { status, log } = await run(directory, ['check', '--fix']);
    expect([status, rulesOf(directory)]).toEqual([3, several]);
    expect(log).toContain('rules/a.css is read-only');
  });

  test.each<[what: string, from: string, to: string]>([
    [
      '// comments',
      '// the "promo" don\'t\r\n  @hide .promo-field; // url(//a)',
      '/* the "promo" don\'t */\r\n  @hide .promo-field; /* url(//a) */',
    ],
    [
      'a missing ; before an at-rule',
      '@hide .masthead\r\n  @hide .promo-field;',
      '@hide .masthead;\r\n  @hide .promo-field;',
    ],
    [
      'a missing ; after a declaration',
      '.promo-field { margin: 0\r\n order: 2; }',
      '.promo-field { margin: 0;\r\n order: 2; }',
    ],
    [
      'a missing ; before a style rule',
      'note: "a"\r\n page-count: 1\r\n .promo-field { margin: 0\r\n &:hover { order: 2 } }',
      'note: "a";\r\n page-count: 1;\r\n .promo-field { margin: 0;\r\n &:hover { order: 2 } }',
    ],
    [
      'a missing ; after one of several lines',
      '@hide .masthead,\r\n .promo-field\r\n .promo-field,\r\n .masthead { order: 2; }',
      '@hide .masthead,\r\n .promo-field;\r\n .promo-field,\r\n .masthead { order: 2; }',
    ],
    [
      'a string without its end',
      'note: "a; page-count: 1; @hide .promo-field;',
      'note: "a"; page-count: 1; @hide .promo-field;',
    ],
    [
      'a string without its end at a line end',
      "note: 'a\r\n @hide .promo-field;",
      "note: 'a';\r\n @hide .promo-field;",
    ],
    ['an = for a colon', '.promo-field { order = 2; }', '.promo-field { order: 2; }'],
    ['a missing colon', '.promo-field { order 2 }', '.promo-field { order: 2 }'],
    ['two # for one', '@hide ##pay;', '@hide #pay;'],
    [
      'several in turn',
      'note: "a; // b\r\n @hide .promo-field\r\n @hide .masthead;',
      'note: "a"; /* b */\r\n @hide .promo-field;\r\n @hide .masthead;',
    ],
  ])('mends %s, which kept the file from being read', async (_what, from, to) => {
    const text = (inside: string) => `@needle one {\r\n  pages: path("/tickets/pay.html");\r\n  ${inside}\r\n}\r\n`;
    const directory = smallProject(text(from));
    const { status, out } = await run(directory, ['check', '--fix', '--dry-run']);
    expect([rulesOf(directory), status > 0]).toEqual([text(from), true]);
    expect(out).toMatch(/Would mend \d (problem|finding)s? in 1 file/);
    expect((await run(directory, ['check', '--fix'])).status).toBe(0);
    expect(rulesOf(directory)).toBe(text(to));
  });

  test.each<[from: string, to: string]>([
    ['@needle one { pages: "/legal"; @hide .masthead;', '@needle one { pages: path("/legal"); @hide .masthead;\n}'],
    [
      '@needle one { pages: path("/legal"); @hide .masthead; } }',
      '@needle one { pages: path("/legal"); @hide .masthead; } ',
    ],
    ['@needle one { pages: .legal; @hide .masthead }', '@needle one { pages: body-class(legal); @hide .masthead }'],
  ])('mends %s', async (from, to) => {
    const directory = smallProject(from);
    await run(directory, ['check', '--fix']);
    expect(rulesOf(directory)).toBe(to);
  });

  test('what looks like a mistake in writing and is none is read as it is', async () => {
    const text =
      '@needle one { note: "http://a // b"; pages: path("/legal"); /* // c */ .masthead { background: url(//a.example/b.png); --cdn: //a.example; } @media (min-width: 1px) { .masthead { order: 2 } } }';
    const directory = smallProject(text);
    expect((await run(directory, ['check'])).status).toBe(0);
  });

  test('several files are written together or not at all', async () => {
    const directory = smallProject('@needle one { pages: path("/legal"); @hide .mast-head; }');
    const second = '@needle two { pages: path("/legal"); @hide .mast-head; }';
    writeFileSync(join(directory, 'rules/b.css'), second);
    chmodSync(join(directory, 'rules/b.css'), 0o444);
    const before = rulesOf(directory);
    expect((await run(directory, ['check', '--fix'])).status).toBe(3);
    expect(rulesOf(directory)).toBe(before);
  });

  test('files that cannot be read do not keep the others from being mended', async () => {
    const directory = folderWith({
      'local-needle.yaml': 'version: 1\nsites: { live: { folder: public } }\n',
      'public/index.html': pageHtml('class="home"', '<p class="x">a</p>'),
      'rules/a.css': '@needle one { pages: path("/"); @hide .xx; }',
    });
    writeFileSync(join(directory, 'rules/b.css'), '@needle two { @hide .x; }');
    expect((await run(directory, ['check', '--fix'])).status).toBe(2);
    expect(rulesOf(directory)).toContain('@hide .x;');
  });
});
