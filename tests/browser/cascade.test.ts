import fc from 'fast-check';
import type { Browser, Page as BrowserPage } from 'playwright-core';
import { describeInBrowser, noteFigure, runsOf } from '../helpers.js';
import { launchBrowser } from './chromium.js';
import { cascadeCase, utilityCase, type CascadeCase } from '../oracle/cases.js';
import { differences } from '../oracle/compare.js';
import { opened, sourceOf } from '../oracle/judge.js';

const inside = `<div class="outer md:w-1/2"><div class="card sm:p-1.5 lg:w-[20rem]"><div class="in"><p class="x">a</p><em class="y">b</em></div></div></div>
<svg><circle class="x"/></svg>`;
const page = (css: string, more: Partial<CascadeCase> = {}): CascadeCase => ({
  html: '',
  body: 'class="page-1"',
  content: inside,
  sheets: [{ as: 'style', media: '', css }],
  rule: '.none { order: 1 }',
  ...more,
});

/** Differences that longer runs found once, and the corners of the syntax that no generator comes to. */
const kept: string[] = [
  // Scopes
  '@scope (.card) { .outer .x { z-index: 2 } }',
  '@scope (.card) { > .in > .x { z-index: 2 } }',
  '@scope (.card) { & .x { z-index: 2 } } .x { z-index: 3 }',
  '@scope (.card) { :scope .x { z-index: 2 } } .x { z-index: 3 }',
  '@scope (.x) { z-index: 2 }',
  '@scope (.card) to (.in) { .x { z-index: 2 } }',
  '@scope (.card) to (> .in) { .x { z-index: 2 } }',
  '@scope (.in.in, .card) to (.in) { .x { z-index: 2 } }',
  '@scope (.card) { @scope (.in) { .x { z-index: 2 } } }',
  '@scope (.in) { @scope (.card) { .x { z-index: 2 } } }',
  '@scope (div) to (:scope > .in) { @scope (div) to (:scope > .in) { .x { order: 4 } div { order: 5 } } }',
  '@scope (.card) { .x { order: 1 } } @scope (.in) { .x { order: 2 } } @scope (.outer) { .x { order: 3 } }',
  // Syntax and its recovery
  '@media all { foo; .x { z-index: 2 } }',
  'foo; .x { z-index: 2 }',
  '.q {} ; .x { z-index: 2 }',
  '& .x { z-index: 2 }',
  '.x { color: red;; foo; z-index: 2 }',
  '.x { a {} z-index: 2 }',
  '.x { z-index: 2 } } .x { z-index: 4 }',
  '.in { foo:bar {} .x { z-index: 2 } }',
  '.in { color:{} .x { z-index: 2 } }',
  '.in { @media all { foo; .x { z-index: 2 } } }',
  '@layer a { foo; .x { z-index: 2 } }',
  '@media all { --a:b {} .x { z-index: 2 } }',
  '.in { --a:{b:c} .x { z-index: 2 } }',
  '.x { z-index: 2!important!important }',
  '.x { z-index: 2 } <!-- --> .x { z-index: 3 }',
  '@media all { <!-- .x { z-index: 2 } }',
  '.x, { z-index: 2 }',
  '.x { z-index: 2; } @layer; .x { z-index: 3 }',
  '.x { z-index: 2 ! IMPORTANT } .x { z-index: 3 }',
  '.x { z-index: 2',
  '.x { background: url(a b); z-index: 2 } .y { z-index: 3 }',
  '.x { color: "a\n; z-index: 2; } .y { z-index: 3 }',
  '/* .x { z-index: 2 }',
  // Selectors
  '.x::foo, .x { z-index: 2 }',
  '.x::-webkit-foo, .x { z-index: 2 }',
  '.x:foo, .x { z-index: 2 }',
  ':is(.x, :foo) { z-index: 2 }',
  ':not(.q, :foo) { z-index: 2 }',
  '.x:has(:foo, *), .x { z-index: 2 }',
  ':where() { z-index: 9 } .x { z-index: 2 }',
  '.x:nth-child(foo), .x { z-index: 2 }',
  '.x:nth-child(1 of :foo), .x { z-index: 2 }',
  ':is(.x::before), .x { z-index: 2 }',
  'p|a, .x { z-index: 2 }',
  '*|p, .y { z-index: 2 }',
  '[class="x" s] { z-index: 2 }',
  '.x { @layer k { z-index: 2 } } p { z-index: 1 }',
  '.x { & { z-index: 2 } } p.x { z-index: 1 }',
  ':is(#none, .x) { z-index: 2 } p.x.x.x { z-index: 1 }',
  ':nth-child(1 of #none, .x) { z-index: 2 } p.x { z-index: 1 }',
  '::before, div div { :is(&, .d) { z-index: 11 } }',
  '.x::before { &:hover { order: 1 } & { order: 2 } }',
  // Names with escapes, texts that look like syntax, namespaces
  '.md\\:w-1\\/2 .x { z-index: 2 } .sm\\:p-1\\.5 .y { z-index: 3 } .lg\\:w-\\[20rem\\] .x { order: 4 }',
  '.md\\:w-1\\/2\\:hover .x, .x:nth-child(1 of .x:not(.md\\:w-1\\/2)) { z-index: 2 }',
  '.x\\:h\\6fver, .x:not(:h\\6fver) { z-index: 2 }',
  '.x:not([title="a&b"]) { z-index: 2 } .in { .x:not([title="&"]) { order: 2 } }',
  '.in { .x:not([title=", > p"]), .y { z-index: 2 } } .in { > .x:not(:has(.q, > .q)) { order: 2 } }',
  '@scope (.card) { .x:not([title=":scope"]) { z-index: 2 } .y:not([title="a, > b"]) { order: 3 } }',
  '@namespace svg url(http://www.w3.org/2000/svg); svg|circle, .x { order: 2 } svg|p, .y { z-index: 2 } svg|* { z-index: 5 }',
  '@namespace h "http://www.w3.org/1999/xhtml"; h|p.x { order: 2 } p { order: 1 } h|em.y { z-index: 2 }',
  '@namespace "http://www.w3.org/2000/svg"; .x { order: 2 } *|p { z-index: 2 } circle { order: 3 } .in :is(.x) { order: 4 } :not(.q) { flex-grow: 3 }',
  '.q {} @namespace svg url(http://www.w3.org/2000/svg); svg|p, .x { order: 2 }',
  '@scope (.card:not([title=") to ("])) to (.q) { .x { z-index: 2 } } @scope to (.in) { .x { order: 3 } } @scope (.card)to(.in) { .card { order: 2 } }',
  '.x:not([title=":is("]):is(.x, :unknown-thing, [title=":is(:foo, "]) { z-index: 2 } .x:not(.\\>:hover) { order: 2 }',
  '.q\\, , .x { z-index: 2 } .q\\,, .y { order: 2 }',
  // Layers, values, inheritance
  '@layer a, b; @layer b { .x { order: 1 !important } } @layer a { .x { order: 2 !important } } .x { order: 3 !important }',
  '@layer a { .x { order: 1 } @layer b { .x { order: 2 } } }',
  '@layer a.b { .x { order: 1 } } @layer a { .x { order: revert-layer } } ',
  '@media print { @layer a; } @layer b { .x { order: 1 } } @layer a { .x { order: 2 } }',
  '.in { color: red; border-top: 3px solid } .x { border-top-color: inherit; color: blue }',
  '.x { --v: var(--w, 4); --w: var(--v); order: var(--v, 2) }',
  '.x { --v: 4; order: var(--v); z-index: var(--none, 7); margin-top: var(--none) }',
  '.in { --v: 1px solid red } .x { border: var(--v) }',
  '@property --v { syntax: "<integer>"; inherits: false; initial-value: 3 } .in { --v: 4 } .x { order: var(--v) }',
  '.x { all: unset; color: red } .in { color: blue }',
  '.x { margin: 1px; margin-inline-start: 2px; direction: rtl } .y { direction: rtl; margin-inline-start: 3px; display: block }',
  '.x { margin-left: 1px } .x { margin-inline-start: 2px }',
  ...['vertical-rl', 'vertical-lr', 'sideways-rl', 'sideways-lr', 'tb', 'horizontal-tb'].flatMap((mode) =>
    ['ltr', 'rtl'].map(
      (direction) =>
        `.in { writing-mode: ${mode}; direction: ${direction} } .x { margin: 1px; padding: 1px; border: 1px solid; margin-inline-start: 2px; margin-block-start: 3px; padding-block-end: 4px; padding-inline: 5px 6px; border-block-start-color: red; border-inline-start-width: 7px }`,
    ),
  ),
  '@supports selector(:has(a)) { .x { order: 2 } } @supports selector(:foo) { .y { order: 2 } }',
  '@supports not (display: nonsense) { .x { order: 2 } } @supports (display: grid) and (foo: bar) { .y { order: 2 } }',
  '@media (min-width: 1000px) and (orientation: landscape) { .x { order: 2 } } @media (width > 1000px) { .y { order: 2 } }',
  '@media (400px <= width < 1001px) { .x { order: 2 } } @media (min-width: 600) { .y { order: 2 } }',
  '@media screen and (hover) or (color) { .x { order: 2 } } @media (foo), (color) { .y { order: 2 } }',
  '@container (min-width: 1px) { .x { order: 2 } }',
  '@starting-style { .x { order: 2 } } .y { order: 3 }',
  ...[
    ...[
      'in',
      'none',
      'not in',
      'in style(--v: 1)',
      'in style(--v: 2)',
      'card style(--v)',
      'style(--v: 1)',
      'style(--v: 2)',
    ],
    ...[
      'style(--v)',
      'style(--w)',
      'not style(--w)',
      '(not style(--w))',
      'style((--v: 1) and (--u))',
      'style(not (--w))',
    ],
    ...[
      'style(--v: 1) or style(--w)',
      'style(--v: var(--t))',
      'style(--v: initial)',
      'style(--w: initial)',
      'style(color: red)',
    ],
    ...['card (min-width: 1px)', '(min-width: 1px)', 'in not (width > 1px)', 'in, none', 'scroll-state(stuck: top)'],
  ].map(
    (query) =>
      `.in { container-name: in card; --v: 1; --u: a } .outer { --t: 1 } @container ${query} { .x { order: 2 } .x::before { order: 3 } }`,
  ),
  '.card { --v: 1; container: c / normal } @container c style(--v: 1) { .in { --w: 2 } } @container style(--w: 2) { .x { order: 4 } }',
  '@layer { .in { --v: 1 } } .in { --v: 2 } @container style(--v: 2) { @layer { .x { order: 5 } } }',
  '@import "data:text/css,.x%7Border:2%7D"; .y { order: 3 }',
  '@import "data:text/css,.x%7Border:2%7D" layer(k); @layer j { .x { order: 3 } }',
  '@import "data:text/css,.x%7Border:2%7D" print; @import url(data:text/css,.y%7Border:4%7D) supports(display: grid);',
  '.y { order: 3 } @import "data:text/css,.x%7Border:2%7D";',
];

