import { spawn, type ChildProcess } from 'node:child_process';
import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import {
  createProtocolConnection,
  StreamMessageReader,
  StreamMessageWriter,
  type CodeAction,
  type CodeLens,
  type CompletionList,
  type Diagnostic,
  type DocumentSymbol,
  type Hover,
  type Location,
  type ProtocolConnection,
  type WorkspaceEdit,
} from 'vscode-languageserver-protocol/node';
import { contextAt, rangeAt } from '../../src/editor/context.js';
import { descriptors } from '../../src/editor/words.js';
import { RuleDescriptors } from '../../src/project/configuration.js';
import { knownKeys } from '../../src/project/shape.js';
import { folderWith, pageHtml, smallProject } from '../helpers.js';

/** A client of the built server, as an editor is one. */
class Editor {
  private readonly child: ChildProcess;
  private readonly connection: ProtocolConnection;
  private readonly told = new Map<string, Diagnostic[]>();
  private readonly waiting = new Set<() => void>();
  private version = 1;
  refreshed = 0;

  constructor(
    readonly directory: string,
    words: string[] = [],
  ) {
    const program = join(process.cwd(), 'dist/program/local-needle.js');
    this.child = spawn(process.execPath, [program, 'language-server', ...words], {
      stdio: ['pipe', 'pipe', 'inherit'],
    });
    const { stdin, stdout } = this.child;
    if (!stdin || !stdout) throw new Error('The server has no streams');
    this.connection = createProtocolConnection(new StreamMessageReader(stdout), new StreamMessageWriter(stdin));
    this.connection.onNotification('textDocument/publishDiagnostics', ({ uri, diagnostics }) => {
      this.told.set(uri, diagnostics);
      for (const look of this.waiting) look();
    });
    this.connection.onRequest('client/registerCapability', () => null);
    this.connection.onRequest('workspace/codeLens/refresh', () => void this.refreshed++);
    this.connection.listen();
  }

  uri = (file: string) => pathToFileURL(join(this.directory, file)).href;

  async start(): Promise<this> {
    const capabilities = { workspace: { codeLens: { refreshSupport: true } } };
    await this.ask('initialize', { processId: process.pid, rootUri: null, capabilities });
    await this.say('initialized', {});
    return this;
  }

  async stop(): Promise<number | null> {
    await this.ask('shutdown', undefined);
    const ended = new Promise<number | null>((done) => this.child.once('exit', done));
    await this.say('exit', undefined);
    return ended;
  }

  ask = <T>(method: string, params: unknown): Promise<T> => this.connection.sendRequest(method, params) as Promise<T>;
  say = (method: string, params: unknown) => this.connection.sendNotification(method, params);

  open = (file: string, text = readFileSync(join(this.directory, file), 'utf8')) =>
    this.say('textDocument/didOpen', { textDocument: { uri: this.uri(file), languageId: 'css', version: 1, text } });

  change = (file: string, text: string) =>
    this.say('textDocument/didChange', {
      textDocument: { uri: this.uri(file), version: ++this.version },
      contentChanges: [{ text }],
    });

  /** Waits until the diagnostics of a file are as asked. */
  until(file: string, ok: (diagnostics: Diagnostic[]) => boolean): Promise<Diagnostic[]> {
    return new Promise((done) => {
      const look = () => {
        const now = this.told.get(this.uri(file));
        if (!now || !ok(now)) return;
        this.waiting.delete(look);
        done(now);
      };
      this.waiting.add(look);
      look();
    });
  }

  at = (file: string, text: string, mark: string, more = 0) => {
    const before = text.slice(0, text.indexOf(mark) + more);
    return {
      textDocument: { uri: this.uri(file) },
      position: { line: before.split('\n').length - 1, character: before.length - before.lastIndexOf('\n') - 1 },
    };
  };
}

const file = 'rules/a.css';
const text = `@needle calm {
  note: "Only the way to pay.";
  pages: path("/"), path("/tickets/pay.html");
  @hide .masthaed;
}
@needle other { pages: path("/"); .x { color: teal; } }
@needle later { pages: path("/legal"); paused: yes; @hide .masthead; }
`;

