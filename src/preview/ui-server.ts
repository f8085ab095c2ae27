import { PassThrough } from 'node:stream';
import fastify, { type FastifyInstance } from 'fastify';
import { selectorFault } from '../core/css/selector.js';
import { parseCondition } from '../core/target/condition.js';
import type { Draft, RuleEditor } from '../app/rule-editor.js';
import { countSelector } from '../core/find/count.js';
import { pick } from '../core/find/pick.js';
import { normalisePath } from '../core/page/path.js';
import type { NewRule } from '../core/rule/write.js';
import { ProblemError } from '../core/place.js';
import type { Cell } from '../core/check/verdict.js';
import type { Finding } from '../core/finding.js';
import { clientFile } from './client-files.js';
import { overviewState, panelState, type Wording } from './ui-state.js';
import { checkOrigin, originsOf } from './origin-check.js';
import type { Seen } from './pages.js';
import {
  pickMark,
  type AddRequest,
  type CountAnswer,
  type DraftAnswer,
  type FixAnswer,
  type LookRequest,
  type LooksState,
  type News,
  type PickAnswer,
} from './protocol.js';
import { looksShell, overviewShell, panelShell } from './shells.js';
import type { PreviewSession } from './session.js';
import {
  ApplyRequest,
  ChangeRequest,
  CountRequest,
  DraftRequest,
  FixesRequest,
  LookChoice,
  OpenRequest,
  PickRequest,
  SwitchRequest,
  requestOf,
} from './requests.js';

export interface UiOptions {
  session: PreviewSession;
  seen: Map<string, Seen>;
  /** The port of the pages, and of the pages without rules. */
  pagesPort: () => number;
  barePort: () => number;
  /** Opens a file at a place in the user's editor; rejects with the reason where that fails. */
  openFile: (place: { file: string; line: number; column: number }) => Promise<void>;
  /** How the pages are looked at. */
  looks: { state: () => LooksState; choose: (look: LookRequest) => void };
  wording: Wording & { cell: (cell: Cell, findings: Finding[]) => string; words: (error: ProblemError) => string };
  /** The CSS that overview and reports share. */
  style: string;
  /** Shows drafts and writes rules. */
  editor: Pick<
    RuleEditor,
    'draft' | 'undoable' | 'placeOf' | 'setDraft' | 'write' | 'blockOf' | 'change' | 'fixesOf' | 'apply' | 'undo'
  >;
}

/** Time that counting selectors on other pages may take, in milliseconds. */
const mostCounting = 400;

/**
 * The overview and the panel, on a separate origin: the site's scripts can neither read nor call anything here. The
 * panel is on the site's pages as a frame.
 */
