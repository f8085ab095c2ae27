import { realpathSync } from 'node:fs';
import { dirname, isAbsolute } from 'node:path';
import { pathToFileURL } from 'node:url';
import { TextDocument } from 'vscode-languageserver-textdocument';
import {
  CodeActionKind,
  createConnection,
  DidChangeWatchedFilesNotification,
  LSPErrorCodes,
  MarkupKind,
  Message,
  ProposedFeatures,
  ResponseError,
  SymbolKind,
  type SymbolInformation,
  TextDocuments,
  TextDocumentSyncKind,
  type CodeAction,
  type CodeActionParams,
  type Connection,
  type Diagnostic,
  type InitializeParams,
  type InitializeResult,
  type Position,
  type Range,
  type TextDocumentPositionParams,
} from 'vscode-languageserver/node';
import packageJson from '../../package.json' with { type: 'json' };
import type { SiteCall } from '../app/call.js';
import { inSteps } from '../app/in-steps.js';
import { Fixer, problemFixes } from '../app/fixes.js';
import { LiveProject, problemsOf, type LiveReading } from '../app/live-project.js';
import type { CheckReport } from '../core/check/verdict.js';
import type { Finding } from '../core/finding.js';
import type { Fix } from '../core/fix/fixes.js';
import { ProblemError, type Place } from '../core/place.js';
import { findProject } from '../project/settings.js';
import { completionsAt } from './completion.js';
import { diagnosticsOf, problemDiagnostics, source } from './diagnostics.js';
import { hoverAt } from './hover.js';
import { refactorsAt } from './refactor.js';
import { lensesOf } from './lens.js';
import { documentOf, fileIn, pathOf, rangeBetween, rangeOf, uriOf } from './places.js';
import { definitionAt, foldsOf, referencesAt } from './navigation.js';
import { renamed, ruleNameAt, symbolsOf } from './symbols.js';

/** Typing that pauses for this long is judged, in milliseconds. */
const settleMs = 10;
/** After this long without typing, results are kept for the next start. */
const saveMs = 2000;

/** A project with what editors were told of it. */
interface Watched {
  live: LiveProject;
  report: CheckReport | null;
  /** The fixes that were worked out for findings of the report: editors ask again with each move of the cursor. */
  fixes: Map<Finding, Fix[]>;
  /** Files with diagnostics. */
  told: Set<string>;
  /** Counts the changes, so that a look at an older text is given up. */
  turn: number;
  timer?: NodeJS.Timeout;
  saving?: NodeJS.Timeout;
}

/**
 * Speaks the Language Server Protocol 3.17 over two streams until the client ends it; resolves then. `site`: the one that is
 * judged, if not the first; `project`: the folder of the project, for files in it.
 */
export function startLanguageServer(
  input: NodeJS.ReadableStream,
  output: NodeJS.WritableStream,
  call: SiteCall = {},
): Promise<void> {
  // By streams rather than readers: the server then ends when its editor is gone.
  const connection = createConnection(ProposedFeatures.all, input, output, {
    connectionStrategy: {
      // A request that waits while something else is answered need not be begun.
      cancelUndispatched: (message) =>
        Message.isRequest(message) ? { jsonrpc: '2.0', id: message.id, error: cancelled } : undefined,
    },
  });
  const server = new EditorServer(connection, call);
  connection.listen();
  return server.ended;
}

class EditorServer {
  private readonly documents = new TextDocuments(TextDocument);
  private readonly projects = new Map<string, Watched>();
  private canRefreshLenses = false;
  private canWatch = false;
  readonly ended: Promise<void>;

