import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { verdictMeanings } from '../../src/core/check/verdict.js';
import { findingCodes } from '../../src/core/finding.js';
import { formerNames } from '../../src/core/former-names.js';
import { commands } from '../../src/cli/commands.js';
import type { Command } from '../../src/cli/command.js';
import { run, smallProject } from '../helpers.js';

const names = Object.keys(commands);
const loaded = async (name: string) => ((await commands[name]?.load()) as { command: Command }).command;
const directory = smallProject('@needle calm { pages: path("/"); @hide .x; }');

describe('Help', () => {
  test.each(names)('of %s has its own options before the common ones, and examples on one line each', async (name) => {
    const { status, out, log } = await run(directory, [name, '--help']);
    expect([status, log]).toEqual([0, '']);
    const { options = {}, formats = [], examples } = await loaded(name);
    if (Object.keys(options).length > 0)
      expect(out.indexOf('\nOptions:')).toBeLessThan(out.indexOf('\nCommon options:'));
    for (const option of Object.keys(options)) expect(out).toMatch(new RegExp(`--${option}\\b`));
    expect(out.includes('--format')).toBe(formats.length > 1);
    expect(examples.length).toBeGreaterThan(0);
    const lines = out.split('\n');
    for (const [example] of examples) {
      const line = lines.find((each) => each.trim().startsWith(example.replace('$0', 'local-needle')));
      expect([example, line?.length ?? 999]).toEqual([example, expect.any(Number)]);
      expect(line?.length).toBeLessThanOrEqual(80);
    }
    expect(Math.max(...lines.map((line) => line.length))).toBeLessThanOrEqual(80);
  });

  test('of the program lists every command and the first three steps', async () => {
    const { out } = await run(directory, ['--help']);
    for (const name of names) expect(out).toMatch(new RegExp(`local-needle ${name}\\b`));
    expect(out).toMatch(/init public[^]*local-needle pages[^]*local-needle check/);
    expect(out.trimEnd().split('\n').length).toBeLessThan(60);
  });
});

test.each([
  [[], /Name a command/, /--help/],
  [['chek'], /no command "chek"/, /Did you mean check\?/],
  [['why'], /Name the rule and the page: local-needle why RULE PAGE/, /why --help/],
  [['why', 'calm'], /Name the page: local-needle why RULE PAGE/, /why --help/],
  [['add'], /Name the rule: local-needle add NAME/, /add --help/],
  [['init'], /Name a folder of HTML or an address: local-needle init SOURCE\.\.\./, /init --help/],
  [['compare', 'live'], /Name two sites/, /compare --help/],
  [['rules', 'pause'], /Name the rule: local-needle rules pause RULE/, /local-needle rules/],
  [['pages', '/', 'more'], /"more" is one word too many/, /pages --help/],
  [['check', 'calmm'], /There is no rule "calmm"/, /Did you mean calm\?/],
  [['check', '--page', '/nope'], /live has no page \/nope/, /local-needle pages/],
  [['check', '--format', 'xml'], /--format cannot be "xml"/, /text, json, csv, sarif, junit, markdown, html/],
  [['check', '--viewport'], /--viewport needs a value/, /VALUE/],
  [['check', '--viewport', 'a', '--viewport', 'b'], /--viewport is given more than once/, /once/],
  [['check', '--vewport', 'a'], /check has no option --vewport/, /Did you mean --viewport\?/],
  [['check', 'calm', '--accept'], /all rules on all pages/, /Leave out/],
  [['find', 'p', '--timeout', 'soon'], /--timeout takes a number/, /--timeout 5/],
  [['completion', 'tcsh'], /cannot be "tcsh"/, /bash, zsh, fish/],
  [['explain', 'missing-elment'], /no finding or verdict/, /missing-element\?/],
  [['explain', 'beaten'], /no finding or verdict/, /now overridden/],
])('%j ends with status 2 and a sentence of our own', async (words, what, hint) => {
  const { status, out, log } = await run(directory, words);
  expect([status, out]).toEqual([2, '']);
  expect(log).toMatch(what);
  expect(log).toMatch(hint);
  expect(log).not.toMatch(/\\u000a|Internal error|yargs|non-option/);
});

describe('explain', () => {
  test.each([...Object.keys(findingCodes), ...Object.keys(verdictMeanings)])('has a page for %s', async (code) => {
    const { status, out } = await run(directory, ['explain', code]);
    expect(status).toBe(0);
    if (Object.hasOwn(verdictMeanings, code)) expect(out).toContain(`${code} (verdict)`);
    if (Object.hasOwn(findingCodes, code)) expect(out).toMatch(/\(finding\)\n[A-Z][^]*\n {4}\S[^]*What to do: /);
  });

  test('lists all without a code', async () => {
    const { out } = await run(directory, ['explain']);
    for (const code of [...Object.keys(findingCodes), ...Object.keys(verdictMeanings)])
      expect(out).toContain(`  ${code} `);
  });

  test('says of verdicts what docs/verdicts.md says', () => {
    const docs = readFileSync('docs/verdicts.md', 'utf8');
    for (const [verdict, meaning] of Object.entries(verdictMeanings))
      expect(docs).toContain(`| \`${verdict}\` | ${meaning} |`);
  });
});

