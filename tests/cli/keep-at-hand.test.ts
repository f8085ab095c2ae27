import { spawn } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { Ajv2020 } from 'ajv/dist/2020.js';
import fc from 'fast-check';
import { parse } from 'yaml';
import { demoSettings } from '../../demo/site.js';
import type { CheckReport } from '../../src/core/check/verdict.js';
import { Cache } from '../../src/project/cache.js';
import { folderWith, pageHtml, run, runsOf, smallProject } from '../helpers.js';

const checked = async (directory: string, words: string[] = []) =>
  JSON.parse((await run(directory, ['check', '--format', 'json', ...words])).out) as CheckReport;

describe('Files named after pages', () => {
  const directory = smallProject('@needle first { pages: path("/"); .x { color: red; } }', {
    'local-needle.yaml': 'version: 1\nsites: { live: { folder: public, drop-extension: .html } }\npage-files: pages\n',
    'pages/index.css': '.x { color: teal; }\n@media (max-width: 600px) { .x { margin: 0; } }\n',
    'pages/tickets/pay.css': '.promo-field { colour: red; padding: 4px; }',
    'pages/tickets/pay.js': 'document.title = "pay";',
    'pages/tickets/pya.css': '.promo-field { padding: 0; }',
    'pages/legal/index.js': 'var a = ;',
  });

  test('are rules for these pages, after all others, without any wiring', async () => {
    const report = await checked(directory);
    expect(report.rules.map(({ rule, pages }) => [rule, pages])).toEqual([
      ['first', ['/']],
      ['pages/index', ['/']],
      ['pages/legal/index', ['/legal']],
      ['pages/tickets/pay', ['/tickets/pay']],
      ['pages/tickets/pya', []],
    ]);
    expect(report.cells.find(({ rule }) => rule === 'pages/tickets/pay')?.verdict).toBe('hit');
    const found = report.findings.map(({ code, at, hint }) => [code, at?.file, at?.line, hint]);
    expect(found).toEqual(
      expect.arrayContaining([
        ['invalid-css', 'pages/tickets/pay.css', 1, 'Did you mean color?'],
        ['invalid-script', 'pages/legal/index.js', 1, expect.any(String)],
        ['missing-page', 'pages/tickets/pya.css', 1, 'path("/tickets/pay") matches /tickets/pay.'],
      ]),
    );
    await run(directory, ['build', '--force', '--out', 'out']);
    const css = readFileSync(join(directory, 'out/local-needle.css'), 'utf8');
    expect(css.indexOf('color: red')).toBeLessThan(css.indexOf('body.page-1 .x {\n  color: teal;'));
    expect(readFileSync(join(directory, 'out/local-needle.js'), 'utf8')).toContain('document.title = "pay"');
    expect((await run(directory, ['rules', 'pause', 'pages/index'])).log).toMatch(
      /comes from a file named after its page/,
    );
  });
});

describe('@only-here', () => {
  test.each([
    [
      'pages: path("/tickets/pay.html");',
      ':root body:where(:not(.page-46)) .masthead {\n  display: none !important;\n}',
    ],
    ['pages: body-class(home), page-id(46);', ':root body:where(:not(.home, .page-46)) .masthead {'],
    ['pages: path("/legal");', ':root body:where(:not([data-local-needle~="legal"] body)) .masthead {'],
    ['pages: body-class(home); except: query("x=1");', ':root body:where(:not(.home)) .masthead {'],
  ])('with %s hides it on every other page', async (pages, expected) => {
    const directory = smallProject(`@needle only { ${pages} @only-here .masthead; }`);
    const report = await checked(directory, ['--fail-on', 'never']);
    expect(report.cells.every(({ verdict }) => verdict === 'hit')).toBe(true);
    await run(directory, ['build', '--force', '--out', 'out']);
    expect(readFileSync(join(directory, 'out/local-needle.css'), 'utf8')).toContain(expected);
  });

  test('hides nothing where it has no page of its own', async () => {
    const directory = smallProject('@needle only { pages: path("/gone"); @only-here .masthead; }');
    expect((await run(directory, ['build', '--force', '--out', 'out'])).out).toMatch(
      /Left out: only \(matches no page of live\)/,
    );
    expect(readFileSync(join(directory, 'out/local-needle.css'), 'utf8')).not.toContain('display');
  });
});

