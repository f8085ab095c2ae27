import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { folderWith, pageHtml, run, smallProject } from '../helpers.js';

const rules =
  '@needle calm { pages: path("/"); .x { color: teal; } }\n@needle words { pages: path("/"); @swap .y { text: "b"; } }';
const css = '<link rel="stylesheet" href="/assets/local-needle.css">';
const js = '<script src="/assets/local-needle.js"></script>';
const page = (head: string) =>
  `<!doctype html><html><head>${head}</head><body class="page-1"><p class="x">a</p><p class="y">a</p></body></html>`;
const yaml = (site: string) => `version: 1\nsites: { live: { ${site} } }\n`;

/** What `check` finds on how the one page loads the build. */
async function loadingOf(head: string, more: Record<string, string> = {}, address = '/assets/local-needle.css') {
  const directory = folderWith({
    'local-needle.yaml': yaml(`folder: public, bundle-address: "${address}"`),
    'rules/a.css': rules,
    'public/index.html': page(head),
    ...more,
  });
  const { findings } = JSON.parse((await run(directory, ['check', '--format', 'json'])).out);
  return findings
    .filter(({ code }: { code: string }) => code !== 'uncaptured-stylesheet')
    .map(({ code, message }: { code: string; message: string }) => `${code}: ${message}`);
}

describe('How pages load the build', () => {
  test.each([
    ['as they should', css + js, []],
    [
      'under names that change',
      css.replace('needle', 'needle-0123abcd') + js,
      [/^stale-build: local-needle-0123abcd\.css is older than the current rules/],
    ],
    [
      'not at all',
      '',
      [/^not-loaded: \/assets\/local-needle\.css is not loaded, on \/$/, /^not-loaded: \/assets\/local-needle\.js/],
    ],
    ['without the script', css, [/^not-loaded: \/assets\/local-needle\.js is not loaded/]],
    ['pasted into the page', `<style>/*! local-needle begin: live */ .x{}</style>${js}`, []],
    [
      'before a stylesheet that it must beat',
      `${css}${js}<style>.z { color: red; }</style>`,
      [/^load-order: .* before a <style> of the page, which sets color too/],
    ],
    ['before a stylesheet of other properties', `${css}${js}<style>.x { margin: 0; }</style>`, []],
    ['before a stylesheet for print', `${css}${js}<style media="print">.x { color: red; }</style>`, []],
    [
      'against a policy for styles',
      `<meta http-equiv="content-security-policy" content="style-src 'none'">${css}${js}`,
      [/^csp: .*\(style-src 'none'\) forbids the stylesheet/],
    ],
    [
      'against a policy for scripts',
      `<meta http-equiv="content-security-policy" content="script-src https://x.example">${css}${js}`,
      [/^csp: .*forbids local-needle\.js/],
    ],
    [
      'pasted, against a policy',
      `<meta http-equiv="content-security-policy" content="style-src 'self'"><style>/*! local-needle begin: live */ .x{}</style>${js}`,
      [/^csp: .*forbids the stylesheet that is inline/],
    ],
  ])('%s', async (_what, head, expected) => {
    const found = await loadingOf(head);
    expect(found).toEqual(expected.map((each) => expect.stringMatching(each)));
  });

  test('a swapped picture alone needs no script', async () => {
    const directory = folderWith({
      'local-needle.yaml': yaml('folder: public, bundle-address: /assets/local-needle.css'),
      'rules/a.css': '@needle r { pages: path("/"); @swap img { image: url("/new.svg"); } }',
      'public/index.html': page(css).replace('</body>', '<img src="/old.svg"></body>'),
    });
    expect((await run(directory, ['check'])).out).not.toContain('not-loaded');
  });

  test('over http, from a host that the policy forbids, by the header of a recording', async () => {
    const entry = {
      request: { method: 'GET', url: 'https://www.saltmere.example/' },
      response: {
        status: 200,
        headers: [{ name: 'Content-Security-Policy', value: "default-src 'self'" }],
        content: {
          mimeType: 'text/html',
          text: page(`<link rel="stylesheet" href="http://cdn.saltmere.example/local-needle.css">${js}`),
        },
      },
    };
    const directory = folderWith({
      'local-needle.yaml': yaml('har: v.har, bundle-address: "http://cdn.saltmere.example/local-needle.css"'),
      'v.har': JSON.stringify({ log: { entries: [entry] } }),
      'rules/a.css': rules.split('\n')[0] ?? '',
    });
    const { out } = await run(directory, ['check']);
    expect(out).toMatch(/error mixed-content[^]*the stylesheet is loaded over http/);
    expect(out).toMatch(/error csp[^]*\(default-src 'self'\) forbids the stylesheet/);
    expect(out).toMatch(/Add http:\/\/cdn\.saltmere\.example to that directive/);
  });

  test('snippets that a policy forbids are told when they are built', async () => {
    const directory = folderWith({
      'local-needle.yaml': yaml('folder: public'),
      'rules/a.css': rules,
      'public/index.html': page(
        `<meta http-equiv="content-security-policy" content="style-src 'unsafe-inline'; script-src 'self'">`,
      ),
    });
    const { status, log } = await run(directory, ['build', '--as', 'snippets', '--out', 'out']);
    expect([status, log]).toEqual([
      1,
      expect.stringMatching(/csp[^]*\(script-src 'self'\) forbids an inline <script>/),
    ]);
    expect(log).not.toContain('<style>');
  });

  test('an old build under a name that stays is told by its text', async () => {
    const directory = folderWith({
      'local-needle.yaml': yaml('folder: public, bundle-address: /assets/local-needle.css'),
      'rules/a.css': rules,
      'public/index.html': page(css + js),
    });
    await run(directory, ['build', '--force', '--out', 'public/assets']);
    expect((await run(directory, ['check'])).out).not.toMatch(/stale|not-loaded/);
    writeFileSync(join(directory, 'rules/a.css'), rules.replace('teal', 'tomato'));
    expect((await run(directory, ['check'])).out).toMatch(/warning stale-build[^]*local-needle\.css is older than/);
  });

  test('errors of loading keep nobody from building what is to be loaded', async () => {
    const directory = folderWith({
      'local-needle.yaml': yaml('folder: public, bundle-address: /assets/local-needle.css'),
      'rules/a.css': rules,
      'public/index.html': page(''),
    });
    const { out, log } = await run(directory, ['build', '--out', 'out']);
    expect([out, log]).toEqual([expect.stringContaining('href="/assets/local-needle.css"'), '']);
  });
});

