import fc from 'fast-check';
import type { CompiledAction } from '../../src/core/action/compiled.js';
import { remembering } from '../../src/core/action/compile.js';
import { SheetStore } from '../../src/core/css/cascade/page-sheets.js';
import { compileSelector, compileSheet, forMany } from '../../src/core/css/cascade/sheet.js';
import { readDocument, type Element } from '../../src/core/page/document.js';
import { SheetComparison } from '../../src/core/ship/first-difference.js';
import { readBuild } from '../../src/core/ship/read-back.js';
import { prepareShipments } from '../../src/core/ship/shipment.js';
import { safeInPage } from '../../src/core/ship/script.js';
import { check } from '../../src/core/check/check.js';
import { proveBuild } from '../../src/core/ship/proof.js';
import { compileMatcher } from '../../src/core/page/elements.js';
import { TooLate } from '../../src/core/page/query.js';
import { forbiddenBy } from '../../src/core/deployment/policy.js';
import { bundleOf, runsOf, siteOf } from '../helpers.js';

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

const selectorText = fc.constantFrom(
  ...[
    '.x',
    '.X',
    ':root body .x',
    'body .a .x',
    '.a > .x',
    '.x, .a .x',
    '.a .x, .x',
    '.x::before',
    'p',
    'body p',
    'b + p',
  ],
  ...[
    '.a p.x',
    '.a.a .x',
    '.gone',
    '.gone .x',
    ':is(.a,.b) .x',
    'div :not(.a) .x',
    '.a div p',
    'body > .a .b .x',
    '* .x',
  ],
);
const element = fc.memo((depth): fc.Arbitrary<string> => {
  const inside = depth > 1 ? fc.array(element(depth - 1), { maxLength: 3 }) : fc.constant<string[]>([]);
  return fc
    .tuple(fc.constantFrom('div', 'p', 'b'), fc.subarray(['a', 'b', 'x', 'X']), inside)
    .map(([tag, classes, within]) => `<${tag} class="${classes.join(' ')}">${within.join('')}</${tag}>`);
});
const pageText = fc
  .tuple(fc.constantFrom('', '<!doctype html>'), fc.array(element(4), { minLength: 1, maxLength: 4 }))
  .map(([doctype, inside]) => `${doctype}<style>.a .x { color: red }</style><body>${inside.join('')}`);

test('A selector for many elements matches what it matches when it is tried on each', () => {
  let matched = 0;
  const property = fc.property(pageText, selectorText, (html, list) => {
    // What is inside of others is looked for only where there are many elements.
    const document = readDocument(html.replace(/<body>(.*)/, (_all, inside: string) => `<body>${inside.repeat(51)}`));
    // Places, since elements lead to whole pages.
    const found = (matches: (element: Element) => boolean) =>
      document.elements.flatMap((element, place) => (matches(element) ? [place] : []));
    for (const text of list.split(', ').filter((each) => !each.includes('::'))) {
      const selector = compileSelector(text)!;
      const each = found((element) => selector.matches(document, element));
      const all = new Set(compileMatcher(text)(document));
      expect([
        found((element) => forMany(selector).matches(document, element)),
        found((element) => all.has(element)),
      ]).toEqual([each, each]);
      matched += each.length;
    }
  });
  fc.assert(property, { numRuns: runsOf(30, 10_000) });
  expect(matched).toBeGreaterThan(100);
});

const parts = {
  owner: fc.nat(2),
  selector: fc.constantFrom(
    ...['.x', ':where(.a) .x', '.x.x', '.x, .a .x', '.x::before', '.x, .x::before', 'p, .x', '.gone'],
    ...[':root body .x', '* > .x'],
  ),
  declaration: fc.constantFrom('color: teal', 'color: red', 'order: 1', 'color: teal !important'),
  around: fc.constantFrom('', '@media (min-width: 100px)', '@media (max-width: 100px)', '@supports (color: red)'),
};
const styleRule = fc.record(parts);
type StyleRule = typeof styleRule extends fc.Arbitrary<infer T> ? T : never;

