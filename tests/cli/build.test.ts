import { existsSync, mkdirSync, readFileSync, readdirSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { originalPositionFor, TraceMap } from '@jridgewell/trace-mapping';
import { folderWith, pageHtml, run, smallProject, type Run } from '../helpers.js';

const read = (directory: string, ...parts: string[]) => readFileSync(join(directory, ...parts), 'utf8');
const sound = '@needle calm { note: "Why */ not -->."; pages: path("/tickets/pay.html"); @hide .masthead; }';
const withError = `${sound}\n@needle wrong { pages: page-id(1); @hide .gone; }`;
/** What `build` writes to `out`, with these words after it. */
const build = (directory: string, ...words: string[]): Promise<Run> =>
  run(directory, ['build', '--out', 'out', ...words]);

describe('build', () => {
  test('refuses rules with errors and writes nothing, and ships what is sound with --force', async () => {
    const directory = smallProject(withError);
    const refused = await build(directory);
    expect([refused.status, refused.out]).toEqual([1, '']);
    expect(refused.log).toMatch(/missing-element[^]*\.gone matches nothing[^]*Nothing was written/);
    expect(readdirSync(directory)).not.toContain('out');
    const anyway = await build(directory, '--force');
    expect([anyway.status, anyway.log]).toEqual([1, expect.stringMatching(/1 error: missing-element in wrong/)]);
    expect(read(directory, 'out/local-needle.css')).toContain('body.page-46 .masthead');
    expect((await build(directory, '--force', '--fail-on', 'never')).status).toBe(0);
  });

  test('reads back what it wrote and says what it proved', async () => {
    const { status, out } = await build(smallProject(sound));
    expect([status, out]).toEqual([0, expect.stringMatching(/Read back on 3 pages: 1 verdict as checked/)]);
  });

  test('gives the same bytes for the same rules, and other names for other rules', async () => {
    const directory = smallProject(sound);
    const names = async () => {
      await build(directory, '--hashed', '--minify');
      const { 'local-needle.css': css } = JSON.parse(read(directory, 'out/manifest.json')) as Record<string, string>;
      return [css, read(directory, 'out', css ?? '')];
    };
    const [first, again] = [await names(), await names()];
    expect(again).toEqual(first);
    expect(first[1]).toMatch(/^\/\*! local-needle begin: live \*\/body\.page-46 \.masthead\{display:none!important\}/);
    writeFileSync(join(directory, 'rules/a.css'), sound.replace('.masthead', '.promo-field'));
    expect((await names())[0]).not.toBe(first[0]);
  });

  test.each([
    ['words', '@swap .masthead { text: "x"; }', /"r" needs local-needle\.js/],
    ['a script', '@script url("../s.js");', /"r" needs local-needle\.js/],
    ['a stylesheet of another host', '@stylesheet url("/t.css");', /"r" needs local-needle\.js/],
    [
      'a page without a handle',
      '@hide .masthead;',
      /\/legal has no unique handle, so local-needle\.js matches it by its address/,
      'path("/legal")',
    ],
  ])('--no-script refuses %s', async (_what, action, said, pages = 'page-id(46)') => {
    const directory = smallProject(`@needle r { pages: ${pages}; ${action} }`, { 's.js': '1;' });
    const { status, log } = await build(directory, '--no-script');
    expect([status, log]).toEqual([2, expect.stringMatching(said)]);
  });

  test('--no-script swaps a picture by CSS alone', async () => {
    const rule = '@needle r { pages: page-id(1); @swap .logo { image: url("../new.svg"); alt: "New \\"one\\""; } }';
    const directory = smallProject(rule, { 'new.svg': '<svg xmlns="http://www.w3.org/2000/svg"/>' });
    expect((await build(directory, '--no-script')).status).toBe(0);
    expect(readdirSync(join(directory, 'out'))).not.toContain('local-needle.js');
    expect(read(directory, 'out/local-needle.css')).toMatch(
      /content: url\("files\/new-\w{8}\.svg"\) \/ "New \\"one\\"";/,
    );
  });

  test.each([
    [
      'a stylesheet of somebody else',
      'bundle',
      { 'out/local-needle.css': 'p {}' },
      /local-needle\.css already exists and was not written by a build/,
    ],
    ['a folder of somebody else', 'snippets', { 'out/a.txt': 'a' }, /is not empty and was not written by a build/],
    ['a folder of somebody else', 'pages', { 'out/a.txt': 'a' }, /is not empty and was not written by a build/],
  ])('leaves %s as it is (--as %s)', async (_what, form, files, said) => {
    const directory = smallProject(sound, files);
    const { status, log } = await build(directory, '--as', form);
    expect([status, log]).toEqual([2, expect.stringMatching(said)]);
    expect(readdirSync(join(directory, 'out'))).toEqual(Object.keys(files).map((name) => name.slice(4)));
  });

  test('writes a folder of its own again, without what is no longer asked for', async () => {
    const directory = smallProject(`${sound}\n@needle b { pages: page-id(1); @hide .x; }`);
    await build(directory, '--as', 'snippets');
    expect(readdirSync(join(directory, 'out')).sort()).toEqual(['index.html', 'tickets']);
    writeFileSync(join(directory, 'rules/a.css'), sound);
    expect((await build(directory, '--as', 'snippets')).status).toBe(0);
    expect(readdirSync(join(directory, 'out'))).toEqual(['tickets']);
    expect((await run(directory, ['build', '--as', 'pages', '--out', 'public'])).log).toMatch(/overlap/);
  });

  test('each site gets its own IDs', async () => {
    const directory = smallProject('@needle r { pages: path("/tickets/pay.html"); @hide .masthead; }', {
      'local-needle.yaml': 'version: 1\nsites: { live: { folder: public }, staging: { folder: staging } }\n',
      'staging/tickets/pay.html': pageHtml('class="page-346"', '<header class="masthead"></header>'),
    });
    expect((await build(directory, '--all-sites')).status).toBe(0);
    expect(read(directory, 'out/live/local-needle.css')).toContain('body.page-46 .masthead');
    expect(read(directory, 'out/staging/local-needle.css')).toContain('body.page-346 .masthead');
  });

  test('a rule for 500 pages weighs what others do, and is proven on all of them', async () => {
    const ids = [...Array(500).keys()].map((index) => index + 1);
    const files = Object.fromEntries(
      ids.map((id) => [`public/p${id}.html`, pageHtml(`class="page-${id}"`, '<p class="x">a</p>')]),
    );
    const directory = folderWith({
      'local-needle.yaml': 'version: 1\nsites: { live: { folder: public } }\n',
      'rules/a.css': `@needle many { pages: ${ids.map((id) => `page-id(${id})`).join(', ')}; .x { color: teal; } }`,
      ...files,
      'public/other.html': pageHtml('class="page-9999"', '<p class="x">a</p>'),
    });
    expect((await build(directory)).out).toMatch(/Read back on 501 pages: 500 verdicts/);
    expect(read(directory, 'out/local-needle.css')).toMatch(
      /^:is\(body\.page-1, body\.page-2,.*body\.page-500\) \.x \{$/m,
    );
  });
});

test('source maps lead back to the rule files and scripts, minified too', async () => {
  const rules = '@needle r {\n  pages: page-id(1);\n  .x {\n    color: teal;\n  }\n  @script url("../s.js");\n}';
  const directory = smallProject(rules, { 's.js': '// First.\nshowTheFerry();\n' });
  for (const form of [[], ['--minify', '--hashed']]) {
    await build(directory, ...form);
    const made = readdirSync(join(directory, 'out'));
    const traced = (ending: RegExp, text: string) => {
      const name = made.filter((each) => ending.test(each) && /-\w{8}\./.test(each) === form.length > 0)[0] ?? '';
      const shipped = read(directory, 'out', name);
      expect(shipped).toContain(`sourceMappingURL=${name}.map`);
      const before = shipped.slice(0, shipped.indexOf(text)).split('\n');
      const map = new TraceMap(read(directory, 'out', `${name}.map`));
      const { source, line } = originalPositionFor(map, { line: before.length, column: before.at(-1)?.length ?? 0 });
      return [source?.replace(/^.*\/(?=[^/]+$)/, ''), line];
    };
    expect(traced(/\.css$/, 'color')).toEqual(['a.css', 4]);
    expect(traced(/\.js$/, 'showTheFerry')).toEqual(['s.js', 2]);
  }
});

describe('What stands in the rules ships', () => {
  const files = { 'rules/pier.svg': '<svg xmlns="http://www.w3.org/2000/svg"/>', 'rules/sea.woff2': 'font' };
  test.each([
    [
      'files are copied',
      '.x { background: url(pier.svg#top) red; }',
      /background: url\("files\/pier-\w{8}\.svg#top"\) red/,
    ],
    [
      'files of image-set()',
      '.x { background: image-set("pier.svg" 1x); }',
      /image-set\("files\/pier-\w{8}\.svg" 1x\)/,
    ],
    [
      'addresses stay',
      '.x { background: url(/a.png), url("https://pictures.example/b.png"); }',
      /url\(\/a\.png\), url\("https:\/\/pictures\.example\/b\.png"\)/,
    ],
    ['parts of the page stay', '.x { filter: url(#soft); }', /filter: url\(#soft\)/],
    [
      'keyframes are the rule’s own',
      '@keyframes fade { to { opacity: 0; } } .x { animation: fade 1s, other 2s; }',
      /@keyframes r-fade[^]*animation: r-fade 1s, other 2s/,
    ],
    [
      'keyframes by a custom property',
      '@keyframes fade { to { opacity: 0; } } .x { --run: fade 1s; animation: var(--run); }',
      /--run: r-fade 1s/,
    ],
    [
      'fonts are the rule’s own',
      '@font-face { font-family: Sea Sans; src: url(sea.woff2); } .x { font: 16px "Sea Sans", serif; }',
      /font-family: "r Sea Sans";\s+src: url\("files\/sea-\w{8}\.woff2"\)[^]*font: 16px "r Sea Sans", serif/,
    ],
    [
      'another name on other pages',
      '@keyframes fade { to { opacity: 0; } } @on page-id(1) { @keyframes fade { to { opacity: 1; } } .x { animation: fade 1s; } }',
      /@keyframes r-fade \{[^]*@keyframes r-fade-2[^]*animation: r-fade-2 1s/,
    ],
    [
      'counter styles',
      '@counter-style tide { system: cyclic; symbols: "~"; } .x { list-style: tide; }',
      /@counter-style r-tide[^]*list-style: r-tide/,
    ],
    [
      'at-rules stay around',
      '@media (min-width: 1px) { @supports (color: red) { .x { color: red; } } }',
      /@media \(min-width: 1px\) \{\s+@supports \(color: red\) \{\s+body\.page-1 \.x/,
    ],
    ['layers', '@layer quiet { .x { color: red; } }', /@layer quiet \{\s+body\.page-1 \.x/],
    [
      'containers',
      '@container (min-width: 1px) { .x { color: red; } }',
      /@container \(min-width: 1px\) \{\s+body\.page-1 \.x/,
    ],
    [
      'the start of a selector',
      'body { color: red; } :root { color: red; }',
      /body:is\(body\.page-1, body\.page-1 \*\)[^]*:root:has\(> body\.page-1\)/,
    ],
  ])('%s: %s', async (_what, css, expected) => {
    const directory = smallProject(`@needle r { pages: page-id(1); ${css} }`, files);
    const { log } = await build(directory, '--force');
    expect(log).not.toMatch(/build-differs/);
    expect(read(directory, 'out/local-needle.css')).toMatch(expected);
  });

  test('as they stand where local-needle.yaml says so', async () => {
    const directory = smallProject('@needle r { pages: page-id(1); .x { background: url(../img/pier.svg); } }', {
      'local-needle.yaml': 'version: 1\nsites: { live: { folder: public } }\nfiles: leave\n',
    });
    expect((await build(directory)).status).toBe(0);
    expect(read(directory, 'out/local-needle.css')).toContain('url(../img/pier.svg)');
  });

  test('and what is missing is said at its place', async () => {
    const directory = smallProject('@needle r {\n  pages: page-id(1);\n  .x { background: url(gone.svg); }\n}');
    const { log } = await build(directory);
    expect(log).toMatch(/error missing-file  rules\/a\.css:3:20  r\n  gone\.svg cannot be read/);
  });
});

describe('@mark-current and @stylesheet', () => {
  const menu = (own: string) =>
    `<ul class="menu"><li><a href="/">Home</a></li><li><a href="tickets.html">Tickets</a></li><li><a href="/about.html#top">About</a></li></ul><p>${own}</p>`;
  const project = (rules: string) =>
    folderWith({
      'local-needle.yaml': 'version: 1\nsites: { live: { folder: public, drop-extension: .html } }\n',
      'rules/a.css': rules,
      'public/index.html': pageHtml('class="page-1"', menu('home')),
      'public/tickets.html': pageHtml('class="page-2"', menu('tickets')),
      'public/tickets/pay.html': pageHtml('class="page-3"', menu('pay').replace('"tickets.html"', '"/tickets"')),
      'public/about.html': pageHtml('', menu('about')),
    });

  test('styles the link to the page itself, told from the captured menu', async () => {
    const directory = project('@needle here { pages: all; @mark-current .menu a { color: teal; } }');
    const report = JSON.parse((await run(directory, ['check', '--format', 'json'])).out);
    const told = report.cells.map((cell: { page: string; verdict: string; actions: { elements: number }[] }) => [
      cell.page,
      cell.verdict,
      cell.actions[0]?.elements,
    ]);
    expect(told).toEqual([
      ['/', 'hit', 1],
      ['/about', 'hit', 1],
      ['/tickets', 'hit', 1],
      ['/tickets/pay', 'no-match', 0],
    ]);
    const { status, out } = await build(directory);
    expect([status, out]).toEqual([0, expect.stringContaining('4 verdicts as checked')]);
    const css = read(directory, 'out/local-needle.css');
    expect(css).toContain('body.page-1 .menu a:where([href="/"])');
    expect(css).toContain('body.page-2 .menu a:where([href="tickets.html"])');
    expect(css).toContain('[data-local-needle~="about"] body .menu a:where([href="/about.html#top"])');
    expect(report.findings.map(({ code, message }: { code: string; message: string }) => [code, message])).toEqual([
      ['needs-script', expect.stringContaining('local-needle.js matches /about by path')],
    ]);
    // A script ships for /about: then readers are reported as well.
    expect(read(directory, 'out/local-needle.js')).toContain('current: true');
  });

  test('sections: yes marks the section that a page lies in', async () => {
    const directory = project('@needle here { pages: all; @mark-current .menu a { sections: yes; color: teal; } }');
    await build(directory);
    expect(read(directory, 'out/local-needle.css')).toContain('body.page-3 .menu a:where([href="/tickets"])');
  });

  test('says where nothing is marked on any page', async () => {
    const { out } = await run(project('@needle here { pages: all; @mark-current p { color: teal; } }'), ['check']);
    expect(out).toMatch(/missing-element[^]*"here" marks no link/);
  });

  test('a stylesheet of the site is judged, stands before our own, and is of these pages alone', async () => {
    const rule =
      '@needle theme { pages: page-id(1); @stylesheet url("/winter.css"); @stylesheet url("/a%2Fb.css?c=1&d=é"); .x { margin: 3px; } }';
    const directory = smallProject(rule, { 'public/winter.css': '.x { color: teal; margin: 1px; }' });
    const report = JSON.parse((await run(directory, ['check', '--format', 'json'])).out);
    expect(report.cells[0].verdict).toBe('hit');
    expect(report.cells[0].actions[0]).toMatchObject({ action: 'stylesheet', elements: 2 });
    expect((await build(directory, '--as', 'snippets')).status).toBe(0);
    const snippet = read(directory, 'out/index.html');
    expect(snippet).toMatch(
      /<link rel="stylesheet" href="\/winter\.css" data-local-needle>\n<link rel="stylesheet" href="\/a%2Fb\.css\?c=1&amp;d=%C3%A9" data-local-needle>\n<style>/,
    );
    expect(readdirSync(join(directory, 'out'))).toEqual(['index.html']);
    const other = smallProject('@needle theme { pages: page-id(1); @stylesheet url("https://themes.example/w.css"); }');
    const far = JSON.parse((await run(other, ['check', '--format', 'json'])).out);
    expect(far.cells[0].verdict).toBe('unjudged');
    expect(far.findings.map(({ code }: { code: string }) => code)).toEqual(['uncaptured-stylesheet']);
  });

  test.each([
    ['@stylesheet url("b.css");', /b\.css is not an address that a page can load/],
    ['@style-file url("a.css");', /a\.css names itself/],
    ['@mark-current .menu a { sections: maybe; }', /"sections" must be yes or no/],
    ['@mark-current .menu a { p { color: red; } }', /takes declarations and sections/],
    ['@import url("a.css");', /@stylesheet url\("https:\/\/…"\); for a file on the web/],
  ])('%s is told', async (action, said) => {
    const { status, log } = await run(
      smallProject(`@needle r { pages: page-id(1); ${action} }`, { 'rules/b.css': '' }),
      ['check'],
    );
    expect([status, log]).toEqual([2, expect.stringMatching(said)]);
  });
});

describe('Snippets and patched pages', () => {
  test('one snippet alone goes to stdout', async () => {
    const { status, out, log } = await build(smallProject(sound), '--as', 'snippets', '--page', '/tickets/pay.html');
    expect([status, log]).toEqual([0, '']);
    expect(out).toMatch(
      /^<!-- Local Needle, for \/tickets\/pay\.html\n {2}calm: Why \*\/ not - -> *\.\n-->\n<style>\n/,
    );
    expect(out).toMatch(/body\.page-46 \.masthead \{[^]*<\/style>\n$/);
    const none = await build(smallProject(sound), '--as', 'snippets', '--page', '/legal');
    expect([none.status, none.out, none.log]).toEqual([0, '', expect.stringMatching(/No rule targets \/legal/)]);
    expect((await build(smallProject(sound), '--as', 'snippets', '--page', '/legl')).log).toMatch(
      /Did you mean.*\/legal/,
    );
  });

  test('what would end a tag does not', async () => {
    const rules = `@needle r { pages: page-id(1); .x::after { content: "</style><b>"; } @script url("../s.js"); @swap .x { text: "</script><b>"; } }`;
    const script =
      'var a = "</script>", b = `<!--<script>`, c = /<\\/script>/; // </script>\nif (1 </script>/.x) a = b;';
    const directory = smallProject(rules, { 's.js': script });
    expect((await build(directory, '--as', 'snippets', '--force')).log).toBe('');
    const snippet = read(directory, 'out/index.html');
    expect(snippet.match(/<\/style/g)).toHaveLength(1);
    expect(snippet.match(/<\/script/g)).toHaveLength(1);
    expect(snippet).toContain(String.raw`var a = "\x3c/script>", b = ${'`'}\x3c!--\x3cscript>${'`'}`);
  });

  const text = (html: string, encoding: 'latin1' | 'utf16le' | 'utf8', mark: number[] = []) =>
    Buffer.concat([Buffer.from(mark), Buffer.from(html, encoding)]);
  const page = (charset: string, body = 'café') =>
    `<!doctype html><html><head>${charset}<title>t</title></head><body class="page-1"><p class="x">${body}</p></body></html>`;
  test.each([
    ['UTF-8', text(page('<meta charset="utf-8">', 'café ❄'), 'utf8'), '</head>'],
    ['UTF-8 with a mark', text(page(''), 'utf8', [0xef, 0xbb, 0xbf]), '</head>'],
    ['windows-1252', text(page('<meta charset="windows-1252">'), 'latin1'), '</head>'],
    ['UTF-16', text(page('', 'café ❄'), 'utf16le', [0xff, 0xfe]), '</head>'],
    [
      'Shift_JIS',
      Buffer.concat([text(page('<meta charset="shift_jis">', ''), 'latin1'), Buffer.from([0x83, 0x5c])]),
      '</head>',
    ],
    ['no head', text('<!doctype html><title>t</title><body class=page-1><p class=x>a', 'utf8'), '<body'],
    ['no tags at all but one', text('<p class=x>a', 'utf8'), '<p'],
    [
      'a head in capitals',
      text('<HTML><HEAD><TITLE>t</TITLE></HEAD><BODY CLASS=page-1><P CLASS=x>a', 'latin1'),
      '</HEAD>',
    ],
  ])('patches a page in %s, every other byte as it was', async (_what, bytes, before) => {
    const rule =
      '@needle r { note: "Neige ❄"; pages: path("/"); added-by: script; .x::after { content: "❄ é"; } @swap .x { text: "❄"; } }';
    const directory = folderWith({
      'local-needle.yaml': 'version: 1\nsites: { live: { folder: public } }\n',
      'rules/a.css': rule,
      'public/index.html': bytes,
      'public/data.bin': new Uint8Array([0, 1, 2, 255]),
    });
    const { status, log } = await build(directory, '--as', 'pages');
    expect([status, log.replace(/warning[^]*?\n\n/g, '')]).toEqual([0, '']);
    const patched = readFileSync(join(directory, 'out/index.html'));
    expect(readFileSync(join(directory, 'out/data.bin'))).toEqual(Buffer.from([0, 1, 2, 255]));
    const wide = bytes[0] === 0xff;
    const start = patched.indexOf(Buffer.from('<!-- Local Needle', wide ? 'utf16le' : 'utf8'));
    const length = patched.length - bytes.length;
    expect(start).toBeGreaterThanOrEqual(0);
    expect(Buffer.concat([patched.subarray(0, start), patched.subarray(start + length)])).toEqual(bytes);
    const after = patched.subarray(start + length).toString(wide ? 'utf16le' : 'latin1');
    expect(after.startsWith(before)).toBe(true);
    const inserted = patched.subarray(start, start + length).toString(wide ? 'utf16le' : 'utf8');
    expect(inserted).toMatch(/content: "(❄ é|\\2744 {2}\\e9 )"/);
  });

  test('what a script would put into a page stands in it', async () => {
    const source = `${pageHtml('class="page-1"', '<p class="x">Old</p><a class="logo" href="/"><img src="a.png" srcset="b.png 2x"></a>\r\n<p>❄')}`;
    const directory = folderWith({
      'local-needle.yaml': 'version: 1\nsites: { live: { folder: public } }\n',
      'rules/a.css':
        '@needle r { pages: path("/"); @swap .x { text: "New ❄"; } @swap .logo img { image: url("../l.svg"); alt: "Winter"; } @mark-current .logo { color: teal; } }\n@needle later { pages: path("/two.html"); added-by: script; @swap .y { text: "b"; } }',
      'l.svg': '<svg xmlns="http://www.w3.org/2000/svg" width="1" height="1"/>',
      'public/index.html': source,
      'public/two.html': pageHtml('class="page-2"'),
    });
    const diff = await build(directory, '--as', 'pages', '--diff');
    expect([diff.status, existsSync(join(directory, 'out'))]).toEqual([0, false]);
    expect(diff.out).toMatch(/^\+.*<p class="x">New ❄<\/p>.*src="\/local-needle\/files\/l-\w+\.svg".*$/m);
    // Only what a script adds needs one.
    expect((await build(directory, '--as', 'pages', '--no-script')).log).toMatch(/"later" needs local-needle\.js/);
    expect((await build(directory, '--as', 'pages')).status).toBe(0);
    const html = read(directory, 'out/index.html');
    expect(html).not.toContain('<script');
    expect(read(directory, 'out/two.html')).toContain('<script');
    const rest = html
      .replace(/<!-- Local Needle[^]*?<\/style>\n/, '')
      .replace('New ❄', 'Old')
      .replace(/src="[^"]*\.svg" *alt="Winter"|alt="Winter" src="[^"]*\.svg"/, 'src="a.png" srcset="b.png 2x"')
      .replace(' aria-current="page"', '');
    expect(rest).toBe(source);
    expect((await build(directory, '--as', 'bundle', '--diff')).log).toMatch(/--diff shows what changes in pages/);
  });

  test.each([
    ['in ASCII', '<b>Fähre</b>', '<b>F&#xe4;hre</b>', false],
    ['by the script where that cannot be', '<style>p::after { content: "é" }</style>', 'class="x">Old</p>', true],
  ])('a fragment stands in a page that is not UTF-8 %s', async (_what, fragment, shown, hasScript) => {
    const directory = folderWith({
      'local-needle.yaml': 'version: 1\nsites: { live: { folder: public } }\n',
      'rules/a.css': '@needle r { pages: path("/"); @swap .x { html: url("../f.html"); } }',
      'f.html': fragment,
      'public/index.html': Buffer.from(
        pageHtml('class="page-1"', '<p class="x">Old</p><p>Öl').replace(
          '<head>',
          '<head><meta charset="windows-1252">',
        ),
        'latin1',
      ),
    });
    expect((await build(directory, '--as', 'pages')).status).toBe(0);
    const html = readFileSync(join(directory, 'out/index.html'), 'latin1');
    expect([html.includes(shown), html.includes('Öl'), html.includes('<script')]).toEqual([true, true, hasScript]);
  });

  test.each(['head-end', 'body-end'])(
    'a page that has a build in it (%s) is judged as if that were not there',
    async (place) => {
      const directory = smallProject(
        '@needle r { pages: page-id(1); p:last-child { color: teal; } @hide .logo; @swap .x { text: "b"; } }',
        {
          'local-needle.yaml': `version: 1\nsites: { live: { folder: public }, again: { folder: out } }\nplace: ${place}\n`,
        },
      );
      expect((await build(directory, '--as', 'pages')).status).toBe(0);
      const [before, after] = await Promise.all(
        ['live', 'again'].map(async (site) =>
          JSON.parse((await run(directory, ['check', '--site', site, '--format', 'json'])).out),
        ),
      );
      expect(after.cells).toEqual(before.cells);
      expect(before.cells[0].verdict).toBe('hit');
    },
  );

  test('no link leads out of the copy', async () => {
    const directory = smallProject(sound, { 'secret.txt': 'secret' });
    mkdirSync(join(directory, 'public/files'));
    symlinkSync('../../secret.txt', join(directory, 'public/files/link.txt'));
    const { status, out } = await build(directory, '--as', 'pages');
    expect([status, out]).toEqual([
      0,
      expect.stringMatching(/Skipped: files\/link\.txt is a symbolic link that leads out/),
    ]);
    expect(readdirSync(join(directory, 'out/files'))).toEqual([]);
  });

  test('an address cannot be patched', async () => {
    const directory = smallProject(sound, {
      'local-needle.yaml': 'version: 1\nsites: { live: { har: v.har } }\n',
      'v.har': JSON.stringify({
        log: {
          entries: [
            {
              request: { method: 'GET', url: 'http://s.example/tickets/pay' },
              response: {
                status: 200,
                content: { mimeType: 'text/html', text: pageHtml('id="pay"', '<header class="masthead">') },
              },
            },
          ],
        },
      }),
    });
    expect((await build(directory, '--as', 'pages')).log).toMatch(
      /--as pages copies a folder of HTML, but "live" is not a folder/,
    );
  });
});

describe('Where a bundle is loaded', () => {
  const bundle = (directory: string, ...words: string[]) =>
    run(directory, ['build', '--out', 'public/assets', ...words]);

  test.each([
    [
      'version: 1\nsites: { live: { folder: public } }\n',
      'live: { folder: public, bundle-address: "/assets/local-needle.css" }',
    ],
    [
      'version: 1\nsites:\n  # The site.\n  live:\n    folder: public # here\n',
      '    bundle-address: "/assets/local-needle.css"\n    folder: public # here',
    ],
  ])('is remembered in %j, no other character changed', async (yaml, line) => {
    const directory = smallProject(sound, { 'local-needle.yaml': yaml });
    const { status, out } = await bundle(directory, '--remember');
    expect([status, out]).toEqual([0, expect.stringContaining('Wrote bundle-address: /assets/local-needle.css')]);
    const text = read(directory, 'local-needle.yaml');
    expect(text).toContain(line);
    expect(text.replace(/(, |    )bundle-address: "[^"]*"\n?/, '').replace('public  }', 'public }')).toBe(yaml);
    expect((await run(directory, ['check'])).out).toContain('not-loaded');
    expect((await bundle(directory, '--remember')).out).toContain('already');
    expect(read(directory, 'local-needle.yaml')).toBe(text);
  });

  test('cannot be remembered outside of the site', async () => {
    const directory = smallProject(sound);
    const { status, log } = await run(directory, ['build', '--remember']);
    expect([status, log]).toEqual([2, expect.stringMatching(/is not known[^]*sites\.live\.bundle-address/)]);
    expect((await bundle(directory, '--as', 'snippets', '--remember')).status).toBe(2);
    const yaml = 'version: 1\nsites: { live: &public { folder: public }, copy: *public }\n';
    const aliased = smallProject(sound, { 'local-needle.yaml': yaml });
    const told = await bundle(aliased, '--remember', '--site', 'copy');
    expect([told.status, told.log]).toEqual([
      2,
      expect.stringMatching(/copy is no list of keys[^]*bundle-address: \/assets/),
    ]);
    expect(read(aliased, 'local-needle.yaml')).toBe(yaml);
  });

  test('is told while no captured page does it', async () => {
    const directory = smallProject(sound);
    expect((await bundle(directory)).out).toContain('No captured page loads it yet.');
    const file = join(directory, 'public/tickets/pay.html');
    writeFileSync(
      file,
      read(file).replace('</head>', '<link rel="stylesheet" href="/assets/local-needle.css"></head>'),
    );
    expect((await bundle(directory)).out).not.toContain('No captured page');
  });

  test('differs by site, and the errors of one do not keep the others from being built', async () => {
    const directory = smallProject('@needle a { pages: site(live) page-id(1), site(copy) page-id(7); @hide .x; }', {
      'local-needle.yaml':
        'version: 1\nsites: { live: { folder: public }, copy: { folder: copy }, gone: { folder: gone }, wrong: { folder: wrong } }\n',
      'copy/index.html': pageHtml('class="page-7"', '<p class="x">'),
      'copy/two.html': pageHtml('class="page-8"'),
      'wrong/index.html': pageHtml('class="page-9"'),
    });
    writeFileSync(join(directory, 'rules/b.css'), '@needle b { pages: site(wrong) path("/"); @hide .nothing; }');
    const { status, out, log } = await run(directory, ['build', '--all-sites', '--out', 'out']);
    expect([status, out]).toEqual([3, expect.stringMatching(/live: 1 rule[^]*copy: 1 rule/)]);
    expect(log).toMatch(/wrong: 1 error[^]*Nothing was written for wrong/);
    expect(log).toMatch(/gone[^]*gone: nothing was written/);
    expect(readdirSync(join(directory, 'out')).sort()).toEqual(['copy', 'live']);
  });
});

test('a patched copy of the project’s own folder leaves out what the project keeps for itself', async () => {
  const directory = folderWith({
    'local-needle.yaml': 'version: 1\nsites: { live: { folder: . } }\n',
    'index.html': pageHtml('', '<p class="x">a</p>'),
    'rules/a.css': '@needle a { pages: path("/"); .x { color: teal } }\n',
  });
  const out = `${directory}-patched`;
  expect((await run(directory, ['build', '--as', 'pages', '--out', out])).status).toBe(0);
  expect(readdirSync(out).sort()).toEqual(['index.html', 'local-needle.yaml', 'rules']);
});
