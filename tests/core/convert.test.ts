import fc from 'fast-check';
import { convert, type OldFile } from '../../src/core/convert/convert.js';
import { ProblemError } from '../../src/core/place.js';
import { readRuleFile } from '../../src/project/rule-file.js';
import { proveConversion, whereLoaded } from '../../src/core/convert/proof.js';
import { runsOf, siteOf } from '../helpers.js';

const inside = '<div id="m" class="x"><p class="x y">a</p><p class="y">b</p></div><footer class="x">f</footer>';
const { view } = siteOf(
  {
    '/': `<body id="front" class="page-1">${inside}</body>`,
    '/winter': `<body class="page-2 winter">${inside}</body>`,
    '/winter/lights': `<body class="page-3 winter">${inside}</body>`,
    '/legal': `<body><header class="winter-sale"></header>${inside}</body>`,
  },
  '',
);

function converted(files: (Pick<OldFile, 'kind' | 'text'> & { page?: string })[], on = view) {
  return convert({
    files: files.map(({ kind, text, page }) => ({
      ...{ name: `old.${kind}`, kind, text },
      page: page === undefined ? null : (on.site.byPath.get(page) ?? null),
    })),
    view: on,
    viewports: [{ name: 'desktop', width: 1280, height: 800 }],
    ...{ place: 'head-end', taken: [], scriptFolder: 'converted' },
    readRules(text, scripts) {
      const { rules, problems } = readRuleFile(text, 'r.css', 'r.css', (_from, url, at) => ({
        use: { url, at, path: url, content: new TextEncoder().encode(scripts.get(url.replace(/^.*\//, '')) ?? '') },
        fault: null,
      }));
      expect(problems).toEqual([]);
      return rules;
    },
  });
}

const plain = (text: string) => text.replace(/\s+/g, ' ').trim();

describe('Old CSS', () => {
  test.each([
    ['a page ID in a class', 'body.page-1 .x { color: red; }', 'pages: page-id(1); .x { color: red; }'],
    ['without body', '.page-1 .x { color: red; }', 'pages: page-id(1); .x { color: red; }'],
    ['an ID', '#front .x { color: red; }', 'pages: body-id(front); .x { color: red; }'],
    ['a class of some pages', 'body.winter .x { color: red; }', 'pages: body-class(winter); .x { color: red; }'],
    [
      'two classes',
      'body.winter.page-2 .x { color: red; }',
      'pages: body-class(winter) page-id(2); .x { color: red; }',
    ],
    ['body itself', 'body.page-1 { color: red; }', 'pages: page-id(1); body { color: red; }'],
    ['a child of body', 'body.page-1 > .x { color: red; }', 'pages: page-id(1); body > .x { color: red; }'],
    ['html before it', 'html body.page-1 .x { color: red; }', 'pages: page-id(1); html body .x { color: red; }'],
    ['a pseudo-element', 'body.page-1 .y::before { content: "a"; }', 'pages: page-id(1); .y::before { content: "a"; }'],
    [
      'a comment above',
      '/* Why it is there. */\nbody.page-1 .x { color: red; }',
      'note: "Why it is there."; pages: page-id(1);',
    ],
    ['hiding', 'body.page-1 .x { display: none !important; }', 'pages: page-id(1); @hide .x;'],
    ['hiding elsewhere', 'body:not(.page-1) .y { display: none !important; }', 'pages: page-id(1); @only-here .y;'],
    [
      'styles elsewhere',
      'body:not(.page-1):not(.page-2) .x { color: red; }',
      'pages: all; except: page-id(1), page-id(2); .x { color: red; }',
    ],
    [
      'equal styles',
      'body.page-1 .x { color: red; } body.page-2 .x { color: red; }',
      'pages: page-id(1), page-id(2); .x { color: red; }',
    ],
    [
      'a list of pages',
      'body.page-1 .x, body.page-3 .x { color: red; }',
      'pages: page-id(1), page-id(3); .x { color: red; }',
    ],
    [
      'at-rules around',
      '@media (min-width: 9px) { body.page-1 .x { color: red; } }',
      '@media (min-width: 9px) { .x { color: red; } }',
    ],
    ['nesting', 'body.page-1 .x { color: red; & .y { margin: 1px; } }', '.x { color: red; & .y { margin: 1px; } }'],
  ])('%s becomes a rule', (_what, css, expected) => {
    const { rules, leftovers, proof } = converted([{ kind: 'css', text: css }]);
    expect(plain(rules)).toContain(expected);
    expect([...leftovers.values()]).toEqual([]);
    expect([proof.differences, proof.pages]).toEqual([[], 4]);
  });

  test.each([
    ['what is for all pages', '.x { color: red; }', '.x', 'unscoped', 4],
    ['a class that is not on body', '.winter-sale .x { color: red; }', '.winter-sale .x', 'unscoped', 0],
    ['a page that is not there', 'body.page-9 .x { color: red; }', 'body.page-9 .x', 'unscoped', 0],
    ['a class of no page', 'body.gone .x { color: red; }', 'body.gone .x', 'unscoped', 0],
    ['keyframes', '@keyframes a { to { color: red; } }', '@keyframes a', 'it applies to all pages', 0],
    [
      'a file from nobody knows where',
      'body.page-1 .x { background: url(a.png); }',
      'body.page-1 .x',
      'it contains a relative URL, and no captured page shows where this stylesheet is served from',
      1,
    ],
  ])('%s stays', (_what, css, what, reason, pages) => {
    const { rules, left, leftovers } = converted([{ kind: 'css', text: css }]);
    expect(rules).toBe('');
    expect(left.map((each) => [each.what, each.reason, each.pages.length])).toEqual([[what, reason, pages]]);
    expect([...leftovers.values()].join('').trim()).toBe(css);
  });

  test('a list is split, and what stays keeps its place and its comment', () => {
    const css = '/* Both. */\nbody.page-1 .x,\n.y {\n  color: red;\n}\n\n/* Legal */\n.y { margin: 0 }\n';
    const { leftovers } = converted([{ kind: 'css', text: css }]);
    expect(leftovers.get('old.css')).toBe(css.replace('body.page-1 .x,\n.y', '.y'));
  });

  test('what would look another way stays, with the reason', () => {
    // As a rule it would be last in head and weigh less than an ID.
    const css = '#front .x { color: red; } .x.x.x { color: green; }';
    const { rules, left, proof } = converted([{ kind: 'css', text: css }]);
    expect(proof.differences).toEqual([]);
    expect(rules).not.toContain('.x {');
    expect(left.map(({ reason }) => reason)).toContainEqual(
      expect.stringMatching(/^converting it would change color of .* on \/ from/),
    );
  });
});

test('An old stylesheet that a page has in itself is compared in its place', () => {
  const css = 'body.page-1 .x { color: red; }\n.x { margin: 1px; }';
  const own = siteOf(
    { '/': `<body class="page-1"><style>${css}</style>${inside}<style>.x { color: blue }</style></body>` },
    '',
  ).view;
  const { proof, rules, left } = converted([{ kind: 'css', text: css }], own);
  expect(proof.differences).toEqual([]);
  // It is before what is in the body, as it did; on the only page there is, it is for all of them.
  expect([rules, left.length]).toEqual(['', 2]);
});

describe('Snippets', () => {
  test('of a page become rules for it, of equal content one rule', () => {
    const text = '<!-- Band -->\n<style>/* Not twice. */ .y { display: none } #m .x { color: red }</style>\n';
    const {
      rules,
      leftovers,
      converted: names,
    } = converted([
      { kind: 'html', text, page: '/winter' },
      { kind: 'html', text: text.replace('Band', 'Other'), page: '/legal' },
    ]);
    expect(plain(rules)).toContain('pages: page-id(2), path("/legal"); @hide .y; #m .x { color: red; }');
    expect(names.map(({ rule, pages }) => [rule, pages])).toEqual([['winter', 2]]);
    expect([...leftovers]).toEqual([]);
  });

  test('keep their markup, and scripts of their own become rules', () => {
    const text =
      '<p>Kept</p>\r\n<style>\r\n.x { color: red }\r\n</style><script>go();</script><script src="/a.js"></script>';
    const { rules, scripts, leftovers } = converted([{ kind: 'html', text, page: '/' }]);
    expect(plain(rules)).toContain('@needle front-2 { pages: page-id(1); @script url("converted/front-2.js"); }');
    expect([...scripts]).toEqual([['front-2.js', 'go();\n']]);
    expect(leftovers.get('old.html')).toBe('<p>Kept</p>\r\n<script src="/a.js"></script>');
  });
});

describe('A script for all pages', () => {
  test.each([
    ["location.pathname === '/winter'", 'path("/winter")'],
    ["'/winter/index.html' == window.location.pathname", 'path("/winter")'],
    ["location.pathname.startsWith('/winter/')", 'path("/winter/*")'],
    ["location.pathname.indexOf('/winter/') === 0", 'path("/winter/*")'],
    ["['/winter', '/legal'].includes(location.pathname)", 'path("/winter"), path("/legal")'],
    ["document.body.classList.contains('page-2')", 'page-id(2)'],
    [
      "document.body.classList.contains('winter') && location.pathname === '/legal'",
      'body-class(winter) path("/legal")',
    ],
    ["document.body.id === 'front' || location.pathname == '/legal'", 'body-id(front), path("/legal")'],
    ["!document.body.classList.contains('winter')", 'all; except: body-class(winter)'],
  ])('if (%s) becomes a rule', (test, pages) => {
    const { rules, scripts, leftovers } = converted([{ kind: 'js', text: `// Why.\nif (${test}) {\n  go();\n}\n` }]);
    expect(plain(rules)).toMatch(/note: "Why\."; pages: /);
    expect(plain(rules)).toContain(`pages: ${pages};`);
    expect([...scripts.values()]).toEqual(['go();\n']);
    expect([...leftovers]).toEqual([]);
  });

  test.each([
    ['an else', "if (document.body.id === 'front') { a(); } else { b(); }", 'it has an else'],
    [
      'what it shares',
      "var a = 1;\nif (document.body.id === 'front') { go(a); }",
      'it uses a, which is declared outside of it',
    ],
    ['another test', 'if (screen.width < 500) { go(); }', null],
    ['no guard', 'go();', null],
  ])('%s stays', (_what, text, reason) => {
    const { rules, left, leftovers } = converted([{ kind: 'js', text }]);
    expect(rules).toBe('');
    expect(left.map((each) => each.reason)).toEqual(reason === null ? [] : [reason]);
    expect([...leftovers.values()]).toEqual([text]);
  });

  test('within a function of its own gives its parts away, and keeps the rest', () => {
    const text = "(function () {\n  if (document.body.id === 'front') go();\n  other();\n})();";
    const { scripts, leftovers } = converted([{ kind: 'js', text }]);
    expect([...scripts.values()]).toEqual(['go();\n']);
    expect(leftovers.get('old.js')).toBe('(function () {\n  \n  other();\n})();');
  });
});

test.each([
  [{ kind: 'css' as const, text: '.x { color: red; }\n.y {' }, 'This is not valid CSS: unclosed block', 2, 1],
  [{ kind: 'html' as const, text: '<p>\n<style>\n.x }\n</style>' }, 'This is not valid CSS', 3, 1],
  [{ kind: 'html' as const, text: '<p>\n<script>\nif (</script>' }, 'Browsers cannot read this script', 3, 5],
])('An old file that cannot be read is told at its place: %j', (file, message, line, column) => {
  try {
    converted([file]);
    throw new Error('It was read.');
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    const [problem] = error.problems;
    expect(problem?.message).toContain(message);
    expect(problem?.at).toEqual({ file: `old.${file.kind}`, line, column });
  }
});

test.each([
  ['body.page-1 .2col .x', 'browsers ignore it: '],
  ['.page-1 .x >', 'browsers ignore it: Nothing follows ">"'],
  ['body.page-1 .x::before b', 'browsers ignore it: Nothing can be selected below ::before'],
  ['.page-1 .x, .page-2 .y:foo', 'browsers ignore it: '],
  ['.page-1 .y:is(::before, .x)', 'a rule cannot hold it: '],
])('what browsers drop is left over, and never stops the command: %s', (selector, reason) => {
  const { rules, left, leftovers } = converted([
    { kind: 'css', text: `${selector} { color: red; }\nbody.page-1 .x { color: teal; }` },
  ]);
  expect(plain(rules)).toBe('@needle front { pages: page-id(1); .x { color: teal; } }');
  expect(left.map((each) => each.reason)).toEqual([expect.stringContaining(reason)]);
  expect([...leftovers.values()]).toEqual([expect.stringContaining(selector)]);
});

test('what was converted passes a check, with the reason why what the old CSS missed is accepted', () => {
  const { rules } = converted([
    { kind: 'css', text: 'body.winter #front-only { color: red; } body.winter .x { color: teal; }' },
  ]);
  expect(plain(rules)).toContain(
    'pages: body-class(winter); allow: missing-element "The old CSS matches nothing there either."; #front-only',
  );
});

test('the values that the proof compares are enough: comparing every value finds a difference where it does, and nowhere else', () => {
  const declarations = ['color: teal', 'font-size: 2em', '--c: red', 'color: var(--c)', 'width: 2em', 'margin: 1px'];
  const line = fc.record({
    selector: fc.constantFrom('.x', '.y', 'div', '#m .y', 'p:hover', '.x::before'),
    declaration: fc.constantFrom(...declarations),
    /** What becomes of it: it stays, it becomes a rule, or a wrong one. */
    fate: fc.constantFrom('left', 'right', 'right', 'wrong', 'lost'),
  });
  const siteSheet = fc.constantFrom('', 'p { padding: 1em; border-color: var(--c, blue); } .x .y { color: inherit; }');
  const differs = { narrow: 0, all: 0 };
  fc.assert(
    fc.property(fc.array(line, { minLength: 1, maxLength: 6 }), siteSheet, (lines, sheet) => {
      const text = (some: typeof lines) =>
        some.map(({ selector, declaration }) => `body.page-1 ${selector} { ${declaration} }`).join('\n');
      const others = { 'color: teal': 'color: red', 'margin: 1px': 'margin: 2px' } as Record<string, string>;
      const written = lines
        .filter(({ fate }) => fate === 'right' || fate === 'wrong')
        .map(
          ({ selector, declaration, fate }) =>
            `${selector} { ${fate === 'wrong' ? (others[declaration] ?? 'color: red') : declaration} }`,
        );
      const { view: own, input } = siteOf(
        {
          '/': `<style>${sheet}</style><body class="page-1">${inside}</body>`,
          '/two': `<body class="page-2">${inside}</body>`,
        },
        written.length > 0 ? `@needle r { pages: page-id(1); ${written.join(' ')} }` : '',
      );
      const left = lines.filter(({ fate }) => fate === 'left');
      const old = {
        ...{ text: text(lines), page: null, leftover: left.length > 0 ? text(left) : null },
        converted: lines.filter(({ fate }) => fate !== 'left').map(({ selector }) => `body.page-1 ${selector}`),
      };
      const options = { viewports: input.viewports, place: 'head-end' as const, openAnew: own.open };
      const present = whereLoaded([old], own, 'head-end');
      const [narrow, all] = [false, true].map((exhaustive) =>
        proveConversion([old], input.rules, own, { ...options, present, exhaustive }),
      );
      expect(narrow?.differences.length === 0).toBe(all?.differences.length === 0);
      differs.narrow += Number((narrow?.differences.length ?? 0) > 0);
      differs.all += 1;
    }),
    { numRuns: runsOf(120, 5000) },
  );
  // Both happen often.
  expect(differs.narrow / differs.all).toBeGreaterThan(0.2);
  expect(differs.narrow / differs.all).toBeLessThan(0.95);
});
