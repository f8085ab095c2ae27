import { readBuild } from '../../src/core/ship/read-back.js';
import { prepareShipments } from '../../src/core/ship/shipment.js';
import { safeInPage } from '../../src/core/ship/script.js';
import { check } from '../../src/core/check/check.js';
import { proveBuild } from '../../src/core/ship/proof.js';
import { TooLate } from '../../src/core/page/elements.js';
import { forbiddenBy } from '../../src/core/deployment/policy.js';
import { bundleOf, siteOf } from '../helpers.js';

const pages = {
  '/': '<body class="page-1"><p class="x">a</p><p class="y">b</p></body>',
  '/pay': '<body class="page-2"><p class="x">a</p></body>',
  '/legal': '<body><p class="x">a</p></body>',
};
const rules = `@needle calm { pages: page-id(1); .x { color: teal; } @hide .y; }
@needle words { pages: path("/legal"); @swap .x { text: "new"; } }`;

describe('A build that was read back', () => {
  const { input, site, view } = siteOf(pages, rules);
  const shipments = prepareShipments({ ...input, site, open: view.open });
  const { css, js } = bundleOf({ ...input, site, open: view.open });
  const { cells } = check(input);
  const actions = shipments.whole.rules.flatMap((each) => each.actions.map(({ action }) => action));
  const prove = (text: string, script = js?.text ?? '') => {
    const brought = { build: readBuild(text, script), actions };
    return proveBuild(input, cells, { to: () => brought, pathOptions: {} }).findings.map(({ message }) => message);
  };

  test('proves what was checked', () => {
    expect(cells.map(({ verdict }) => verdict)).toEqual(['hit', 'hit']);
    expect(prove(css.text)).toEqual([]);
    expect(prove(css.text.replace(/\s+/g, ' '))).toEqual([]);
  });

  test('is not told to differ on a page that takes too long', () => {
    const brought = { build: readBuild(css.text, js?.text ?? ''), actions };
    const startTime = () => {
      throw new TooLate();
    };
    const late = { ...input, startTime };
    const { cells: judged, findings } = proveBuild(late, cells, { to: () => brought, pathOptions: {} });
    expect([judged, findings.map(({ code }) => code)]).toEqual([0, ['too-slow', 'too-slow']]);
  });

  test.each([
    ['a selector that lost its scope', 'body.page-1 .x', '.x', /"calm" would reach .* on \/pay: \.x/],
    [
      'another page',
      'body.page-1 .x',
      'body.page-2 .x',
      /"calm" was checked as hit on \/; what was built gives partly|would reach/,
    ],
    ['a weaker declaration', 'display: none !important', 'display: block', /On \/ display of .* is block, not none/],
    [
      'another value',
      'color: teal',
      'color: tomato',
      /On \/ color of .* is rgb\(255, 99, 71\), not rgb\(0, 128, 128\)/,
    ],
    ['a rule that is gone', /body\.page-1 \.y \{[^}]*\}/, '', /has 1 style rules where 2 were written/],
  ])('tells %s', (_what, from, to, said) => {
    expect(prove(css.text.replace(from, to)).join('\n')).toMatch(said);
  });

  test.each([
    ['a mark for another page', '"path":"/legal"', '"path":"/pay"', /local-needle\.js would act for "words" on \/pay/],
    ['a selector of more elements', / \.x"/, ' p, .x"', /local-needle\.js would swap/],
  ])('tells %s in local-needle.js', (_what, from, to, said) => {
    expect(prove(css.text, js?.text.replace(from, to)).join('\n')).toMatch(said);
  });

  test('names a script that no build wrote', () => {
    expect(() => prove(css.text, 'alert(1)')).toThrow('is incomplete');
  });
});

test.each([
  ['all', ':root body .x'],
  ['page-id(1)', '.x'],
  ['page-id(1)', 'body.page-1 .x'],
])('A rule at a viewport of its own, for %s, is judged by what was built', (condition, selector) => {
  const {
    input: plain,
    site,
    view,
  } = siteOf(pages, `@needle calm { pages: ${condition}; viewport: phone; ${selector} { color: teal; } }`);
  const input = { ...plain, viewports: [...plain.viewports, { name: 'phone', width: 390, height: 844 }] };
  const shipments = prepareShipments({ ...input, site, open: view.open });
  const { css, js } = bundleOf({ ...input, site, open: view.open });
  const actions = shipments.whole.rules.flatMap((each) => each.actions.map(({ action }) => action));
  const prove = (text: string) => {
    const brought = { build: readBuild(text, js?.text ?? null), actions };
    return proveBuild(input, check(input).cells, { to: () => brought, pathOptions: {} }).findings;
  };
  expect(prove(css.text)).toEqual([]);
  const messages = prove(css.text.replace('color: teal', 'order: 1')).map(({ message }) => message);
  expect(messages.filter((message) => message.includes('"calm" was checked as hit on /;'))).toHaveLength(1);
});

test.each([
  ['a = "</script>"', 'a = "\\x3c/script>"'],
  ['a = `<!-- ${b} </SCRIPT>`', 'a = `\\x3c!-- ${b} \\x3c/SCRIPT>`'],
  ['/<\\/script>/u.test(a) // </script>', '/<\\/script>/u.test(a) // < /script>'],
  ['<!-- a comment of HTML\nb', '//  a comment of HTML\nb'],
  ['if (a </script>/) b', 'if (a < /script>/) b'],
  ['plain()', 'plain()'],
])('A script that may stand in a page: %s', (text, expected) => {
  expect(safeInPage(text)).toBe(expected);
});

describe('A Content-Security-Policy', () => {
  const own = 'https://www.saltmere.example/tickets';
  const css = 'https://www.saltmere.example/assets/local-needle.css';
  const cdn = 'https://cdn.saltmere.example/a/local-needle.css';
  test.each([
    ["default-src 'self'", css, null],
    ["default-src 'self'", cdn, "default-src 'self'"],
    ["style-src 'none'; default-src *", css, "style-src 'none'"],
    ["style-src-elem 'self'; style-src 'none'", css, null],
    ['style-src https:', cdn, null],
    ['style-src cdn.saltmere.example', cdn, null],
    ['style-src *.saltmere.example', cdn, null],
    ['style-src *.saltmere.example', 'https://saltmere.example/local-needle.css', 'style-src *.saltmere.example'],
    ['style-src https://cdn.saltmere.example/a/', cdn, null],
    ['style-src https://cdn.saltmere.example/b/', cdn, 'style-src https://cdn.saltmere.example/b/'],
    ['style-src https://cdn.saltmere.example:8443', cdn, 'style-src https://cdn.saltmere.example:8443'],
    ['style-src http://cdn.saltmere.example', cdn, null],
    ['img-src *', css, null],
    ["style-src 'self'", null, "style-src 'self'"],
    ["style-src 'unsafe-inline'", null, null],
    ["style-src 'unsafe-inline' 'nonce-abc'", null, "style-src 'unsafe-inline' 'nonce-abc'"],
  ])('%s: %s', (policy, address, expected) => {
    expect(forbiddenBy(policy, { kind: 'style', address }, own)).toBe(expected);
  });

  test('a nonce on the element lets it in, strict-dynamic keeps hosts out', () => {
    const policy = "script-src 'self' 'strict-dynamic' 'nonce-abc'";
    expect(forbiddenBy(policy, { kind: 'script', address: css }, own)).toBe(policy);
    expect(forbiddenBy(policy, { kind: 'script', address: css, nonce: 'abc' }, own)).toBeNull();
  });
});