describe('The hint of a selector that matches nothing', () => {
  const settings =
    'version: 1\nsites: { live: { folder: public } }\nstates: { scrolled: { add-class: { .masthead: is-stuck } } }\n';
  test.each([
    ['@hide .is-stuck;', 'It matches in the state scrolled. Add state: scrolled; to the rule.'],
    ['@hide .only-on-pay-page;', null],
    ['@hide .promo-field;', 'It exists on other pages, such as /tickets/pay.html.'],
    [
      '@hide .masthead, .mast-of-the-old-boat;',
      '.masthead in the same list matches; :is(.masthead, .mast-of-the-old-boat) matches whichever exists.',
    ],
    ['@hide #masthead;', '.masthead matches 1 there (it is a class, not an ID).'],
  ])('of %s', async (action, hint) => {
    const report = await checked(
      smallProject(`@needle a { pages: path("/"); ${action} }`, { 'local-needle.yaml': settings }),
    );
    expect(report.findings.map(({ code, hint: given }) => [code, given])).toEqual([['missing-element', hint]]);
  });
});

describe('What editors and shells get', () => {
  test('start writes a schema that takes local-needle.yaml and refuses what check refuses', async () => {
    const directory = folderWith({ 'public/a.html': pageHtml('data-page="7"'), '.vscode/settings.json': '{}' });
    const { out } = await run(directory, ['init', 'public']);
    expect(out).toContain('editor/local-needle.schema.json');
    expect(out).toMatch(
      /settings\.json was not changed\. Add these entries[^]*"css\.customData": \[[^]*"editor\/rules/,
    );
    expect(readFileSync(join(directory, '.vscode/settings.json'), 'utf8')).toBe('{}');
    const schema = JSON.parse(readFileSync(join(directory, 'editor/local-needle.schema.json'), 'utf8')) as object;
    const validate = new Ajv2020({ strict: false, formats: { uri: true } }).compile(schema);
    const written = readFileSync(join(directory, 'local-needle.yaml'), 'utf8');
    for (const good of [
      written,
      written + demoSettings,
      'version: 1\nsites: { a: { har: x.har, query-keys: [p] } }\npage-id: { in: body-id, like: "p{id}" }\nrules: [a.css]',
    ]) {
      expect([validate(parse(good)), validate.errors]).toEqual([true, null]);
    }
    for (const bad of [
      'version: 2\nsites: {}',
      'version: 1',
      'version: 1\nsites: { a: { foldr: x } }',
      'version: 1\nsites: { a: { folder: x } }\npage-id: { in: head, like: "{id}" }',
      'version: 1\nsites: { a: { folder: x } }\nviewports: { a: wide }',
    ]) {
      expect(validate(parse(bad))).toBe(false);
    }
    for (const name of ['neovim.lua', 'emacs.el', 'kate.json'])
      expect(readFileSync('docs/editors.md', 'utf8')).toContain(readFileSync(join(directory, 'editor', name), 'utf8'));
    const words = JSON.parse(readFileSync(join(directory, 'editor/rules.css-data.json'), 'utf8')) as {
      atDirectives: { name: string }[];
      properties: { name: string }[];
    };
    expect(words.atDirectives.map(({ name }) => name)).toEqual(
      expect.arrayContaining(['@needle', '@hide', '@swap', '@only-here']),
    );
    expect(words.properties.map(({ name }) => name)).toEqual(
      expect.arrayContaining(['note', 'pages', 'wait-for', 'image']),
    );
  });

  test.each([
    [['ch'], ['check']],
    [['rules', 'pa'], ['pause']],
    [['rules', 'pause', 'ca'], ['calm-payment']],
    [['pages', '/tic'], ['/tickets/pay.html']],
    [['capture', ''], ['live']],
    [
      ['check', '--s'],
      ['--shard', '--state', '--site'],
    ],
    [
      ['check', '--format', 'j'],
      ['json', 'junit'],
    ],
    [['check', '--viewport', ''], ['desktop']],
    [['check', 'ca'], ['calm-payment']],
    [['check', 'pages/'], ['pages/legal']],
    [['check', 'pages/'], ['pages/legal']],
    [['why', 'calm-payment', '/l'], ['/legal']],
    [
      ['explain', 'invalid-s'],
      ['invalid-script', 'invalid-swap'],
    ],
    [
      ['completion', ''],
      ['bash', 'zsh', 'fish'],
    ],
    [['find', '--text', ''], []],
    [['nothing', ''], []],
  ])('completion of %j gives %j, and runs nothing', async (words, expected) => {
    const directory = smallProject('@needle calm-payment { pages: path("/"); @hide .x; }', {
      'local-needle.yaml': 'version: 1\nsites: { live: { folder: public } }\npage-files: pages\n',
      'pages/legal.css': '.x { color: teal; }',
      'rules/broken.css': '@needle broken {',
    });
    const { out, log, status } = await run(directory, ['--get-completions', ...words]);
    expect([out.split('\n').filter(Boolean), log, status]).toEqual([expected, '', 0]);
    expect((await run(directory, ['completion'])).out).toContain('--get-completions');
  });
});

describe('check --watch', () => {
  test('checks again when a rule or a page changes, shows what changed, and outlives a broken file', async () => {
    const directory = smallProject('@needle a { pages: path("/"); @hide .y; }');
    const child = spawn(process.execPath, [join(process.cwd(), 'dist/program/local-needle.js'), 'check', '--watch'], {
      cwd: directory,
    });
    let text = '';
    child.stdout.on('data', (part: Buffer) => (text += part.toString()));
    child.stderr.on('data', (part: Buffer) => (text += part.toString()));
    const said = async (expected: RegExp) => {
      for (const end = Date.now() + 15_000; Date.now() < end && !expected.test(text);)
        await new Promise((done) => setTimeout(done, 50));
      expect(text).toMatch(expected);
      text = '';
    };
    try {
      await said(/missing-element[^]*Watching for changes/);
      writeFileSync(join(directory, 'rules/a.css'), '@needle a { pages: path("/"); @hide .x; }');
      await said(/~ a on \/: no-match \(0\) → hit \(2\)[^]*1 finding gone/);
      writeFileSync(join(directory, 'rules/a.css'), '@needle a {');
      await said(/unclosed block/);
      writeFileSync(join(directory, 'rules/a.css'), '@needle a { pages: path("/"); @hide .x; }');
      await said(/Nothing changed/);
      mkdirSync(join(directory, 'public/new'));
      writeFileSync(join(directory, 'public/index.html'), pageHtml('class="page-1 home"', '<p class="x">'));
      await said(/hit \(2\) → hit \(1\)/);
    } finally {
      child.kill();
    }
    expect(existsSync(join(directory, 'rules/a.css'))).toBe(true);
  });
});

test('what a check kept is still there after commands that look at less', async () => {
  const directory = smallProject(
    '@needle a { pages: path("/"); .x { color: teal; } }\n@needle b { pages: all; .promo-feild { color: teal; } }',
  );
  // A page that was written just now may yet change without looking changed; a minute later it is kept.
  const { now } = Date;
  Date.now = () => now() + 60_000;
  try {
    await checked(directory);
    const kept = () =>
      ['check', 'hints'].map((name) =>
        readFileSync(join(directory, '.local-needle', `${name}.live.desktop.jsonl`), 'utf8'),
      );
    const before = kept();
    expect(before.map((text) => text.length > 100)).toEqual([true, true]);
    for (const words of [['why', 'a', '/'], ['rules'], ['build', '--force', '--out', 'out'], ['pages']]) {
      await run(directory, words);
      expect([words[0], kept()]).toEqual([words[0], before]);
    }
  } finally {
    Date.now = now;
  }
});

test('a cache gives what was set, or nothing where its file was damaged', () => {
  interface Value {
    about: string;
    text: string;
  }
  const form = {
    write: ({ about, text }: Value) => [about, text],
    read: ([about, text]: [string, string]) => ({ about, text }),
  };
  const step = fc.record({
    key: fc.constantFrom('a', 'b "c"\n', 'd'),
    about: fc.constantFrom('1-x', '2-y'),
    text: fc.string({ unit: 'binary' }),
    then: fc.constantFrom('go on', 'save', 'age', 'open', 'damage'),
    at: fc.nat(),
  });
  fc.assert(
    fc.property(fc.array(step, { maxLength: 12 }), (steps) => {
      const directory = folderWith({});
      const open = () => new Cache<Value>(directory, 'x', { ...form, about: ({ about }) => about });
      let cache = open();
      let isWhole = true;
      const known = new Map<string, Value>();
      for (const { key, about, text, then, at } of steps) {
        const value = { about, text };
        cache.set(key, value);
        known.set(key, value);
        expect([cache.get(key), cache.find(about)]).toEqual([value, value]);
        if (then === 'age') {
          for (const each of known.keys()) cache.get(each);
          cache.age();
        }
        if (then === 'go on' || then === 'age') continue;
        cache.save(false);
        if (then === 'damage') {
          isWhole = false;
          const file = join(directory, '.local-needle/x.jsonl');
          const bytes = readFileSync(file);
          bytes[at % bytes.length] = at % 256;
          writeFileSync(file, bytes.subarray(0, at % 2 === 0 ? bytes.length : at % bytes.length));
        }
        if (then !== 'save') cache = open();
        for (const [each, whole] of known) {
          if (isWhole) expect(cache.get(each)).toEqual(whole);
          else expect(() => cache.get(each)).not.toThrow();
        }
      }
    }),
    { numRuns: runsOf(100, 5000) },
  );
});