describe('A word of before', () => {
  test.each(Object.entries(formerNames.command))('the command %s is told as %s', async (old, now) => {
    const { status, log } = await run(directory, [old]);
    expect([status, log]).toEqual([2, expect.stringContaining(`"${old}" is now ${now}.`)]);
  });

  test.each([
    ...Object.entries(formerNames.option).map(([old, now]) => [
      old === 'at-once' || old === 'anew'
        ? 'capture'
        : old === 'try' || old === 'late' || old === 'strength'
          ? 'add'
          : old === 'anyway'
            ? 'build'
            : 'find',
      old,
      now,
    ]),
  ])('%s --%s is told as %s', async (command, old, now) => {
    const { status, log } = await run(directory, [
      command,
      ...(command === 'add' || command === 'find' ? ['x'] : []),
      `--${old}`,
      '1',
    ]);
    expect([status, log]).toEqual([2, expect.stringContaining(`"${old}" is now ${now}.`)]);
  });

  test.each([
    ...Object.entries(formerNames.descriptor).flatMap(([old, now]) =>
      old === 'pseudo' ? [] : [[`@needle a { pages: all; ${old}: x; @hide .x; }`, old, now]],
    ),
    ...Object.entries(formerNames.finding).map(([old, now]) => [
      `@needle a { pages: all; allow: ${old} "x"; @hide .x; }`,
      old,
      now,
    ]),
    ['@guard .x;', 'guard', '@keep-visible'],
    ['@needle a { pages: all; @style url("x.css"); }', 'style', '@style-file'],
  ])('%s is told', async (text, old, now) => {
    const { status, log } = await run(smallProject(text), ['check']);
    expect([status, log]).toEqual([2, expect.stringContaining(`"${old}" is now ${now}.`)]);
  });

  test('in local-needle.yaml is told', async () => {
    const settings = 'version: 1\nsites: { live: { folder: public } }\nstates: { over: { pseudo: { a: hover } } }\n';
    const { status, log } = await run(smallProject('', { 'local-needle.yaml': settings }), ['check']);
    expect([status, log]).toEqual([2, expect.stringContaining('"pseudo" is now pseudo-class.')]);
  });

  test('is nowhere else in the program and its docs', () => {
    const files = execFileSync('git', ['ls-files', 'src', 'demo', 'docs/*.md', 'README.md'], { encoding: 'utf8' })
      .split('\n')
      .filter((file) => /\.(ts|css|html|md)$/.test(file) && !/former-names|decisions\.md/.test(file));
    const old =
      /\b(haystack|gather(s|ed|ing)?|drift(s|ed|ing)?|partly|beaten|weak-handle|unseen-stylesheet|no-(page|element|visitor|body|action)|bad-(css|path|script|swap)|strength: firm|arrives:|expects:)\b|@guard\b|@style\b(?!-)|(?<![\w-])needle\.(css|js)|data-needle|--(at-once|seconds|anew|try|late)\b/;
    const found = files.flatMap((file) =>
      readFileSync(join(process.cwd(), file), 'utf8')
        .split('\n')
        .flatMap((line, index) => (old.test(line) ? [`${file}:${index + 1} ${line.trim().slice(0, 100)}`] : [])),
    );
    expect(found).toEqual([]);
  });
});

describe('check narrowed', () => {
  const two = smallProject(
    '@needle calm { pages: path("/"), path("/legal"); @hide .x; }\n@needle other { pages: path("/"); @hide .gone; }',
  );
  test.each([
    [['calm'], ['calm on /', 'calm on /legal'], 1],
    [['--page', '/'], ['calm on /', 'other on /'], 1],
    [['calm', '--page', '/legal'], ['calm on /legal'], 1],
    [['other'], ['other on /'], 1],
  ])('%j', async (words, cells, errors) => {
    const { out, status } = await run(two, ['check', ...words, '--format', 'json']);
    const report = JSON.parse(out) as {
      cells: { rule: string; page: string }[];
      totals: { cells: number; errors: number };
      findings: unknown[];
    };
    expect(report.cells.map(({ rule, page }) => `${rule} on ${page}`)).toEqual(cells);
    expect(report.totals).toMatchObject({ cells: cells.length, errors });
    expect(status).toBe(errors > 0 ? 1 : 0);
  });

  test('--quiet leaves the table out', async () => {
    const { out } = await run(two, ['check', '--quiet']);
    expect(out).not.toContain('verdict\telements');
    expect(out).toMatch(/missing-element[^]*cells/);
  });
});