describe('An editor', () => {
  let editor: Editor;
  beforeAll(async () => {
    editor = await new Editor(smallProject(text)).start();
    await editor.open(file);
  });
  afterAll(async () => expect(await editor.stop()).toBe(0));
  const ask = <T>(method: string, mark: string, more = 0, params: object = {}) =>
    editor.ask<T>(`textDocument/${method}`, { ...editor.at(file, text, mark, more), ...params });
  const labels = async (now: string, mark: string, more = mark.length) => {
    await editor.change(file, now);
    const list = await editor.ask<CompletionList>('textDocument/completion', editor.at(file, now, mark, more));
    await editor.change(file, text);
    return list.items;
  };

  test('is told what is found, at its place', async () => {
    const found = await editor.until(file, (all) => all.some(({ code }) => code === 'missing-element'));
    const missing = found.find(({ code }) => code === 'missing-element');
    expect(missing).toMatchObject({
      range: { start: { line: 3, character: 8 }, end: { line: 3, character: 17 } },
      severity: 1,
      source: 'local-needle',
      codeDescription: { href: expect.stringMatching(/findings\.md#missing-element$/) },
      message: '.masthaed matches nothing on /. .masthead matches 1 there (typo). The same on /tickets/pay.html.',
    });
    expect(found.find(({ tags }) => tags?.includes(1))?.message).toMatch(/"later" is paused/);
  });

  test('has what each rule does above it', async () => {
    const lenses = await editor.ask<CodeLens[]>('textDocument/codeLens', { textDocument: { uri: editor.uri(file) } });
    expect(lenses.map(({ command }) => command?.title)).toEqual([
      'hits 0 of 2 pages, no-match on 2',
      'hits 1 of 1 page',
      'paused',
    ]);
  });

  test('mends with one action, and sees it while the text is not saved', async () => {
    const [diagnostic] = await editor.until(file, (all) => all.length > 0);
    const actions = await editor.ask<CodeAction[]>('textDocument/codeAction', {
      textDocument: { uri: editor.uri(file) },
      range: diagnostic?.range,
      context: { diagnostics: [diagnostic] },
    });
    expect(actions.map(({ title, isPreferred }) => [title, isPreferred])).toEqual([
      ['Replace .masthaed by .masthead (hit)', true],
    ]);
    const [edit] = actions[0]?.edit?.changes?.[editor.uri(file)] ?? [];
    expect(edit).toEqual({ range: diagnostic?.range, newText: '.masthead' });
    const before = editor.refreshed;
    await editor.change(file, text.replace('.masthaed', '.masthead'));
    await editor.until(file, (all) => !all.some(({ code }) => code === 'missing-element'));
    for (let tries = 0; editor.refreshed === before && tries < 100; tries++)
      await new Promise((done) => setTimeout(done, 20));
    const [lens] = await editor.ask<CodeLens[]>('textDocument/codeLens', { textDocument: { uri: editor.uri(file) } });
    expect(lens?.command?.title).toBe('hits 2 of 2 pages');
    await editor.change(file, text);
    await editor.until(file, (all) => all.some(({ code }) => code === 'missing-element'));
  });

  test.each<[mark: string, more: number, said: RegExp]>([
    ['@needle calm', 9, /`Only the way to pay\.`\nhits 0 of 2 pages[\s\S]*- `\/` no-match/],
    ['path("/")', 3, /1 page\n\n- `\/` `Saltmere` `page-id\(1\) \.page-1 \.home`/],
    ['path("/tickets', 3, /1 page\n\n- `\/tickets\/pay\.html`/],
    ['.masthaed', 3, /Specificity \(0,1,0\).*Matches on no other page\.\n\n- `\/` 0 elements/],
    ['.x {', 1, /- `\/` 2 elements/],
    ['color', 2, /Holds on every element that it matches/],
    ['note:', 1, /Why the rule is there/],
  ])('shows what is known of %s', async (mark, more, said) => {
    expect((await ask<Hover>('hover', mark, more)).contents).toMatchObject({ value: expect.stringMatching(said) });
  });

  test.each<[what: string, now: string, mark: string, expected: string[]]>([
    ['at the top', '@ne', '@ne', ['@needle', '@keep-visible', '@expect']],
    ['descriptors and at-rules', '@needle a {\n  p\n}', '  p', ['pages', 'paused', '@hide']],
    ['terms', '@needle a {\n  pages: \n}', 'pages: ', ['path', 'page-id', 'all']],
    ['paths', '@needle a {\n  pages: path("/ti")\n}', '/ti', ['/tickets/pay.html']],
    ['page IDs', '@needle a {\n  pages: page-id(\n}', 'page-id(', ['1', '46']],
    ['body classes', '@needle a { pages: body-class(home pa) }', 'home pa', ['page-1', 'page-46']],
    ['findings', '@needle a { allow: mis }', 'mis', ['missing-element']],
    [
      'names on its own pages',
      '@needle a { pages: path("/tickets/pay.html"); @hide . }',
      '@hide .',
      ['.promo-field', '.masthead'],
    ],
    ['CSS', '@needle a { pages: all; .x { colo } }', 'colo', ['color']],
    ['values of CSS', '@needle a { pages: all; .x { display: } }', 'display:', ['block']],
  ])('completes %s', async (_what, now, mark, expected) => {
    const items = await labels(now, mark);
    expect(items.map(({ label }) => label)).toEqual(expect.arrayContaining(expected));
  });

  test('says of a name how many there are here and elsewhere', async () => {
    const now = '@needle a { pages: path("/tickets/pay.html"); @hide .pro }';
    const item = (await labels(now, '.pro')).find(({ label }) => label === '.promo-field');
    expect(item).toMatchObject({ detail: '1 here, on 0 other pages', textEdit: { newText: '.promo-field' } });
    expect((await labels(now.replace('.pro', '.mas'), '.mas')).map(({ detail }) => detail)).toContain(
      '1 here, on 2 other pages',
    );
  });

  test('lists rules, finds them and renames one', async () => {
    const symbols = await editor.ask<DocumentSymbol[]>('textDocument/documentSymbol', {
      textDocument: { uri: editor.uri(file) },
    });
    expect(symbols.map(({ name, range }) => [name, range.start.line, range.end.line])).toEqual([
      ['calm', 0, 4],
      ['other', 5, 5],
      ['later', 6, 6],
    ]);
    const found = await editor.ask<{ name: string }[]>('workspace/symbol', { query: 'lat' });
    expect(found.map(({ name }) => name)).toEqual(['later']);
    const edit = await ask<WorkspaceEdit>('rename', 'calm', 1, { newName: 'quiet' });
    expect(edit.changes?.[editor.uri(file)]).toEqual([
      { range: { start: { line: 0, character: 8 }, end: { line: 0, character: 12 } }, newText: 'quiet' },
    ]);
    await expect(ask('rename', 'calm', 1, { newName: 'later' })).rejects.toThrow('is not a name for this rule');
  });

  test('pauses a rule', async () => {
    const at = editor.at(file, text, 'calm').position;
    const actions = await editor.ask<CodeAction[]>('textDocument/codeAction', {
      textDocument: { uri: editor.uri(file) },
      range: { start: at, end: at },
      context: { diagnostics: [] },
    });
    const pause = actions.find(({ title }) => title === 'Pause calm');
    expect(pause?.edit?.changes?.[editor.uri(file)]?.[0]?.newText).toContain('paused: yes;');
  });

  test('is told of a file that breaks while typing, and of its end', async () => {
    await editor.change(file, text.replace('.x {', '.x { { {'));
    const [broken] = await editor.until(file, (all) =>
      all.some(({ message }) => /not valid CSS/.test(String(message))),
    );
    expect(broken?.severity).toBe(1);
    await editor.change(file, text);
    await editor.until(file, (all) => !all.some(({ message }) => /not valid CSS/.test(String(message))));
  });
});

test('A file of no project is left alone, and a project without a capture says what to do', async () => {
  const directory = folderWith({
    'alone/a.css': '.x { colour: red }',
    'p/local-needle.yaml': 'version: 1\nsites: { live: { address: "http://127.0.0.1:9/" } }\n',
    'p/rules/a.css': text,
  });
  const editor = await new Editor(directory).start();
  await editor.open('alone/a.css');
  await editor.open('p/rules/a.css');
  const [first] = await editor.until('p/local-needle.yaml', (all) => all.length > 0);
  expect(first?.message).toMatch(/has not been captured yet\. Run local-needle capture live\./);
  const list = await editor.ask<CompletionList>(
    'textDocument/completion',
    editor.at('p/rules/a.css', text, 'color', 3),
  );
  expect(list.items.map(({ label }) => label)).toContain('color');
  expect(await editor.stop()).toBe(0);
});

test('What wins on a captured site is in the file of its capture', async () => {
  const at = 'http://saltmere.example';
  const own = '@needle teal { pages: all; .x { color: teal; } }';
  const page = pageHtml('', '<link rel=stylesheet href=/theme.css><p class="x">a</p>');
  const known = { bytes: page.length, hash: '0123456789abcdef' };
  const styles = [`${at}/theme.css`];
  const index = [
    { capture: 1, site: 'kept', visitor: null, address: at, rendered: false },
    { page: { path: '/', url: `${at}/`, title: '', body: {}, styles, file: 'pages/index.html', ...known } },
    { style: { url: styles[0], imports: [], file: 'styles/theme.css', ...known } },
  ];
  const directory = folderWith({
    'local-needle.yaml': `version: 1\nsites: { kept: { address: "${at}" } }\n`,
    [file]: own,
    'captured/kept/index.jsonl': [...index, { end: '0123456789abcdef' }]
      .map((line) => `${JSON.stringify(line)}\n`)
      .join(''),
    'captured/kept/pages/index.html': page,
    'captured/kept/styles/theme.css': '\n.x { color: red !important }',
  });
  const editor = await new Editor(directory).start();
  await editor.open(file);
  const [lost] = await editor.until(file, (all) => all.some(({ code }) => code === 'overridden'));
  const place = {
    uri: editor.uri('captured/kept/styles/theme.css'),
    range: expect.objectContaining({ start: { line: 1, character: 0 } }),
  };
  expect(lost?.relatedInformation).toEqual([{ location: place, message: '.x wins color' }]);
  expect(await editor.ask<Location>('textDocument/definition', editor.at(file, own, 'color', 1))).toEqual(place);
  expect(await editor.stop()).toBe(0);
});

test('Pages and settings that change are read again, and url() leads to its file', async () => {
  const directory = smallProject(
    '@needle a { pages: path("/"); @swap .logo { image: url("../b.svg"); } @hide .later; }',
    {
      'b.svg': '<svg xmlns="http://www.w3.org/2000/svg"/>',
    },
  );
  const editor = await new Editor(directory).start();
  await editor.open(file);
  await editor.until(file, (all) => all.some(({ code }) => code === 'missing-element'));
  const rules = readFileSync(join(directory, file), 'utf8');
  const definition = await editor.ask<Location>('textDocument/definition', editor.at(file, rules, '../b', 3));
  expect(definition.uri).toBe(editor.uri('b.svg'));
  writeFileSync(
    join(directory, 'public/index.html'),
    pageHtml('class="home"', '<p class="later">x</p><img class="logo">'),
  );
  await editor.say('workspace/didChangeWatchedFiles', { changes: [{ uri: editor.uri('public/index.html'), type: 2 }] });
  await editor.until(file, (all) => !all.some(({ code }) => code === 'missing-element'));
  rmSync(join(directory, 'local-needle.yaml'));
  await editor.change(file, `${rules} `);
  expect(await editor.stop()).toBe(0);
});

describe('Finding the way', () => {
  const own = `/* Two
lines */
@needle wide {
  pages: page-id(1), path("/legal");
  @swap .logo { image: url("../b.svg"); }
  .x { color: teal; }
}
@needle parts { pages: path("/"), path("/legal");
  @on path("/") { @hide .logo; }
}
`;
  const second = '@needle other { pages: body-class(page-46); @swap .logo { image: url("../b.svg"); } }';
  const theme = '\n.x { color: red !important }\n';
  let editor: Editor;
  beforeAll(async () => {
    const directory = smallProject(own, {
      'b.svg': '<svg xmlns="http://www.w3.org/2000/svg"/>',
      'rules/b.css': second,
      'public/theme.css': theme,
      'public/index.html': pageHtml(
        'class="page-1"',
        '<link rel=stylesheet href=theme.css><img class="logo"><p class="x">a</p>',
      ),
    });
    editor = await new Editor(directory).start();
    await editor.open(file, own);
    await editor.until(file, (all) => all.length > 0);
  });
  afterAll(async () => expect(await editor.stop()).toBe(0));
  const shown = (all: Location[]) =>
    all.map(({ uri, range }) => `${uri.split('/').slice(-2).join('/')}:${range.start.line + 1}`);
  const whole = (file: string) => ({ textDocument: { uri: editor.uri(file) } });

  test.each([
    ['color: teal', 'public/theme.css:2'],
    ['@on path', 'rules/a.css:8'],
    ['wide {', 'rules/a.css:3'],
  ])('the definition of %s is %s', async (mark, place) => {
    const found = await editor.ask<Location>('textDocument/definition', editor.at(file, own, mark, 1));
    expect(shown([found])).toEqual([place]);
  });

  test.each<[string, string[]]>([
    ['../b.svg', ['rules/a.css:5', 'rules/b.css:1']],
    ['page-id(1)', ['rules/a.css:3', 'rules/a.css:8']],
    ['parts {', ['rules/a.css:8']],
  ])('%s is used at %j', async (mark, places) => {
    const context = { includeDeclaration: true };
    const found = await editor.ask<Location[]>('textDocument/references', {
      ...editor.at(file, own, mark, 2),
      context,
    });
    expect(shown(found)).toEqual(places);
  });

  test('blocks and comments can be folded, and pages found by their titles', async () => {
    const folds = await editor.ask<{ startLine: number; endLine: number }[]>('textDocument/foldingRange', whole(file));
    expect(folds.map(({ startLine, endLine }) => [startLine, endLine])).toEqual([
      [0, 1],
      [2, 6],
      [7, 9],
    ]);
    const found = await editor.ask<{ name: string; location: Location }[]>('workspace/symbol', { query: 'pay' });
    expect(found.map(({ name, location }) => [name, ...shown([location])])).toEqual([
      ['/tickets/pay.html', 'tickets/pay.html:1'],
    ]);
  });

  test.each<[mark: string, title: RegExp, from: string, to: string]>([
    ['page-id(1)', /^Write this page by its path: path\("\/"\)$/, 'page-id(1)', 'path("/")'],
    [
      'wide {',
      /^Split wide by @on/,
      own.slice(own.indexOf('@swap'), own.indexOf('}\n@needle parts') - 1),
      ['page-id(1)', 'path("/legal")']
        .map((on) => `@on ${on} {\n    @swap .logo { image: url("../b.svg"); }\n    .x { color: teal; }\n  }`)
        .join('\n  '),
    ],
  ])('at %s there is %s', async (mark, title, from, to) => {
    const at = editor.at(file, own, mark, 2).position;
    const actions = await editor.ask<CodeAction[]>('textDocument/codeAction', {
      ...{ ...whole(file), range: { start: at, end: at }, context: { diagnostics: [] } },
    });
    const [edit] = actions.find((each) => title.test(each.title))?.edit?.changes?.[editor.uri(file)] ?? [];
    if (!edit) throw new Error(actions.map((each) => each.title).join(', '));
    const lines = own.split('\n');
    const offset = ({ line, character }: { line: number; character: number }) =>
      lines.slice(0, line).reduce((sum, each) => sum + each.length + 1, 0) + character;
    const after = own.slice(0, offset(edit.range.start)) + edit.newText + own.slice(offset(edit.range.end));
    expect(after).toBe(own.replace(from, () => to));
    await editor.change(file, after);
    const lenses = await editor.ask<CodeLens[]>('textDocument/codeLens', whole(file));
    expect(lenses.length).toBe(2);
    await editor.change(file, own);
  });

  test('settings that are not saved count', async () => {
    await editor.open('local-needle.yaml', 'version: 1\nsites: { live: { folder: nowhere } }\n');
    await editor.until('local-needle.yaml', (all) => all.some(({ message }) => /nowhere/.test(String(message))));
    await editor.change('local-needle.yaml', 'version: 1\nsites: { live: { folder: public } }\n');
    await editor.until('local-needle.yaml', (all) => all.every(({ message }) => !/nowhere/.test(String(message))));
  });
});

test('--site and --project choose what is judged', async () => {
  const directory = smallProject('@needle a { pages: all; @hide .only-there; }', {
    'local-needle.yaml': 'version: 1\nsites: { live: { folder: public }, other: { folder: other } }\n',
    'other/index.html': pageHtml('', '<p class="only-there">x</p>'),
  });
  const editor = await new Editor(directory, ['--project', directory, '--site', 'other']).start();
  await editor.open(file);
  const lenses = () => editor.ask<CodeLens[]>('textDocument/codeLens', { textDocument: { uri: editor.uri(file) } });
  for (let tries = 0; (await lenses()).length === 0 && tries < 200; tries++)
    await new Promise((done) => setTimeout(done, 50));
  expect((await lenses()).map(({ command }) => command?.title)).toEqual(['hits 1 of 1 page']);
  expect(await editor.stop()).toBe(0);
});

test('A file that is broken on the disk counts as its text in the editor does', async () => {
  const directory = smallProject('@needle a { pages: path("/"); @hide .x;');
  const editor = await new Editor(directory).start();
  await editor.open(file);
  await editor.until(file, (all) => all.some(({ message }) => /not valid CSS/.test(String(message))));
  await editor.change(file, '@needle a { pages: path("/"); @hide .xx; }');
  await editor.until(file, (all) => all.length === 1 && all[0]?.code === 'missing-element');
  expect(await editor.stop()).toBe(0);
});

test.each([
  ['page: path("/");', 'pages: path("/");'],
  ['hide: .x;', '@hide .x;'],
  ['strength: firm;', 'important: yes;'],
])('A file that cannot be read for %s is mended to %s', async (from, to) => {
  const rule = (line: string) =>
    `@needle a { ${line.startsWith('page') ? '' : 'pages: path("/"); '}@hide .x; ${line} }`;
  const directory = smallProject(rule(from));
  const editor = await new Editor(directory).start();
  await editor.open(file);
  const [diagnostic] = await editor.until(file, (all) => all.length > 0);
  const actions = await editor.ask<CodeAction[]>('textDocument/codeAction', {
    textDocument: { uri: editor.uri(file) },
    range: diagnostic?.range,
    context: { diagnostics: [] },
  });
  const [edit] = actions[0]?.edit?.changes?.[editor.uri(file)] ?? [];
  const { start, end } = edit?.range ?? diagnostic?.range ?? { start: { character: 0 }, end: { character: 0 } };
  const before = rule(from);
  expect(before.slice(0, start.character) + (edit?.newText ?? '?') + before.slice(end.character)).toBe(rule(to));
  expect(await editor.stop()).toBe(0);
});

describe('Where the cursor is', () => {
  test.each<[string, object]>([
    ['@needle a { pages: path("/|', { before: 'pages: path("/', call: { name: 'path', argument: '/' } }],
    ['@needle a { /* } */ @hide ".}" .x|; }', { before: '@hide ".}" .x' }],
    ['/* | */', { isComment: true }],
    ['@needle a { .x { color: rgb(1 2 3); b|: 1 } }', { before: 'b', call: null }],
    ['@needle a { } |', { before: '', blocks: [] }],
    ['@needle a { .b:is(.c, .d|) { } }', { before: '.b:is(.c, .d', call: { name: 'is', argument: '.c, .d' } }],
  ])('%s', (marked, expected) => {
    const offset = marked.indexOf('|');
    expect(contextAt(marked.replace('|', ''), offset)).toMatchObject(expected);
  });

  test.each([
    ['.a:is(.b, .c), .d { }', '.a:is(.b, .c)'],
    ['path("/a, b"), all;', 'path("/a, b")'],
    ['color: rgb(1, 2, 3) ; margin: 0', 'color: rgb(1, 2, 3)'],
    ['@hide .x, .y;', '@hide .x, .y'],
  ])('%s is marked up to its end', (text, marked) => {
    expect(text.slice(...rangeAt(text, 0))).toBe(marked);
  });
});

test('Every descriptor is offered', () => {
  expect(descriptors.map(({ name }) => name).sort()).toEqual(knownKeys(RuleDescriptors).sort());
});
