import fc from 'fast-check';
import stringWidth from 'string-width';
import type { CheckReport } from '../../src/core/check/verdict.js';
import { mapLines } from '../../src/report/map-text.js';
import { finding } from '../../src/core/finding.js';
import { findingsText, groupFindings } from '../../src/report/check-text.js';
import { plainStyle, styleFor, table, wrapped, type Column, type Style } from '../../src/report/text.js';
import { run, runsOf, smallProject } from '../helpers.js';

const at = (width: number): Style => ({ ...plainStyle, width });
const pageColumns: Column[] = [
  { title: 'path' },
  { title: 'handles', shorten: 10 },
  { title: 'classes', shorten: 8, drop: true },
  { title: 'title', shorten: 8, drop: true },
];
const rows = [
  ['/tickets/pay', 'body.page-46 body[id="pay"]', '.section-tickets .is-step', 'Payment'],
  ['/', 'body.page-1', '', 'Ferries to the islands'],
];

describe('A table', () => {
  test.each([
    [100, 'path handles classes title', /Ferries to the islands/],
    [82, 'path handles classes title', /Ferries t…/],
    [60, 'path handles classes', /\.section-ticke…/],
    [48, 'path handles', /body\.page-46 body\[id="pay"\]/],
    [30, 'path handles', /body\.page-46 …/],
    [10, 'path handles', /\/tickets\/pay/],
  ])('at %d columns has one line a row: %s', (width, head, shown) => {
    const lines = table(pageColumns, rows, at(width)).split('\n');
    expect(lines).toHaveLength(3);
    expect(lines[0]?.trim().split(/\s+/).join(' ')).toBe(head);
    expect(lines.join('\n')).toMatch(shown);
    // Paths are never cut, however narrow it is.
    expect(lines[1]).toContain('/tickets/pay');
    if (width >= 30) expect(Math.max(...lines.map((line) => line.length))).toBeLessThanOrEqual(width);
  });

  test('wraps the column that says so', () => {
    const lines = table(
      [{ title: 'rule' }, { title: 'note', wrap: 20 }],
      [['calm', 'Nobody should be led away.']],
      at(30),
    );
    expect(lines).toMatch(/calm +Nobody should be led\n +away\./);
  });

  test('elsewhere than on a terminal cuts nothing, and parts its columns by tabs', () => {
    expect(table(pageColumns, rows, plainStyle).split('\n')).toEqual([
      'path\thandles\tclasses\ttitle',
      ...rows.map((row) => row.join('\t')),
    ]);
  });

  test('never is wider than the terminal where its columns can give way', () => {
    const cell = fc
      .string({ unit: fc.constantFrom('a', ' ', '/', 'é', '字', '-'), maxLength: 60 })
      .map((text) => text.trim());
    fc.assert(
      fc.property(
        fc.array(fc.tuple(cell, cell, cell), { minLength: 1, maxLength: 5 }),
        fc.integer({ min: 40, max: 120 }),
        (all, width) => {
          const columns: Column[] = [
            { title: 'a', shorten: 8 },
            { title: 'b', shorten: 8, drop: true },
            { title: 'c', shorten: 8, drop: true },
          ];
          for (const line of table(
            columns,
            all.map((row) => [...row]),
            at(width),
          ).split('\n'))
            expect(stringWidth(line)).toBeLessThanOrEqual(width);
        },
      ),
      { numRuns: runsOf(200, 5000) },
    );
  });
});

describe('Text on a terminal', () => {
  test.each([
    ['  a finding that goes on and on', 20, 0, '  a finding that\n  goes on and on'],
    ['  → a hint that goes on and on', 20, 2, '  → a hint that goes\n    on and on'],
    ['short', 20, 0, 'short'],
    ['a-word-that-cannot-be-broken-anywhere', 20, 0, 'a-word-that-cannot-be-broken-anywhere'],
  ])('%j at %d columns', (text, width, further, expected) => {
    expect(wrapped(text, at(width), further)).toBe(expected);
  });

  test('elsewhere is not wrapped', () => {
    const text = 'a sentence '.repeat(40);
    expect(wrapped(text, plainStyle)).toBe(text);
  });

  test.each([
    [true, {}, true],
    [false, {}, false],
    [true, { NO_COLOR: '1' }, false],
    [false, { FORCE_COLOR: '1' }, true],
    [true, { FORCE_COLOR: '0' }, false],
    [false, { FORCE_COLOR: '1', NO_COLOR: '1' }, true],
  ])('on a terminal: %s, with %j, has colours: %s', (isTTY, environment, expected) => {
    const { colour } = styleFor({ isTTY, columns: 80 }, environment);
    expect(colour.red('x') !== 'x').toBe(expected);
  });

  test('has an amber that can be read on white where there are enough colours', () => {
    const { colour } = styleFor({ isTTY: true }, { TERM: 'xterm-256color' });
    expect(colour.amber('x')).toContain('38;5;130');
  });

  test('--no-color turns colours off, also where they are forced', async () => {
    const directory = smallProject('@needle a { pages: path("/"); @hide .gone; }');
    const forced = await run(directory, ['check'], { FORCE_COLOR: '1' });
    expect(forced.out).toContain('\u001b[');
    expect((await run(directory, ['check', '--no-color'], { FORCE_COLOR: '1' })).out).not.toContain('\u001b[');
  });
});

