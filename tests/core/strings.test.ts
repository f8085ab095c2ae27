import fc from 'fast-check';
import { parseCondition } from '../../src/core/target/condition.js';
import { pathCondition } from '../../src/core/target/path-condition.js';
import { ruleText, type NewRule } from '../../src/core/rule/write.js';
import { readRuleFile } from '../../src/project/rule-file.js';
import { folderWith, pageHtml, run, runsOf, smallProject } from '../helpers.js';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';

const read = (text: string) =>
  readRuleFile(text, 'a.css', 'a.css', (_from, url, at) => ({
    use: { url, at, path: url, content: null },
    fault: null,
  }));

const bare: NewRule = {
  ...{ name: 'a', note: null, pages: ['all'], except: [], important: false, addedByScript: false, paused: false },
  ...{ state: null, visitor: null },
  ...{ until: null, hide: [], onlyHere: [], swapImage: [], swapText: [], styles: [] },
};

describe('Text in a rule file', () => {
  test.each([
    ['"Gr\\FC\\DF e – Caf\\E9"', 'Grüße – Café'],
    ['"Grüße – Café"', 'Grüße – Café'],
    ['"a\\"b\\\\c"', 'a"b\\c'],
    ["'it\\'s'", "it's"],
    ['"\\1F600 x"', '😀x'],
    ['"a\\\nb"', 'ab'],
    ['"\\0 "', '\uFFFD'],
    ['"\\26 B"', '&B'],
  ])('%s stands for %s, in a note, a swap and a reason', (written, meant) => {
    const { rules, problems } = read(
      `@needle a { note: ${written}; pages: all; allow: partial ${written}; @swap .x { text: ${written}; } }`,
    );
    expect(problems).toEqual([]);
    const [action] = rules[0]?.actions ?? [];
    expect([rules[0]?.note, rules[0]?.allow[0]?.reason]).toEqual([meant, meant]);
    expect(action).toMatchObject({ text: meant });
  });

  test('is written as it was typed, and read again as it was meant', () => {
    const text = fc
      .string({ unit: 'grapheme', minLength: 1 })
      .map((each) => each.replace(/\s+/g, ' ').trim())
      .filter((each) => each !== '' && !/[\u0000-\u001f\u007f\ud800-\udfff]/.test(each));
    fc.assert(
      fc.property(text, text, (note, words) => {
        const written = ruleText({ ...bare, note, swapText: [['.x', words]] });
        const { rules, problems } = read(written);
        expect(problems).toEqual([]);
        expect([rules[0]?.note, rules[0]?.actions[0]]).toEqual([note, expect.objectContaining({ text: words })]);
      }),
      { numRuns: runsOf(300, 10_000) },
    );
  });

  test.each([
    ['path("/caf\\E9")', 'path', { path: '/caf%C3%A9' }],
    ['path("/a\\\\(b\\\\)")', 'path', { path: '/a\\(b\\)' }],
    ['body-class(caf\\E9)', 'body-class', { classes: ['café'] }],
    ['body-id("a\\20 b")', 'body-id', { value: 'a b' }],
    ['query("p=\\31 2")', 'query', { key: 'p', value: '12' }],
  ])('%s is a condition', (text, kind, expected) => {
    const { condition, faults } = parseCondition(text);
    expect(faults).toEqual([]);
    expect(condition.alternatives[0]?.[0]).toMatchObject({ kind, ...expected });
  });

  test('a path that is written as a condition is that path, whatever is in it', () => {
    fc.assert(
      fc.property(fc.array(fc.constantFrom('a', '(', ')', '*', '+', '{', '}', ':', '\\', '"', 'é', '/')), (parts) => {
        const path = `/${parts.join('')}`;
        // Two slashes at the beginning name another host; those at the end are none of a path.
        fc.pre(!path.includes('//') && !path.includes('\\'));
        const { condition, faults } = parseCondition(pathCondition(path));
        expect(faults).toEqual([]);
        const [term] = condition.alternatives[0] ?? [];
        if (term?.kind !== 'path') throw new Error('no path');
        const wanted = path.replace(/"/g, '%22');
        expect(
          term.pattern
            ? term.pattern(wanted)
            : term.path === new URL(`http://a${path}`).pathname.replace(/(.)\/$/, '$1'),
        ).toBe(true);
      }),
      { numRuns: runsOf(300, 10_000) },
    );
  });

  test('reaches the file, the report and what ships', async () => {
    const directory = smallProject('');
    const words = ['--swap-text', '.x', 'Grüße – Café "Anker"', '--note', 'Été', '--file', 'rules/b.css'];
    const added = await run(directory, ['add', 'hello', '--path', '/', ...words]);
    expect([added.status, added.log]).toEqual([0, '']);
    const file = readFileSync(join(directory, 'rules/b.css'), 'utf8');
    expect(file).toContain('note: "Été";');
    expect(file).toContain('text: "Grüße – Café \\"Anker\\""');
    await run(directory, ['build', '--out', 'out']);
    const script = readFileSync(join(directory, 'out/local-needle.js'), 'utf8');
    expect(script).toMatch(/Grüße – Café \\"Anker\\"|Gr\\u00fc\\u00dfe/);
    expect(script).not.toContain('\\\\FC');
  });

  test('names a file with a space by an escape', async () => {
    const directory = folderWith({
      'local-needle.yaml': 'version: 1\nsites: { live: { folder: public } }\n',
      'rules/a.css': '@needle a { pages: path("/"); .x { background: url(pier\\20 one.svg); } }',
      'rules/pier one.svg': '<svg xmlns="http://www.w3.org/2000/svg"/>',
      'public/index.html': pageHtml('class="page-1"', '<p class="x">a</p>'),
    });
    expect((await run(directory, ['build', '--out', 'out'])).status).toBe(0);
    expect(readFileSync(join(directory, 'out/local-needle.css'), 'utf8')).toMatch(
      /url\("files\/pier(-|%20)one-\w{8}\.svg"\)/,
    );
  });
});
