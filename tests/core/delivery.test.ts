import fc from 'fast-check';
import type { Action } from '../../src/core/action/action.js';
import { check } from '../../src/core/check/check.js';
import { makePage, makeSite } from '../../src/core/page/page.js';
import { pathPattern } from '../../src/core/page/path.js';
import { prepareShipments } from '../../src/core/ship/shipment.js';
import { parseCondition, type Term } from '../../src/core/target/condition.js';
import { deliver } from '../../src/core/target/delivery.js';
import { conditionPages } from '../../src/core/target/pages.js';
import { bundleOf, runsOf, siteOf } from '../helpers.js';

const bodies = {
  '/': '<body class="page-1"><h1>Saltmere</h1><p class="x">a</p></body>',
  '/tickets': '<body class="page-2"><p class="x">a</p></body>',
  '/legal': '<body class="page-3"><p class="x">a</p></body>',
};

describe('Who gets an action', () => {
  test('is one answer for the check, the kept-visible elements and the build', () => {
    const { input, site, view } = siteOf(
      bodies,
      `@keep-visible .x { note: "The law wants it."; }
       @needle a { pages: path("/"); h1 { color: teal; } @on path("/tickets") { @only-here .x; } }`,
    );
    const report = check(input);
    expect(report.cells.map(({ page, verdict }) => `${page} ${verdict}`)).toEqual(['/ hit']);
    // The part that no page of the rule falls into hides nothing anywhere, and is reported.
    expect(report.findings.map(({ code }) => code)).toEqual(['missing-page']);
    expect(report.findings[0]?.message).toBe('path("/tickets") matches none of the pages that "a" targets');
    const reached = site.pages.map((page) => deliver(input.rules, site)(page).map(({ action }) => action.kind));
    expect(reached).toEqual([['restyle'], [], []]);
    expect(bundleOf({ ...input, site, open: view.open }).css.text).not.toContain('display: none');
  });

  const { input, site, view } = siteOf(bodies, '@needle a { pages: path("/legal"); @hide .x; }');
  const rule = input.rules[0];
  if (!rule) throw new Error('no rule');
  const shipped = (rules: typeof input.rules) => () => bundleOf({ ...input, rules, site, open: view.open });

  test('is nobody where a kind of action is not in the table', () => {
    const blink = { ...rule.actions[0], kind: 'blink' } as unknown as Action;
    expect(shipped([{ ...rule, actions: [blink] }])).toThrow('Unknown kind of action: blink');
    expect(() => check({ ...input, rules: [{ ...rule, actions: [blink] }] })).toThrow('blink');
  });

  test('is nobody where a term of a condition is not in the table', () => {
    const moon = { kind: 'moon-phase', text: 'moon-phase(full)', offset: 0 } as unknown as Term;
    const pages = { text: moon.text, alternatives: [[moon]] };
    expect(shipped([{ ...rule, pages }])).toThrow('Unknown term of a condition: moon-phase(full)');
    const except = { text: moon.text, alternatives: [[moon]] };
    expect(shipped([{ ...rule, except }])).toThrow('moon-phase(full)');
  });

  test('never comes from a scope that no longer tells the pages apart', () => {
    // The site loses the class that told the page apart, behind the back of what was looked up.
    const {
      input: other,
      site: changed,
      view: seen,
    } = siteOf(bodies, '@needle a { pages: body-class(page-3); @hide .x; }');
    const [first] = other.rules[0]?.pages?.alternatives[0] ?? [];
    if (first?.kind !== 'body-class') throw new Error('no class');
    conditionPages(other.rules[0]?.pages ?? { text: '', alternatives: [] }, changed);
    first.classes.length = 0;
    expect(() => prepareShipments({ ...other, site: changed, open: seen.open })).toThrow(
      'No CSS tells the pages of "a" apart (a.css:1)',
    );
  });
});

describe('The index of a site', () => {
  const segment = fc.constantFrom('winter', 'tickets', 'a', 'b.html', 'w', 'wint', '%C3%BC', '-x');
  const paths = fc.uniqueArray(
    fc.array(segment, { maxLength: 4 }).map((parts) => `/${parts.join('/')}`),
    { minLength: 1, maxLength: 30 },
  );
  const piece = fc.constantFrom(
    '/winter',
    '/*',
    '/:name',
    '/:name?',
    '{/*}?',
    '/w*',
    '/(a|w)',
    '/./a',
    '/..',
    'nt*',
    '/ü',
    '{/a}*',
  );
  const pattern = fc.array(piece, { minLength: 1, maxLength: 4 }).map((parts) => parts.join(''));

  test('finds by a pattern what trying every page finds', () => {
    fc.assert(
      fc.property(paths, pattern, (all, text) => {
        const pages = all.map((path) => makePage(path, path, path, { title: '', body: new Map() }, []));
        const site = makeSite('live', pages, []);
        const { condition, faults } = parseCondition(`path("${text}")`);
        const [term] = condition.alternatives[0] ?? [];
        if (faults.length > 0 || term?.kind !== 'path' || !term.pattern) return;
        const test = pathPattern(text);
        const found = [...conditionPages(condition, site)].map(({ path }) => path);
        expect(found).toEqual(site.pages.map(({ path }) => path).filter((path) => test(path)));
      }),
      { numRuns: runsOf(500, 10_000) },
    );
  });
});
