import type { Cell, CheckReport, Verdict } from '../../src/core/check/verdict.js';
import { reportJson } from '../../src/report/json.js';
import { mapHtml } from '../../src/report/map.js';
import { cpSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join } from 'node:path';
import { default as Ajv04 } from 'ajv-draft-04';
import { XMLParser, XMLValidator } from 'fast-xml-parser';
import { findingCodes } from '../../src/core/finding.js';
import { folderWith, pageHtml, run, smallProject } from '../helpers.js';

const hostile = `<script>alert(1)</script>`;
const project = () =>
  folderWith({
    'local-needle.yaml': 'version: 1\nsites: { live: { folder: public } }\n',
    'rules/a.css': `@needle calm { pages: page-id(1); @hide .x, .gone; }
@needle odd { pages: page-id(2); .x { color: teal; } [title="a,b\\"<i>"] { color: red; } }
@needle soon { pages: page-id(1); @script url("../s.js"); }
@needle lost { pages: path("/nowhere"); @hide .x; }`,
    's.js': 'go();',
    'public/index.html': pageHtml('class="page-1"', '<p class="x">a</p>', hostile),
    'public/",<script>.html': pageHtml('class="page-2"', '<p class="x">a</p><p title="a,b&quot;&lt;i>">b</p>', hostile),
  });

/** What `check` writes in a form. */
async function inForm(format: string) {
  const directory = project();
  const { status, out } = await run(directory, ['check', '--format', format, '--out', `made/report.${format}`]);
  expect([status, out]).toEqual([1, expect.stringMatching(/^made\/report\.\w+: 3 cells: .* 2 errors/)]);
  expect(readdirSync(join(directory, 'made'))).toEqual([`report.${format}`]);
  const text = readFileSync(join(directory, 'made', `report.${format}`), 'utf8');
  // The same on stdout.
  expect((await run(directory, ['check', '--format', format])).out.trim()).toBe(text.trim());
  return text;
}

test('JSON in parts is that of the whole report', async () => {
  const report = JSON.parse((await run(project(), ['check', '--format', 'json'])).out) as CheckReport;
  for (const length of [0, 1, 200, 201, 450]) {
    const long = { ...report, notes: [], cells: Array.from({ length }, (_, index) => report.cells[index % 3]!) };
    expect(reportJson(long)).toBe(JSON.stringify(long, null, 2));
  }
});

test('check --profile writes where the time went, and the report is the same', async () => {
  const directory = project();
  const plain = await run(directory, ['check', '--format', 'json']);
  const words = ['check', '--format', 'json', '--profile', 'made/profile.json'];
  const read = () => JSON.parse(readFileSync(join(directory, 'made/profile.json'), 'utf8'));
  rmSync(join(directory, '.local-needle'), { recursive: true, force: true });
  expect((await run(directory, words)).out).toBe(plain.out);
  const { kind, ms, steps, pages } = read();
  const sumOf = (list: { ms: number }[]) => list.reduce((sum, each) => sum + each.ms, 0);
  expect([kind, pages.map(({ path }: { path: string }) => path).sort()]).toEqual([
    'local-needle.profile',
    ['/', '/%22%2C%3Cscript%3E.html'],
  ]);
  // Steps come one after the other, and those of a page are among them.
  expect(sumOf(steps)).toBeLessThanOrEqual(ms + 0.1);
  expect(sumOf(pages)).toBeLessThanOrEqual(sumOf(steps) + 0.1);
  expect(steps.find(({ step }: { step: string }) => step === 'judge').times).toBe(2);
  expect(pages.map(({ ms: each }: { ms: number }) => each)).toEqual(
    pages.map(({ ms: each }: { ms: number }) => each).sort((a: number, b: number) => b - a),
  );
  expect((await run(directory, ['check', '--watch', '--profile', 'x.json'])).log).toContain(
    '--profile is for a single check',
  );
});