describe('Findings', () => {
  const place = (line: number) => ({ file: 'rules/a.css', line, column: 3 });
  const specific = (rule: string, line: number) =>
    finding('site-specific-id', 'page-id(46) matches /pay on live, and no page on staging', { rule, at: place(line) });
  const missing = (rule: string, page: string, line: number) =>
    finding('missing-element', `.x matches nothing on ${page}`, { rule, page, at: place(line) });

  test.each([
    ['that differ in their rule', [specific('a', 1), specific('b', 9)], [2]],
    ['that differ in their page', [missing('a', '/', 1), missing('a', '/pay', 1)], [2]],
    ['of two rules about pages', [missing('a', '/', 1), missing('b', '/', 9)], [1, 1]],
    ['of two codes', [specific('a', 1), finding('missing-action', '"a" does nothing', { rule: 'a' })], [1, 1]],
    [
      'that name their rule',
      [
        finding('missing-action', '"a" does nothing', { rule: 'a', at: place(1) }),
        finding('missing-action', '"b" does nothing', { rule: 'b', at: place(4) }),
      ],
      [2],
    ],
  ])('%s are told together or apart', (_what, findings, sizes) => {
    expect(groupFindings(findings).map((group) => group.length)).toEqual(sizes);
  });

  test('name the rules and pages that share one', () => {
    const text = findingsText([specific('a', 1), specific('b', 9), specific('c', 12)], plainStyle).join('\n');
    expect(text).toContain('the same for b, c');
    expect(findingsText([missing('a', '/', 1), missing('a', '/pay', 1)], plainStyle).join('\n')).toContain(
      'the same on /pay',
    );
  });
});

describe('The map of a check', () => {
  const verdicts = ['hit', 'overridden', 'no-match'] as const;
  const report = (pages: number, rules: number) => {
    const names = [...Array(rules).keys()].map((each) => `rule-${each}`);
    const cells = names.flatMap((rule, row) =>
      [...Array(pages).keys()]
        .filter((each) => each % (row + 1) === 0)
        .map((each) => ({ rule, page: `/part-${each % 7}/${each}`, verdict: verdicts[row % 3] ?? 'hit' })),
    );
    const stated = names.map((rule) => ({ rule }));
    return { cells, rules: stated } as unknown as Pick<CheckReport, 'cells' | 'rules'>;
  };

  test.each([
    [119, 20, 5, 0],
    [Infinity, 20, 5, 0],
    [140, 2, 5, 0],
    [140, 20, 2, 0],
    [140, 20, 5, 5],
    [140, 100, 5, 5],
    [140, 5000, 40, 40],
    [140, 20, 61, 0],
  ])('at %d columns has lines for %d pages and %d rules: %d', (width, pages, rules, expected) => {
    const given = report(pages, rules);
    const lines = mapLines(given, at(width));
    const rows = lines.filter((line) => line.startsWith('rule-'));
    expect(rows).toHaveLength(expected);
    for (const line of lines) expect(stringWidth(line)).toBeLessThanOrEqual(width);
    if (pages > 100 || expected === 0) return;
    // Every cell has its sign, and no other.
    const signs = rows.map((line) => line.replace(/^\S+/, '').replace(/[·\s]/g, ''));
    const wanted = [...Array(rules).keys()].map((row) =>
      ['✓', '×', '–'][row % 3]?.repeat(Math.ceil(pages / (row + 1))),
    );
    expect(signs).toEqual(wanted);
  });
});
