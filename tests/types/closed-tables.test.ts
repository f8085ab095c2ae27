import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import ts from 'typescript';

const core = join(process.cwd(), 'src/core');

/** Files that no test changes are parsed once. */
const parsed = new Map<string, ts.SourceFile>();

/** What the compiler says of a file of core when files read as given; the others are read as far as it asks for them. */
function errorsIn(about: string, changed: Record<string, (text: string) => string>): string[] {
  const { config } = ts.readConfigFile('tsconfig.core.json', (file) => ts.sys.readFile(file)) as { config: object };
  const { options, projectReferences } = ts.parseJsonConfigFileContent(config, ts.sys, process.cwd());
  const host = ts.createCompilerHost(options);
  const texts = new Map(
    Object.entries(changed).map(([file, change]) => {
      const before = readFileSync(join(core, file), 'utf8');
      const after = change(before);
      if (after === before) throw new Error(`${file} has nothing to change`);
      return [join(core, file), after];
    }),
  );
  const readFile = host.getSourceFile.bind(host);
  host.getSourceFile = (file, version) => {
    const text = texts.get(file);
    if (text !== undefined) return ts.createSourceFile(file, text, version);
    const source = parsed.get(file) ?? readFile(file, version);
    if (source) parsed.set(file, source);
    return source;
  };
  const program = ts.createProgram({
    rootNames: [join(core, about)],
    options: { ...options, noEmit: true, incremental: false, composite: false, tsBuildInfoFile: undefined },
    // The part that runs in pages is read as what is declared of it, as `npm run build` does.
    projectReferences: projectReferences ?? [],
    host,
  });
  return ts
    .getPreEmitDiagnostics(program, program.getSourceFile(join(core, about)))
    .map(({ messageText }) => ts.flattenDiagnosticMessageText(messageText, ' '));
}

describe('The compiler refuses', () => {
  test.each([
    [
      'a kind of action without an entry',
      'action/index.ts',
      { 'action/action.ts': (text: string) => text.replace('  | HideAction', "  | ActionOf<'blink'>\n  | HideAction") },
      /Property 'blink' is missing/,
    ],
    [
      'an entry of a kind that lacks half of what differs',
      'action/index.ts',
      {
        'action/action.ts': (text: string) => text.replace('  | HideAction', "  | ActionOf<'blink'>\n  | HideAction"),
        'action/index.ts': (text: string) =>
          text.replace(
            '  hide,\n',
            "  hide,\n  blink: { atRule: null, reaches: 'own-pages', scope: 'conditions', judge: null },\n",
          ),
      },
      /missing the following properties.*css/,
    ],
    [
      'a term of a condition without an entry',
      'target/terms/index.ts',
      {
        'target/terms/index.ts': (text: string) =>
          text.replace('export type Term = ', "export type Term = import('../term.js').TermOf<'moon-phase'> | "),
      },
      /Property '.*moon-phase.?' is missing/,
    ],
    [
      'an entry of a term that no CSS says',
      'target/terms/site.ts',
      {
        'target/terms/site.ts': (text: string) => text.replace(/ {2}css: .*\n/, ''),
      },
      /^Property 'css' is missing/,
    ],
  ])('%s', (_what, about, changed, said) => {
    expect(errorsIn(about, changed)).toContainEqual(expect.stringMatching(said));
  });

  test.each(['action/index.ts', 'target/terms/index.ts', 'target/terms/site.ts'])('nothing of %s as it is', (about) => {
    expect(errorsIn(about, {})).toEqual([]);
  });
});