  constructor(
    private readonly connection: Connection,
    private readonly call: SiteCall,
  ) {
    this.ended = new Promise((done) => connection.onExit(() => done()));
    connection.onInitialize((params) => this.initialize(params));
    connection.onInitialized(() => {
      const watchers = [{ globPattern: '**/*.{css,html,htm,js,yaml,ndjson,json}' }];
      if (this.canWatch) void connection.client.register(DidChangeWatchedFilesNotification.type, { watchers });
    });
    connection.onShutdown(() => {
      for (const { live } of this.projects.values()) live.save();
    });
    this.documents.onDidChangeContent(({ document }) => this.takeText(document, document.getText()));
    this.documents.onDidClose(({ document }) => this.takeText(document, null));
    this.documents.listen(connection);
    connection.onDidChangeWatchedFiles(({ changes }) => this.filesChanged(changes.map(({ uri }) => uri)));
    connection.onCompletion((at) =>
      this.at(at, ({ text, offset, file, reading }) => completionsAt(text, offset, file, reading), {
        isIncomplete: false,
        items: [],
      }),
    );
    connection.onHover((at) =>
      this.at(
        at,
        ({ text, offset, reading, watched }) => {
          const found = reading && hoverAt(text, offset, reading, watched.report);
          if (!found) return null;
          const contents = { kind: MarkupKind.Markdown, value: found.markdown };
          return { contents, range: rangeBetween(text, found.start, found.end) };
        },
        null,
      ),
    );
    connection.onCodeLens(({ textDocument }) =>
      this.in(
        textDocument.uri,
        ({ text, file, watched }) => (watched.report ? lensesOf(watched.report, file, text) : []),
        [],
      ),
    );
    connection.onCodeAction((params) => this.in(params.textDocument.uri, (open) => this.actions(params, open), []));
    connection.onDocumentSymbol(({ textDocument }) => this.in(textDocument.uri, ({ text }) => symbolsOf(text), []));
    connection.onWorkspaceSymbol(({ query }) => this.workspaceSymbols(query));
    connection.onDefinition((at) =>
      this.at(
        at,
        ({ text, offset, file, reading, watched }) =>
          reading && definitionAt(text, offset, file, reading, watched.report),
        null,
      ),
    );
    connection.onReferences((at) =>
      this.at(
        at,
        ({ text, offset, file, reading, watched }) =>
          reading ? referencesAt(text, offset, file, reading, watched.live) : [],
        [],
      ),
    );
    connection.onFoldingRanges(({ textDocument }) => this.in(textDocument.uri, ({ text }) => foldsOf(text), []));
    connection.onPrepareRename((at) =>
      this.at(at, ({ text, offset }) => ruleNameAt(text, offset)?.range ?? null, null),
    );
    connection.onRenameRequest((params) =>
      this.at(
        params,
        ({ text, offset, reading }) => {
          const edit = reading && renamed(text, offset, params.newName, reading);
          if (!edit)
            throw new ResponseError(
              -32602,
              `${params.newName} is not a name for this rule: another one has it, or it is none.`,
            );
          return { changes: { [params.textDocument.uri]: [edit] } };
        },
        null,
      ),
    );
  }

  private initialize({ capabilities }: InitializeParams): InitializeResult {
    this.canRefreshLenses = capabilities.workspace?.codeLens?.refreshSupport === true;
    this.canWatch = capabilities.workspace?.didChangeWatchedFiles?.dynamicRegistration === true;
    return {
      serverInfo: { name: 'local-needle', version: packageJson.version },
      capabilities: {
        textDocumentSync: TextDocumentSyncKind.Incremental,
        completionProvider: { triggerCharacters: ['.', '#', '@', '"', "'", '(', ':', ' ', '/'] },
        hoverProvider: true,
        codeLensProvider: {},
        codeActionProvider: { codeActionKinds: [CodeActionKind.QuickFix, CodeActionKind.Refactor] },
        documentSymbolProvider: true,
        workspaceSymbolProvider: true,
        definitionProvider: true,
        referencesProvider: true,
        foldingRangeProvider: true,
        renameProvider: { prepareProvider: true },
      },
    };
  }

  /** The project that a document belongs to; null outside of any. */
  private projectOf(uri: string): { watched: Watched; file: string } | null {
    const path = pathOf(uri);
    if (path === null) return null;
    let directory: string;
    try {
      const from = this.call.project === undefined ? dirname(path) : process.cwd();
      directory = realpathSync(findProject(this.call.project, from));
    } catch (error) {
      if (error instanceof ProblemError) return null;
      throw error;
    }
    let watched = this.projects.get(directory);
    if (!watched) {
      watched = {
        live: new LiveProject(directory, this.call),
        report: null,
        fixes: new Map(),
        told: new Set(),
        turn: 0,
      };
      this.projects.set(directory, watched);
    }
    const file = fileIn(directory, path);
    return file.startsWith('../') || isAbsolute(file) ? null : { watched, file };
  }