export function serveUi(options: UiOptions): FastifyInstance {
  const { session, seen, pagesPort, barePort, wording, style, editor, looks } = options;
  // A page as it is may come with a request.
  const app = fastify({ forceCloseConnections: true, bodyLimit: 20 * 1024 * 1024, exposeHeadRoutes: false });
  checkOrigin(app, () => originsOf((app.server.address() as { port: number }).port));
  const frames = () => originsOf(pagesPort());
  app.addHook('onSend', async (request, reply) => {
    const ancestors = request.url.startsWith('/panel?') ? frames().join(' ') : "'none'";
    const isFraming = /^\/looks(\?|$)/.test(request.url);
    const framed = isFraming ? ` frame-src ${[...frames(), ...originsOf(barePort())].join(' ')};` : '';
    reply.headers({
      'content-security-policy': `default-src 'none'; script-src 'self'; style-src 'self'; connect-src 'self';${framed} base-uri 'none'; form-action 'none'; frame-ancestors ${ancestors}`,
      'cache-control': 'no-store',
      'x-content-type-options': 'nosniff',
      // The pages recognise a link from the overview by its origin.
      'referrer-policy': 'origin',
      // The site's own policy may ask this of every frame; the content is for the two origins of the preview alone.
      // Pages that are looked at in frames need not ask it.
      ...(isFraming ? {} : { 'cross-origin-embedder-policy': 'require-corp' }),
      'cross-origin-resource-policy': request.url.startsWith('/panel?') ? 'cross-origin' : 'same-origin',
    });
  });
  app.setErrorHandler((error, _request, reply) => {
    const known = error instanceof ProblemError;
    const status = (error as { statusCode?: number }).statusCode ?? 500;
    reply.code(known ? 422 : status).send({ error: known ? wording.words(error) : (error as Error).message });
  });
  const text = (path: string, type: string, content: () => string) =>
    app.get(path, (_request, reply) => reply.type(`${type}; charset=utf-8`).send(content()));
  text('/', 'text/html', () => overviewShell(frames()[0] ?? ''));
  text('/panel', 'text/html', () => panelShell(frames()));
  text('/looks', 'text/html', () => looksShell(frames()[0] ?? '', originsOf(barePort())[0] ?? ''));
  text('/looks.js', 'text/javascript', () => clientFile('looks.js'));
  text('/overview.js', 'text/javascript', () => clientFile('overview.js'));
  text('/panel.js', 'text/javascript', () => clientFile('panel.js'));
  text('/look.css', 'text/css', () => style);
  app.get('/favicon.ico', (_request, reply) => reply.code(204).send());
  app.get('/news', (request, reply) => {
    const stream = new PassThrough();
    request.raw.on(
      'close',
      session.listen((news) => stream.write(`data: ${JSON.stringify(news)}\n\n`)),
    );
    // What happened while nobody listened.
    const now: News[] = [{ kind: 'look' }, { kind: 'styles', version: session.version }];
    stream.write(`retry: 1000\n\n${now.map((news) => `data: ${JSON.stringify(news)}\n\n`).join('')}`);
    return reply.type('text/event-stream').send(stream);
  });
  app.get('/overview.json', () => overviewState(session, wording));
  app.get<{ Querystring: { address?: string } }>('/panel.json', ({ query: { address = '/' } }) =>
    panelState({ session, editor }, seen.get(address), address, wording),
  );
  app.get<{ Querystring: { rule?: string; page?: string } }>('/cell', ({ query: { rule, page } }, reply) => {
    const cell = session.report?.cells.find((each) => each.rule === rule && each.page === page);
    const findings = session.report?.findings.filter((each) => each.rule === rule && each.page === page) ?? [];
    return cell
      ? reply.type('text/html; charset=utf-8').send(wording.cell(cell, findings))
      : reply.code(404).send({ error: `${rule} was not checked on ${page}` });
  });
  app.get('/looks.json', () => looks.state());
  app.post('/looks', (request, reply) => {
    const asked = requestOf(LookChoice, request.body);
    if (typeof asked === 'string') return reply.code(400).send({ error: asked });
    looks.choose(asked);
    return reply.send({});
  });
  app.post('/switch', (request, reply) => {
    const asked = requestOf(SwitchRequest, request.body);
    if (typeof asked === 'string') return reply.code(400).send({ error: asked });
    return session.switch(asked.rule, asked.on)
      ? reply.send({})
      : reply.code(404).send({ error: `There is no rule "${asked.rule}"` });
  });
  app.post('/pick', (request, reply): unknown => {
    const asked = requestOf(PickRequest, request.body);
    if (typeof asked === 'string') return reply.code(400).send({ error: asked });
    const { view, pathOptions, input } = session.reading;
    const page = view.site.byPath.get(normalisePath(asked.address, pathOptions)) ?? null;
    const end = performance.now() + mostCounting;
    const picked = pick(asked.html, pickMark, page, view, () => performance.now() > end, input.sheets?.(view));
    if (!picked) return reply.code(404).send({ error: 'The element is not in body, so rules do not apply to it' });
    const { place, words, proposals, counted, pages } = picked;
    return { place, words, proposals, counted, pages } satisfies PickAnswer;
  });
  /** The form whose draft is shown. */
  let owner: string | undefined;
  const drop = (of: string | undefined) => {
    // A form takes away its own draft; without a form, whichever it is.
    if (of !== undefined && of !== owner) return;
    owner = undefined;
    editor.setDraft(null);
    session.redraft();
  };
  // Open as long as a form is: a window that is closed leaves no draft.
  app.get<{ Querystring: { owner?: string } }>('/held', (request, reply) => {
    const stream = new PassThrough();
    request.raw.on('close', () => drop(request.query.owner ?? ''));
    stream.write('retry: 1000\n\n');
    return reply.type('text/event-stream').send(stream);
  });
  app.post<{ Querystring: { owner?: string; address?: string } }>('/draft', (request, reply): unknown => {
    const asked = requestOf(DraftRequest, request.body);
    if (typeof asked === 'string') return reply.code(400).send({ error: asked });
    const draft = draftOf(asked);
    if (draft) {
      editor.setDraft(draft);
      owner = request.query.owner;
      session.redraft();
    } else drop(request.query.owner);
    const shown = editor.draft;
    if (!shown) return {};
    const path = normalisePath(request.query.address ?? '/', session.reading.pathOptions);
    const marks = session.marksFor(shown.name, path);
    return { ...shown, swaps: session.swapsOf(shown.name), marks } satisfies DraftAnswer;
  });
  app.post('/write', (request, reply): unknown => {
    const asked = requestOf(DraftRequest, request.body);
    const draft = typeof asked === 'string' ? null : draftOf(asked);
    if (!draft) return reply.code(400).send({ error: typeof asked === 'string' ? asked : 'There is nothing to write' });
    const written = editor.write(draft);
    session.refresh(false);
    return { ...written, swaps: [], marks: [] } satisfies DraftAnswer;
  });
  app.get<{ Querystring: { rule?: string } }>('/block', ({ query: { rule = '' } }) => editor.blockOf(rule));
  app.post('/change', (request, reply): unknown => {
    const asked = requestOf(ChangeRequest, request.body);
    if (typeof asked === 'string') return reply.code(400).send({ error: asked });
    editor.change(asked.name, asked.what);
    session.refresh(false);
    return {};
  });
  app.post('/open', async (request, reply): Promise<unknown> => {
    const asked = requestOf(OpenRequest, request.body);
    if (typeof asked === 'string') return reply.code(400).send({ error: asked });
    await options.openFile(editor.placeOf(asked.rule));
    return {};
  });
  app.post('/undo', (): unknown => {
    const said = editor.undo();
    session.refresh(false);
    return { said };
  });
  app.post('/fixes', (request, reply): unknown => {
    const asked = requestOf(FixesRequest, request.body);
    if (typeof asked === 'string') return reply.code(400).send({ error: asked });
    // They are for the rules as they are written.
    if (editor.draft) drop(undefined);
    const { report } = session;
    const fixes = report ? editor.fixesOf(asked.rule, asked.page, report) : [];
    return fixes.map(({ title, result }): FixAnswer => ({ title, result: resultText(result) }));
  });
  app.post('/apply', (request, reply): unknown => {
    const asked = requestOf(ApplyRequest, request.body);
    if (typeof asked === 'string') return reply.code(400).send({ error: asked });
    editor.apply(asked.number);
    session.refresh(false);
    return {};
  });
  app.post('/count', (request, reply): unknown => {
    const asked = requestOf(CountRequest, request.body);
    if (typeof asked === 'string') return reply.code(400).send({ error: asked });
    const fault = selectorFault(asked.selector);
    if (fault) throw new ProblemError([{ message: fault.message, hint: fault.hint }]);
    const { view, pathOptions } = session.reading;
    const page = view.site.byPath.get(normalisePath(asked.address, pathOptions));
    if (!page) throw new ProblemError([{ message: 'This page was not captured' }]);
    const end = performance.now() + mostCounting;
    return countSelector(asked.selector, page, view, () => performance.now() > end) satisfies CountAnswer;
  });
  return app;
}

const resultText = (result: { verdict: string; elements: number } | null) =>
  result ? `${result.verdict}, ${result.elements} ${result.elements === 1 ? 'element' : 'elements'}` : '';

const draftOf = ({ rule, edit }: DraftRequest): Draft | null =>
  rule ? { kind: 'new', rule: newRule(rule) } : edit ? { kind: 'edit', ...edit } : null;

/** The rule that a request describes. Throws ProblemError if selector or pages cannot be read: they go into a file. */
function newRule({ doing, selector, content, pages, note, ...rule }: AddRequest): NewRule {
  const fault = selectorFault(selector) ?? parseCondition(pages).faults[0];
  if (fault) throw new ProblemError([{ message: fault.message, hint: fault.hint }]);
  return {
    ...rule,
    ...{ note: note.trim() || null, pages: [pages], except: [], paused: false, until: null },
    hide: doing === 'hide' ? [selector] : [],
    onlyHere: doing === 'only-here' ? [selector] : [],
    swapImage: doing === 'image' ? [[selector, content]] : [],
    swapText: doing === 'text' ? [[selector, content]] : [],
    styles: doing === 'style' ? [`${selector} { ${content.trim().replace(/;?$/, ';')} }`] : [],
  };
}