describe('A swapped picture of another size', () => {
  const svg = (width: number, height: number) =>
    `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}"/>`;
  test.each([
    ['of the same size', '<img class="logo" src="/old.svg">', svg(180, 48), null],
    [
      'of another size',
      '<img class="logo" src="/old.svg">',
      svg(200, 48),
      /new\.svg is 200×48; on \/ it replaces 180×48: the page jumps/,
    ],
    ['whose place is known by attributes', '<img class="logo" src="/gone.svg" width="180">', svg(200, 48), null],
    ['whose place the page sets', '<img class="logo" src="/gone.svg" width="180" height="48">', svg(360, 96), null],
    [
      'that is squeezed into its place',
      '<img class="logo" src="/old.svg" width="180" height="48">',
      svg(100, 100),
      /replaces 180×48: it is squeezed/,
    ],
    [
      'that the page fits in',
      '<img class="logo" src="/old.svg" width="180" height="48" style="object-fit: contain">',
      svg(100, 100),
      null,
    ],
  ])('%s', async (_what, image, picture, expected) => {
    const directory = smallProject('@needle r { pages: page-id(1); @swap .logo { image: url("../new.svg"); } }', {
      'public/index.html': pageHtml('class="page-1"', image),
      'public/old.svg': svg(180, 48),
      'new.svg': picture,
    });
    const { out } = await run(directory, ['check']);
    if (expected) expect(out).toMatch(expected);
    else expect(out).not.toContain('swap-size');
  });
});