describe('check --format', () => {
  test('csv has a line for each action, by RFC 4180', async () => {
    const lines = (await inForm('csv')).split('\r\n');
    expect(lines[0]).toBe('rule,page,verdict,sure,action,selector,elements,pairs,won,file,line');
    expect(lines).toContain('calm,/,hit,yes,hide,.x,1,1,1,rules/a.css,1');
    expect(lines).toContain('calm,/,hit,yes,hide,.gone,0,0,0,rules/a.css,1');
    expect(lines.find((line) => line.includes('title='))).toContain('"[title=""a,b\\""<i>""]",1,1,1,');
    expect(lines.at(-1)).toBe('');
  });

  test('sarif is valid by its schema, and puts findings on their lines', async () => {
    const log = JSON.parse(await inForm('sarif'));
    const schema = createRequire(import.meta.url)('@microsoft/jest-sarif/lib/schemas/sarif-2.1.0-rtm.5.json');
    const ajv = new Ajv04.default({ strict: false, validateFormats: false, unicodeRegExp: false });
    ajv.validate(schema, log);
    expect(ajv.errors).toBeNull();
    const found = log.runs[0].results.map(
      (each: { ruleId: string; level: string; locations: { physicalLocation: object }[] }) => [
        each.ruleId,
        each.level,
        each.locations[0]?.physicalLocation,
      ],
    );
    const at = (startLine: number, startColumn: number) => ({
      artifactLocation: { uri: 'rules/a.css' },
      region: { startLine, startColumn },
    });
    expect(found).toContainEqual(['missing-element', 'error', at(1, 45)]);
    expect(found).toContainEqual(['missing-page', 'error', at(4, 23)]);
  });

  test('sarif and junit name files from the repository’s root, and findings keep their identity when lines move', async () => {
    const root = folderWith({ '.git/HEAD': '', 'site/tool/.keep': '' });
    const project = smallProject('@needle a { pages: path("/"); @hide .gone; @hide .gone; }');
    cpSync(project, join(root, 'site/tool'), { recursive: true });
    const directory = join(root, 'site/tool');
    const read = async () => {
      const { runs } = JSON.parse((await run(directory, ['check', '--format', 'sarif'])).out);
      return runs[0].results.map(
        (each: { partialFingerprints: object; locations: { physicalLocation: { artifactLocation: object } }[] }) => [
          each.partialFingerprints,
          each.locations[0]?.physicalLocation.artifactLocation,
        ],
      );
    };
    const before = await read();
    expect(before.map(([, at]: [object, object]) => at)).toEqual(Array(2).fill({ uri: 'site/tool/rules/a.css' }));
    const identities = before.map(([identity]: [object]) => JSON.stringify(identity));
    expect(new Set(identities).size).toBe(2);
    writeFileSync(
      join(directory, 'rules/a.css'),
      `\n\n/* Moved. */\n${readFileSync(join(directory, 'rules/a.css'), 'utf8')}`,
    );
    expect(await read()).toEqual(before);
    const junit = (await run(directory, ['check', '--format', 'junit'])).out;
    expect(junit).toContain('file="site/tool/rules/a.css"');
    const sarif = JSON.parse((await run(directory, ['check', '--format', 'sarif'])).out);
    expect(sarif.runs[0].tool.driver.rules[0].help.markdown).toContain('What to do: correct the selector');
  });

  test('junit has a case for each rule and page, and one for what belongs to none', async () => {
    const text = await inForm('junit');
    expect(XMLValidator.validate(text)).toBe(true);
    const parser = new XMLParser({
      ignoreAttributes: false,
      isArray: (name) => name === 'testcase' || name === 'failure',
    });
    const { testsuites } = parser.parse(text);
    const cases = testsuites.testsuite.testcase as Record<string, unknown>[];
    expect(cases.map((each) => [each['@_name'], 'failure' in each, 'skipped' in each])).toEqual([
      ['calm on /', true, false],
      ['odd on /%22%2C%3Cscript%3E.html', false, false],
      ['soon on /', false, true],
      ['missing-page: lost', true, false],
    ]);
    expect([testsuites['@_tests'], testsuites['@_failures'], testsuites['@_skipped']]).toEqual(['4', '2', '1']);
  });

  test('html holds no markup of pages, and can be read without JavaScript', async () => {
    const text = await inForm('html');
    expect(text).not.toContain('<script>alert');
    expect(text).not.toContain('"a,b\\"<i>"');
    expect(text).toContain('[title=&quot;a,b\\&quot;&lt;i&gt;&quot;]');
    expect(text.replace(/<script>[^]*?<\/script>/g, '')).toMatch(/calm[^]*?\.gone[^]*?0 elements/);
    expect(text).not.toMatch(/(src|href)="?http/);
  });

  test('text names where each finding is explained: what it means, an example, what to do', async () => {
    expect(await inForm('text')).toContain('local-needle explain missing-element, missing-page\n');
    const explained = readFileSync('docs/findings.md', 'utf8');
    for (const code of Object.keys(findingCodes))
      expect(explained).toMatch(new RegExp(`\n### ${code}\n\n[A-Z].*\n\n\`\`\`\n[^\`]+→[^\`]+\`\`\`\n\nWhat to do: `));
  });

  test('a report that cannot be written is told, and a watch writes none', async () => {
    const directory = project();
    const { status, log } = await run(directory, ['check', '--format', 'csv', '--out', 's.js/report.csv']);
    expect([status, log]).toEqual([3, expect.stringMatching(/s\.js\/report\.csv cannot be written/)]);
    expect((await run(directory, ['check', '--watch', '--out', 'a.txt'])).status).toBe(2);
  });
});

describe('The map of an HTML report', () => {
  const cell = (rule: string, page: string, verdict: Verdict): Cell => ({
    rule,
    page,
    verdict,
    sure: true,
    actions: [],
  });
  const mapOf = (cells: Cell[]) =>
    mapHtml({
      cells,
      rules: [...new Set(cells.map(({ rule }) => rule))].map((rule) => ({
        ...{ rule, file: 'rules/a.css', line: 1, note: null, paused: false, status: 'active' as const, pages: [] },
      })),
    });
  const squaresOf = (html: string, tone: string) =>
    new RegExp(`<path class="${tone}" d="([^"]*)"`).exec(html)?.[1]?.match(/M/g)?.length ?? 0;

  test('has a square for each cell, in its verdict', () => {
    const html = mapOf([
      ...['/', '/tickets', '/tickets/pay'].map((page) => cell('calm', page, 'hit')),
      cell('<b>', '/', 'overridden'),
      cell('<b>', '/tickets', 'no-match'),
    ]);
    expect(['good', 'bad', 'odd'].map((tone) => squaresOf(html, tone))).toEqual([3, 1, 0]);
    expect(html.match(/<path/g)).toHaveLength(3);
    expect(html).toContain('&lt;b&gt;');
    expect(html).toContain('✓ hit   – no-match   × overridden');
  });

  test('stands for sections where there are many pages, each with its worst verdict and how many have it', () => {
    const pages = Array.from({ length: 200 }, (_, number) => `/${number < 150 ? 'journal' : 'routes'}/${number}`);
    const html = mapOf(
      pages.flatMap((page, number) => [cell('a', page, number < 3 ? 'partial' : 'hit'), cell('b', page, 'hit')]),
    );
    expect([squaresOf(html, 'good'), squaresOf(html, 'odd')]).toEqual([3, 1]);
    for (const said of ['>~ 3<', '>✓ 150<', '>✓ 50<', '>/journal<', '>/routes<', '2 rules against 200 pages'])
      expect(html).toContain(said);
  });

  test('is left out where it would say little', () => {
    expect(mapOf([cell('a', '/', 'hit'), cell('a', '/b', 'hit')])).toBe('');
  });
});

test('Markdown for a review says what is wrong, and nothing in it is more than text', async () => {
  const directory = smallProject(
    '@needle bad|rule { pages: path("/"); @hide .no; }\n'.replace('|', '-') +
      '@needle odd { note: "x"; pages: path("/"); @hide [title="|a` <b>*c* https://evil.example @crew"]; }',
  );
  const { out, status } = await run(directory, ['check', '--format', 'markdown']);
  expect(status).toBe(1);
  expect(out).toMatch(
    /^\*\*live\*\* at desktop: \*\*2 errors\*\*, no warnings|^\*\*live\*\* at desktop: \*\*2 errors\*\*/,
  );
  const rows = out.split('\n').filter((line) => line.startsWith('| error'));
  expect(rows[0]).toMatch(
    /^\| error<br>`missing-element` \| `bad-rule`<br>`rules\/a\.css:1` \| \.no matches nothing on \//,
  );
  for (const row of rows) expect(row.match(/(?<!\\)\|/g)).toHaveLength(4);
  expect(rows[1]).toMatch(/\\\|a\\` \\<b\\>\\\*c\\\* https\\:\/\/evil\.example @\u200bcrew/);
});

test('the page of 50 rules on 60 pages, with hundreds of errors, is small and says every verdict', async () => {
  const directory = folderWith({
    'local-needle.yaml': 'version: 1\nsites: { live: { folder: public } }\n',
    'rules/a.css': Array.from(
      { length: 50 },
      (_none, at) =>
        `@needle rule-${at} { note: "Rule ${at}."; pages: all; .${at % 8 === 0 ? `gone-${at}` : 'x'} { margin-top: ${at + 1}px; } }`,
    ).join('\n'),
    ...Object.fromEntries(
      Array.from({ length: 60 }, (_none, at) => [
        `public/routes/route-${at}.html`,
        pageHtml(`class="page-${at}"`, '<p class="x">Ferry</p>'.repeat(at + 1)),
      ]),
    ),
  });
  const { out } = await run(directory, ['check', '--format', 'html', '--fail-on', 'never']);
  expect(out).toMatch(/50 rules, 60 pages, 3000 cells\. <strong class="error">\d{3,} errors/);
  expect(Buffer.byteLength(out)).toBeLessThan(400_000);
  // What hits everywhere is one row, from the least to the most elements; the map has a sign for each cell.
  expect(out).toContain('1 to 60 elements');
  expect([...(/<g class="signs">([^]*?)<\/g>/.exec(out)?.[1]?.replace(/<[^>]*>/g, '') ?? '')]).toHaveLength(3000);
});
