import { folderWith, pageHtml, run } from '../helpers.js';

/** A colour code, a C1 control, a bell and a bidirectional override. */
const evil = '\u001b[31mX\u009b\u0007\u202e';
const controls = /[\u0000-\u0008\u000b-\u001f\u007f-\u009f\u200e\u200f\u202a-\u202e\u2066-\u2069]/;

describe('Names, titles and arguments that hold control characters', () => {
  const page = pageHtml(
    `class="page-1 k${evil}" id="i${evil}"`,
    `<p class="x${evil}">a${evil}</p><p>b</p>`,
    `T${evil}`,
  );
  const directory = (rules: string) =>
    folderWith({
      'local-needle.yaml': 'version: 1\nsites: { live: { folder: public }, other: { folder: public } }\n',
      'public/index.html': page,
      [`public/f${evil}.html`]: pageHtml('class="page-2"', '<p>c</p>'),
      [`rules/a${evil}.css`]: rules,
      [`old${evil}.css`]: `body.page-1 p { color: red; } .z${evil} { color: red }`,
    });
  const sound = `@needle a { note: "n${evil}"; pages: page-id(1); p { color: teal; } @hide .y; }
@needle b { pages: path("/x"); @swap p { text: "t"; } }`;
  const broken = `@needle a { note: "n${evil}"; pages: path("/x${evil}"); @hide .y${evil}; @zz {} }`;

  test.each([
    ...[sound, broken].flatMap((rules) => [
      [['check'], rules],
      [['check', '--quiet'], rules],
      [['rules'], rules],
      [['why', 'a', '/'], rules],
      [['find', 'p'], rules],
      [['find', '--text', 'a'], rules],
      [['build', '--out', `o${evil}`, '--force'], rules],
      [['build', '--as', 'snippets', '--out', `s${evil}`, '--force'], rules],
      [['build', '--as', 'pages', '--out', `p${evil}`, '--force'], rules],
      [['compare', 'live', 'other'], rules],
      [['add', 'n', '--path', '/', '--hide', `p${evil}`, '--note', evil], rules],
      [['check', '--out', `r${evil}/x.txt`], rules],
      [['convert', `old${evil}.css`], rules],
    ]),
    [['pages'], ''],
    [['pages', '/'], ''],
    [['pages', '--path', `/${evil}*`], ''],
    [['pages', `/n${evil}`], ''],
    [['find', `.x${evil}`], ''],
    [['explain', evil], ''],
    [[evil], ''],
    [['init', `pu${evil}`], ''],
    [['check', '--site', evil], ''],
    [['check', '--page', evil], ''],
    [['check', '--viewport', evil], ''],
    [['check', '--format', evil], ''],
    [['completion', evil], ''],
    [['rules', 'pause', evil], ''],
    [['convert', `/nope${evil}.css`], ''],
    [['check', '--project', `/nope${evil}`], ''],
  ] as [string[], string][])('%j steer no terminal', async (words, rules) => {
    const { out, log } = await run(directory(rules), words);
    expect(out + log).not.toMatch(controls);
    expect(out + log).not.toBe('');
  });

  test.each(['../up', '', 'a b', 'a/b', evil, '1st'])('a site cannot be called %j', async (name) => {
    const project = folderWith({
      'local-needle.yaml': `version: 1\nsites: { ${JSON.stringify(name)}: { folder: public } }\n`,
      'public/index.html': page,
    });
    const { status, log } = await run(project, ['build', '--all-sites']);
    expect([status, log]).toEqual([2, expect.stringContaining('is not a valid name')]);
  });

  test.each(['__proto__', 'constructor', 'toString'])('%s is a name like others', async (name) => {
    const project = folderWith({
      'local-needle.yaml': `version: 1\nsites: { ${name}: { folder: public } }\nstates: { ${name}: { add-class: { p: ${name} } } }\nviewports: { ${name}: 800x600 }\nvisitors: { ${name}: { cookies: { a: b } } }\n`,
      'rules/a.css': `@needle ${name} { pages: path("/"); state: ${name}; viewport: ${name}; .${name} { color: teal; } }`,
      'public/index.html': page,
    });
    const { status, out, log } = await run(project, ['check', '--format', 'json', '--state', name]);
    expect([status, log]).toEqual([0, '']);
    const { cells, site, rules } = JSON.parse(out) as { cells: { verdict: string }[]; site: string; rules: object[] };
    expect([site, rules.length, cells.map(({ verdict }) => verdict)]).toEqual([name, 1, ['hit']]);
    expect((await run(project, ['why', name, '/'])).status).toBe(0);
    expect((await run(project, ['explain', name])).status).toBe(2);
    expect((await run(project, ['pages', name])).status).toBe(2);
  });
});