describeInBrowser('The cascade gives every element what Chromium gives it', () => {
  let browser: Browser;
  let tab: BrowserPage;
  beforeAll(async () => {
    browser = await launchBrowser();
    tab = await browser.newPage();
    await tab.setContent('<!doctype html><body>');
  });
  afterAll(() => browser?.close());

  test('in the corners of syntax, selectors, layers and values', async () => {
    const found = await differences(
      tab,
      kept.map((css) => page(css)),
    );
    expect(kept.flatMap((css, index) => (found[index] ? [`${css}: ${found[index]}`] : []))).toEqual([]);
  });

  test('with style, media, disabled and alternate sheets, quirks and attributes', async () => {
    const cases = [
      page('.x { order: 1 }', {
        content: `${inside}<p class="x" hidden style="display: inline">a</p><table bgcolor=red><td align=center width=40>b`,
      }),
      page('[hidden] { display: block } .x { display: grid }', {
        content: '<p hidden>a</p><p class=x hidden>b</p><p hidden=until-found>c</p>',
      }),
      page('.x { order: 1 }', {
        sheets: [
          { as: 'link', media: 'print', css: '.x { order: 2 }' },
          { as: 'body', media: '', css: '.x { order: 3 }' },
        ],
      }),
      page('', {
        sheets: [
          { as: 'style', media: '', css: '@layer { p.x { order: 1 } }' },
          { as: 'style', media: '', css: '@layer { .x { order: 2 } }' },
        ],
      }),
      page('', {
        rule: '.x { order: 4 } @hide .y;',
        sheets: [{ as: 'body', media: '', css: '.x { order: 3 } .y { display: block !important }' }],
      }),
    ];
    expect(await differences(tab, cases)).toEqual(cases.map(() => null));
  });

  test('with shadow trees that the page declares', async () => {
    const shadow = (css: string, inner = '<p class="x">in</p><slot></slot>') =>
      `<div class="a" id="i"><template shadowrootmode="open"><style>${css}</style>${inner}</template><em class="b">slotted</em></div><p class="x">out</p>`;
    const cases = [
      [':host { order: 1; z-index: 2 !important } .x { order: 4 }', '.a { z-index: 3; order: 5 }'],
      [':host(.a) { order: 1 } :host { order: 2 } :host(.no) { z-index: 9 }', 'em { order: 6 }'],
      [':host-context(body) { order: 7 } :host { order: 2 }', '.x { order: 3 }'],
      ['::slotted(em) { order: 1; z-index: 2 !important } ::slotted(.no) { order: 9 }', 'em { z-index: 3 }'],
      [
        '::slotted(*) { margin-top: 3px } @media (min-width: 9999px) { :host { order: 9 } }',
        '.a > :first-child { order: 8 }',
      ],
      [':host { color: teal; order: 1 !important }', '#i { order: 2 !important; color: red }'],
    ].map(([css = '', rule = '']) => page('', { content: shadow(css), sheets: [], rule }));
    cases.push(
      page('p:nth-child(2) { order: 1 } .a:empty { order: 2 }', { content: shadow('').replace(/<em.*?em>/, '') }),
    );
    const twice = '<p><template shadowrootmode=open><slot></slot></template><template shadowrootmode=open>b</template>';
    cases.push(
      page('template { order: 3 }', { content: `${twice}<ul><template shadowrootmode=open>c</template></ul>` }),
    );
    expect(await differences(tab, cases)).toEqual(cases.map(() => null));
  });

  test('for the lines of controls that a browser draws itself', async () => {
    const selects = ['', ' multiple', ' size=4', ' size=1', ' size'].map((more) => `<select${more}><option>a</select>`);
    const inputs = ['button', 'submit', 'reset', 'text'].map((type) => `<input type=${type}>`);
    const styles = [
      ...['', 'appearance: none', '-webkit-appearance: none', 'appearance: button', 'appearance: auto', 'all: unset'],
      ...['border: 0', 'background: red', 'border-radius: 3px', 'display: block', 'appearance: initial'],
    ];
    const cases = styles.flatMap((style) => [...selects, ...inputs].map((control) => ({ style, control })));
    const marked = ({ style, control }: (typeof cases)[number]) =>
      control.replace(/^<\w+/, `$& style="${style}; line-height: 3; overflow: hidden; font-size: 10px"`);
    const source = `<!doctype html><body>${cases.map(marked).join('')}`;
    const { look } = opened(source);
    const controls = look.document.elements.filter(({ tagName }) => /^(select|input)$/.test(tagName));
    const names = ['line-height', 'overflow-x'] as const;
    const ours = controls.map((each) => names.map((name) => look.bare.value(each, '', name).replace(/^3$/, '30px')));
    await tab.setContent(source);
    const theirs = await tab.evaluate(
      (asked) =>
        [...document.querySelectorAll('select, input')].map((each) =>
          asked.map((name) => getComputedStyle(each).getPropertyValue(name)),
        ),
      names,
    );
    await tab.setContent('<!doctype html><body>');
    const told = (values: string[][]) => values.map((each, index) => ({ ...cases[index], told: each.join(' ') }));
    expect(told(ours)).toEqual(told(theirs));
    expect(new Set(theirs.flat()).size).toBeGreaterThan(3);
  });

  const seed = Number(process.env['ORACLE_SEED'] ?? Math.floor(Math.random() * 2 ** 31));
  test.each<[string, fc.Arbitrary<CascadeCase>, number]>([
    ['stylesheets and rules', cascadeCase, Number(process.env['ORACLE_RUNS'] ?? runsOf(400, 30_000))],
    ['stylesheets of utility classes', utilityCase, runsOf(100, 3000)],
  ])(`on generated pages with %s (seed ${seed})`, async (about, arbitrary, runs) => {
    const cases = fc.sample(arbitrary, { seed, numRuns: runs });
    const batch = 50;
    let pending: Promise<(string | null)[]> | null = null;
    const failed: { index: number; why: string }[] = [];
    for (let at = 0; at <= runs && failed.length === 0; at += batch) {
      // Ours are computed while Chromium works on those before.
      const next: Promise<(string | null)[]> | null = at < runs ? differences(tab, cases.slice(at, at + batch)) : null;
      const found: (string | null)[] = (await pending) ?? [];
      found.forEach((why, index) => why !== null && failed.push({ index: at - batch + index, why }));
      pending = next;
    }
    await pending;
    const [first] = failed;
    noteFigure('cascade', `${runs} pages with ${about} (seed ${seed}): ${failed.length} differ`);
    if (!first) return expect(cases).toHaveLength(runs);
    // The same case again, made smaller.
    const shrunk = await fc.check(
      fc.asyncProperty(arbitrary, async (each) => {
        const [why] = await differences(tab, [each]);
        if (why) throw new Error(why);
      }),
      { seed, path: String(first.index), numRuns: runs, interruptAfterTimeLimit: 60_000 },
    );
    const smallest = shrunk.counterexample?.[0] ?? cases[first.index];
    const told = smallest ? `${sourceOf(smallest, '')}\n@needle r { ${smallest.rule} }` : '';
    throw new Error(`Seed ${seed}, case ${first.index}: ${String(shrunk.errorInstance ?? first.why)}\n${told}`);
  });
});