const owners = ['one', 'two', 'three'].map((name) => ({ rule: { name }, action: { selector: name } }));

/** A sheet of ours; `by`: the owner of each rule. */
function owned(text: string, by: number[]) {
  const { rules, ...sheet } = compileSheet(text);
  const ownedRules = rules.map((rule, index) => ({
    ...rule,
    selectors: rule.selectors.map(forMany).map(remembering),
    owner: owners[by[index]!] as unknown as CompiledAction['owner'],
  }));
  return { ...sheet, rules: ownedRules };
}

/** What is told of two sheets on a page: the first difference, and whether they are the same to the cascade. */
function comparedOn(html: string, ...sheets: [ReturnType<typeof owned>, ReturnType<typeof owned>]) {
  const { view } = siteOf({ '/': html }, '');
  const page = view.site.pages[0]!;
  const document = view.open(page);
  const viewport = { name: 'desktop', width: 1280, height: 800 };
  const comparison = new SheetComparison(new SheetStore({ style: () => null }, 'head-end'), viewport);
  const difference = comparison.firstDifference(page, document, ...sheets);
  return { difference, isSame: comparison.areSame(document, ...sheets) };
}

test.each([
  ['.x { color: red }', '.x { color: red }', true],
  ['.x { color: red }', 'body .x { color: red }', false],
  ['.x { color: red } .gone { color: red }', '.x { color: red }', true],
  ['.x, .a .x { color: red }', '.a .x, .x { color: red }', true],
  ['.x, .a .x { color: red }', '.x { color: red }', false],
  ['.a .x, .x { color: red }', '.x { color: red }', false],
  ['.x { color: red } @layer l;', '.x { color: red }', false],
  ['.x { color: red } @keyframes k { to { color: teal } }', '.x { color: red }', false],
  ['@scope (.a) { .x { color: red } }', '@scope (.a) { .x { color: red } }', false],
])('%s and %s are the same to the cascade: %s', (written, built, same) => {
  const html = '<body><div class="a"><p class="x">a</p></div>';
  expect(comparedOn(html, owned(written, [0, 1]), owned(built, [0, 1])).isSame).toBe(same);
});

test('Sheets that are the same to the cascade give every element the same values', () => {
  const sheetOf = (rules: StyleRule[]) => {
    const texts = rules.map(({ selector, declaration, around }) => {
      const rule = `${selector} { ${declaration} }`;
      return around ? `${around} { ${rule} }` : rule;
    });
    const by = rules.map(({ owner }) => owner);
    return owned(texts.join('\n'), by);
  };
  const counts = { same: 0, different: 0 };
  const change = fc.oneof(
    { weight: 3, arbitrary: fc.constant((rules: StyleRule[]) => rules) },
    fc.constant((rules: StyleRule[]) => [...rules].reverse()),
    fc.constant((rules: StyleRule[]) => rules.slice(1)),
    fc
      .tuple(
        fc.nat(3),
        fc.oneof(
          ...Object.entries(parts).map(([key, part]) =>
            (part as fc.Arbitrary<unknown>).map((value) => ({ [key]: value })),
          ),
        ),
      )
      .map(
        ([at, part]) =>
          (rules: StyleRule[]) =>
            rules.map((rule, index) => (index === at ? { ...rule, ...part } : rule)),
      ),
  );
  const property = fc.property(
    ...([pageText, fc.array(styleRule, { minLength: 1, maxLength: 4 }), change] as const),
    (html, rules, changed) => {
      const { difference, isSame } = comparedOn(html, sheetOf(rules), sheetOf(changed(rules)));
      if (isSame) expect(difference).toBeNull();
      if (changed(rules) === rules) expect(isSame).toBe(true);
      counts[difference === null ? 'same' : 'different']++;
    },
  );
  fc.assert(property, { numRuns: runsOf(400, 30_000) });
  expect(Math.min(...Object.values(counts))).toBeGreaterThan(20);
});