  private takeText({ uri }: TextDocument, text: string | null): void {
    const own = this.projectOf(uri);
    if (!own) return;
    own.watched.fixes.clear();
    // The protocol counts without a byte order mark, as we do.
    own.watched.live.setText(own.file, text === null ? null : text.replace(/^\ufeff/, ''));
    if (own.file === 'local-needle.yaml') own.watched.live.forget(true);
    this.lookSoon(own.watched, own.file);
  }

  /** Rule files are read again; after a change of a page, a stylesheet or the settings, the pages too. */
  private filesChanged(uris: string[]): void {
    const touched = new Map<Watched, boolean>();
    for (const uri of uris) {
      const own = this.projectOf(uri);
      if (!own || own.file.startsWith('.local-needle/')) continue;
      const isRule = own.watched.report?.rules.some(({ file }) => file === own.file) === true;
      touched.set(own.watched, touched.get(own.watched) === true || !isRule);
    }
    for (const [watched, pages] of touched) {
      watched.fixes.clear();
      watched.live.forget(pages);
      this.lookSoon(watched, null);
    }
  }

  /** Judges soon: the file in view first, then everything; given up where the text moves on meanwhile. */
  private lookSoon(watched: Watched, file: string | null): void {
    clearTimeout(watched.timer);
    clearTimeout(watched.saving);
    const turn = ++watched.turn;
    watched.timer = setTimeout(() => void this.lookNow(watched, file, () => watched.turn === turn), settleMs);
  }

  private async lookNow(watched: Watched, file: string | null, isCurrent: () => boolean): Promise<void> {
    if (file !== null && watched.report !== null)
      await this.look(watched, async (live) => {
        const report = await inSteps(live.checkFile(file), isCurrent);
        if (report) await this.tell(watched, diagnosticsOf(report, live.read(), live, file), file);
      });
    if (!isCurrent()) return;
    await this.look(watched, async (live) => {
      const report = await inSteps(live.check(), isCurrent);
      if (!report) return;
      watched.report = report;
      watched.fixes.clear();
      await this.tell(watched, diagnosticsOf(report, live.read(), live), null);
      if (this.canRefreshLenses) void this.connection.languages.connection.sendRequest('workspace/codeLens/refresh');
    });
    if (!isCurrent()) return;
    watched.saving = setTimeout(() => {
      watched.live.save();
      // What completion counts is ready before it is asked for.
      watched.live.warm();
    }, saveMs).unref();
  }

  private async look(watched: Watched, make: (live: LiveProject) => Promise<void>): Promise<void> {
    try {
      await make(watched.live);
    } catch (error) {
      try {
        await this.tell(watched, problemDiagnostics(problemsOf(error), watched.live), null);
      } catch (bug) {
        // An editor's server stays up, whatever happens to one look.
        this.connection.console.error(bug instanceof Error ? (bug.stack ?? bug.message) : String(bug));
      }
    }
  }

  /** Sends the diagnostics of one file, or of all, with those that are gone. */
  private async tell({ live, told }: Watched, found: Map<string, Diagnostic[]>, only: string | null): Promise<void> {
    for (const file of only === null ? new Set([...told, ...found.keys()]) : [only]) {
      const diagnostics = found.get(file) ?? [];
      if (diagnostics.length > 0) told.add(file);
      else told.delete(file);
      await this.connection.sendDiagnostics({ uri: this.uriOf(live.directory, file), diagnostics });
    }
  }

  /** The address by which the editor opened a file, else its own. */
  private uriOf(directory: string, file: string): string {
    const own = uriOf(directory, file);
    return this.documents.all().find(({ uri }) => uri === own || pathOf(uri) === pathOf(own))?.uri ?? own;
  }

  /** Answers about a document; `none` where it is in no project or the project cannot be read. */
  private in<T>(uri: string, answer: (open: OpenDocument) => T, none: T): T {
    const document = this.documents.get(uri);
    const own = document && this.projectOf(uri);
    if (!own) return none;
    return answer({ ...own, text: document.getText(), reading: own.watched.live.latest() });
  }

  private at<T>(
    { textDocument: { uri }, position }: TextDocumentPositionParams,
    answer: (at: OpenDocument & { offset: number }) => T,
    none: T,
  ): T {
    return this.in(uri, (open) => answer({ ...open, offset: documentOf(open.text).offsetAt(position) }), none);
  }

  /** The fixes of what is found in a range, and pausing the rule there. */
  private actions(
    { range, context, textDocument: { uri } }: CodeActionParams,
    { text, file, reading, watched }: OpenDocument,
  ): CodeAction[] {
    const { live, report } = watched;
    const isHere = ({ at }: { at?: Place | null }) => at?.file === file && overlaps(rangeOf(text, at), range);
    const problems = live.problems().filter(isHere);
    const findings = (report?.findings ?? []).filter((each) => each.proposals && isHere(each));
    const fixes: [code: string | undefined, list: Fix[]][] = [
      ...[...problemFixes(live.directory, problems, live.unsaved, (each) => live.textOf(each)).values()].map(
        (list): [undefined, Fix[]] => [undefined, list],
      ),
      ...(reading && report ? this.fixesOf(findings, watched, reading, report) : []),
    ];
    const actions = new Map<string, CodeAction>();
    for (const [code, list] of fixes)
      for (const { title, edits, result } of list) {
        const changes: Record<string, { range: Range; newText: string }[]> = {};
        for (const edit of edits) {
          const target = this.uriOf(live.directory, edit.file);
          const own = rangeBetween(live.textOf(edit.file) ?? '', edit.start, edit.end);
          changes[target] = [...(changes[target] ?? []), { range: own, newText: edit.newText }];
        }
        actions.set(JSON.stringify(edits), {
          title: result ? `${title} (${result.verdict})` : title,
          ...{ kind: CodeActionKind.QuickFix, edit: { changes }, isPreferred: list.length === 1 },
          diagnostics: context.diagnostics.filter((each) => each.source === source && each.code === code),
        });
      }
    if (!reading) return [...actions.values()];
    const refactors = refactorsAt(text, documentOf(text).offsetAt(range.start), reading);
    return [
      ...actions.values(),
      ...refactors.map(({ title, start, end, newText }) => ({
        ...{ title, kind: CodeActionKind.Refactor },
        edit: { changes: { [uri]: [{ range: rangeBetween(text, start, end), newText }] } },
      })),
    ];
  }

  private fixesOf(
    findings: Finding[],
    { fixes, live }: Watched,
    { opened }: LiveReading,
    report: CheckReport,
  ): [string, Fix[]][] {
    const fresh = findings.filter((each) => !fixes.has(each));
    const found = new Fixer(opened).fixesOf(report, fresh, live.unsaved);
    for (const each of fresh) fixes.set(each, found.get(each) ?? []);
    return findings.map((each) => [each.code, fixes.get(each) ?? []]);
  }

  /** Rules whose names hold a text, and pages whose path or title does. */
  private workspaceSymbols(query: string): SymbolInformation[] {
    const wanted = query.toLowerCase();
    return [...this.projects.values()].flatMap(({ live }) => {
      const reading = live.latest();
      if (!reading) return [];
      const rules = reading.project.rules
        .filter(({ name }) => name.toLowerCase().includes(wanted))
        .map(({ name, at }) => ({ name, kind: SymbolKind.Class, uri: uriOf(live.directory, at.file), line: at.line }));
      const { site, onDisk } = reading.opened.content;
      const named = site.pages
        .filter(({ path, title }) => `${path} ${title}`.toLowerCase().includes(wanted))
        .slice(0, mostSymbols)
        .flatMap(({ path, file }) => {
          const own = onDisk(file);
          return own === null ? [] : [{ name: path, kind: SymbolKind.File, uri: pathToFileURL(own).href, line: 1 }];
        });
      return [...rules.slice(0, mostSymbols), ...named].map(({ name, kind, uri, line }) => {
        const start: Position = { line: line - 1, character: 0 };
        return { name, kind, location: { uri, range: { start, end: start } } };
      });
    });
  }
}

/** Maximum number of rules, and of pages, that a search of symbols gives. */
const mostSymbols = 200;

interface OpenDocument {
  watched: Watched;
  /** Its path in the project. */
  file: string;
  text: string;
  /** The project as it last could be read; null if it never could. */
  reading: LiveReading | null;
}

const cancelled = { code: LSPErrorCodes.RequestCancelled, message: 'The client cancelled it.' };

const isBefore = (a: Position, b: Position) => a.line < b.line || (a.line === b.line && a.character < b.character);
const overlaps = (a: Range, b: Range) => !isBefore(a.end, b.start) && !isBefore(b.end, a.start);
