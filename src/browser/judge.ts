import type { Browser, BrowserContext, CDPSession, Page as BrowserPage, Route } from 'playwright-core';
import type { Bundle } from '../core/build/bundle.js';
import { insertInto } from '../core/build/insert.js';
import { matchedElements, verdictOf, type Judgement, type JudgedRule } from '../core/check/judge.js';
import type { Look } from '../core/check/look.js';
import type { CheckInput, Step } from '../core/check/plan.js';
import { planCheck } from '../core/check/plan.js';
import type { Cell, Verdict } from '../core/check/verdict.js';
import { selectorParts } from '../core/css/selector.js';
import { elementPath } from '../core/page/element-path.js';
import { pageAddress, type View } from '../core/page/view.js';
import type { PageState } from '../core/page/state.js';
import type { Action } from '../core/rule/rule.js';
import { targets } from '../core/rule/target.js';
import { measure, type Measured, type Probe } from './measure.js';

/** What a page in Chromium may load beside itself. */
export interface BrowserSource {
  /** The bytes at an address; null: ask the site itself, if it has an address, else nothing is there. */
  file: (address: string) => { body: Buffer; type: string } | null;
  /** Whether requests may go to the running site. */
  live: boolean;
  /** Headers for the site's own host, by visitor. */
  headers: (visitor: string | null) => Record<string, string>;
  /** Whether the page's own scripts run. */
  scripts: boolean;
}

/** Where the build is served from while pages are judged. */
const buildPath = '/local-needle-build/';

/** How long an element that comes by script is waited for, in milliseconds. */
const lateMs = 5000;

/** Judges the cells of a check in Chromium: the same pages with the build in them. Cells in no order. */
export async function judgeInBrowser(
  browser: Browser,
  input: CheckInput,
  bundleFor: (view: View) => Bundle,
  source: BrowserSource,
): Promise<Cell[]> {
  const cells: Cell[] = [];
  const bundles = new Map<View, Bundle>();
  for (const step of planCheck(input).steps()) {
    const look = step.look();
    const { view } = look;
    const bundle = bundles.get(view) ?? bundleFor(view);
    bundles.set(view, bundle);
    if (step.work.judged.length === 0) continue;
    const visitor = step.work.judged[0]?.rule.compiled.rule.visitor ?? input.visitor;
    const context = await browser.newContext({
      viewport: { width: look.viewport.width, height: look.viewport.height },
      bypassCSP: true,
      serviceWorkers: 'block',
    });
    try {
      cells.push(...(await judgePage(context, step, look, bundle, input, { source, visitor })));
    } finally {
      await context.close();
    }
  }
  return cells;
}

async function judgePage(
  context: BrowserContext,
  { page, work }: Step,
  look: Look,
  bundle: Bundle,
  input: CheckInput,
  { source, visitor }: { source: BrowserSource; visitor: string | null },
): Promise<Cell[]> {
  const address = pageAddress(page);
  const html = withBuild(look.view.html(page), bundle, input.place);
  const failures: string[] = [];
  await context.route('**/*', (route) =>
    answer(route, { address, html, bundle, source, view: look.view, headers: source.headers(visitor) }),
  );
  const tab = await context.newPage();
  tab.on('console', (message) => message.type() === 'error' && failures.push(message.text()));
  await tab.goto(address, { waitUntil: 'load', timeout: 30_000 });
  const change = look.state === null ? undefined : input.states[look.state];
  if (change) await applyState(tab, change);
  const cells: Cell[] = [];
  for (const { rule } of work.judged) cells.push(await judgeRule(tab, rule, look, failures, source.scripts));
  return cells;
}

function withBuild(html: string, bundle: Bundle, place: CheckInput['place']): string {
  const script = bundle.js === null ? '' : `<script src="${buildPath}needle.js"></script>`;
  const first = `<style id="local-needle-first">@layer local-needle-probe { }</style>`;
  const built = insertInto(
    html,
    `<link rel="stylesheet" id="local-needle-build" href="${buildPath}needle.css">${script}`,
    place,
  );
  // The first layer of all: what is important there wins over every other layer.
  return built.replace(/<head[^>]*>/i, (head) => head + first);
}

interface Answering {
  address: string;
  html: string;
  bundle: Bundle;
  source: BrowserSource;
  view: View;
  headers: Record<string, string>;
}

async function answer(route: Route, { address, html, bundle, source, view, headers }: Answering): Promise<void> {
  const request = route.request();
  const url = new URL(request.url());
  if (request.method() !== 'GET') return route.abort();
  if (url.pathname.startsWith(buildPath)) {
    const name = url.pathname.slice(buildPath.length);
    if (name === 'needle.css') return route.fulfill({ contentType: 'text/css', body: bundle.css.text });
    if (name === 'needle.js') return route.fulfill({ contentType: 'text/javascript', body: bundle.js?.text ?? '' });
    const bytes = bundle.files.get(name);
    return bytes ? route.fulfill({ body: Buffer.from(bytes) }) : route.fulfill({ status: 404, body: '' });
  }
  if (request.isNavigationRequest() && request.frame().parentFrame() === null)
    return request.url() === address
      ? route.fulfill({ contentType: 'text/html; charset=utf-8', body: html })
      : route.abort();
  const type = request.resourceType();
  if (!source.scripts && type === 'script') return route.abort();
  const style = type === 'stylesheet' ? view.style(url.href) : null;
  if (style) return route.fulfill({ contentType: 'text/css; charset=utf-8', body: style.text });
  const file = source.file(url.href);
  if (file) return route.fulfill({ contentType: file.type, body: file.body });
  if (!source.live) return route.fulfill({ status: 404, body: '' });
  const own = url.origin === new URL(address).origin;
  return route.continue(own ? { headers: { ...request.headers(), ...headers } } : {});
}

/** Puts a page into a state: classes by script, pseudo-classes as the developer tools do. */
async function applyState(tab: BrowserPage, { addClass, removeClass, pseudo }: PageState): Promise<void> {
  await tab.evaluate(
    ({ add, remove }) => {
      for (const [selector, name] of remove)
        document.querySelectorAll(selector).forEach((each) => each.classList.remove(name));
      for (const [selector, name] of add)
        document.querySelectorAll(selector).forEach((each) => each.classList.add(name));
    },
    { add: addClass, remove: removeClass },
  );
  if (pseudo.length === 0) return;
  const tools = await tab.context().newCDPSession(tab);
  await tools.send('DOM.enable');
  await tools.send('CSS.enable');
  const { root } = await tools.send('DOM.getDocument', { depth: -1 });
  const forced = new Map<number, Set<string>>();
  const force = (id: number, name: string) => forced.set(id, (forced.get(id) ?? new Set()).add(name));
  for (const [selector, written] of pseudo) {
    const name = written.replace(/^:/, '').toLowerCase();
    const upwards = name === 'hover' || name === 'active' ? name : name.startsWith('focus') ? 'focus-within' : null;
    const { nodeIds } = await tools.send('DOM.querySelectorAll', { nodeId: root.nodeId, selector });
    for (const id of nodeIds) {
      force(id, name);
      if (name === 'focus-visible') force(id, 'focus');
      if (upwards) for (const above of await lineage(tools, id)) force(above, upwards);
    }
  }
  for (const [nodeId, names] of forced)
    await tools.send('CSS.forcePseudoState', { nodeId, forcedPseudoClasses: [...names] });
}

/** The node IDs of the elements above one. */
async function lineage(tools: CDPSession, nodeId: number): Promise<number[]> {
  const { object } = await tools.send('DOM.resolveNode', { nodeId });
  const above: number[] = [];
  let current = object.objectId;
  while (current) {
    const { result } = await tools.send('Runtime.callFunctionOn', {
      objectId: current,
      functionDeclaration: 'function () { return this.parentElement; }',
    });
    if (!result.objectId) break;
    const { nodeId: id } = await tools.send('DOM.requestNode', { objectId: result.objectId });
    above.push(id);
    current = result.objectId;
  }
  return above;
}

async function judgeRule(
  tab: BrowserPage,
  { compiled: { rule }, actions }: JudgedRule,
  look: Look,
  failures: string[],
  scripts: boolean,
): Promise<Cell> {
  const own = actions.filter(
    ({ compiled: { action } }) => action.kind !== 'definition' && targets(rule, action, look.page, look.view.site),
  );
  const applied = own.filter(({ compiled }) => look.cascade.holds(compiled.around) !== false);
  const probes = applied.map((each) => probeOf(each, look));
  if (scripts) await waitForLate(tab, probes);
  const measured = await tab.evaluate(measure, probes);
  const judgements = measured.map((each, index) => resultOf(applied[index]?.compiled.action as Action, each));
  const verdict = verdictOf(judgements, rule.arrivesLate, applied.length < own.length);
  const failed = failures.some((text) => text.includes(`Rule "${rule.name}" failed`));
  return {
    rule: rule.name,
    page: look.page.path,
    verdict: scripts
      ? withScript(
          verdict,
          measured,
          applied.map(({ compiled }) => compiled.action),
          failed,
        )
      : verdict,
    sure: true,
    actions: judgements.map(({ result }) => result),
  };
}

/** In a browser a script's effect is seen: it ran without a fault, once what it waits for was there. */
function withScript(verdict: Verdict, measured: Measured[], actions: Action[], failed: boolean): Verdict {
  if (verdict !== 'unseen') return failed ? 'beaten' : verdict;
  if (failed) return 'beaten';
  return measured.some(({ elements }, index) => actions[index]?.kind === 'script' && elements === 0) ? 'empty' : 'hit';
}

/** What is asked of the page for one action. */
function probeOf(each: JudgedRule['actions'][number], look: Look): Probe {
  const { action, rules, around } = each.compiled;
  const listed = action.kind === 'mark-current' || around.some(({ kind }) => kind === 'scope');
  const selector =
    action.kind === 'script'
      ? (action.waitFor ?? 'html')
      : action.kind === 'stylesheet'
        ? 'html'
        : action.selectors.map(({ text }) => selectorParts(text).element).join(', ');
  const declarations = rules[0]?.declarations ?? [];
  return {
    kind: action.kind,
    selector,
    paths: listed ? matchedElements(each, look).map(elementPath) : null,
    pseudos: [...new Set(action.selectors.map(({ text }) => selectorParts(text).pseudo.replace(/^:(?!:)/, '::')))],
    longhands: each.longhands,
    text: declarations.map(({ name, value }) => `${name}: ${value} !important`).join('; '),
    image: action.kind === 'swap' ? (action.image?.path ?? action.image?.url ?? null) : null,
    words: action.kind === 'swap' ? action.text : null,
    html: action.kind === 'swap' && action.html?.content ? new TextDecoder().decode(action.html.content).trim() : null,
  };
}

async function waitForLate(tab: BrowserPage, probes: Probe[]): Promise<void> {
  const late = probes.filter(({ paths }) => paths === null).map(({ selector }) => selector);
  await tab
    .waitForFunction((selectors) => selectors.every((each) => document.querySelector(each)), late, { timeout: lateMs })
    .catch(() => undefined);
}

/** A result as the page told it; what beats a pair, a browser does not tell. */
function resultOf(
  { kind, selector }: Action,
  { elements, pairs, won, changes, lost }: Measured,
): Pick<Judgement, 'result' | 'changes' | 'unseen'> {
  const by = { file: '', line: 0, selector: '', reason: 'order' as const };
  // A script acts on no element that its selector names: what it waits for is not counted.
  const unseen = kind === 'script' || kind === 'stylesheet';
  const result = { action: kind, selector, elements: unseen ? 0 : elements, pairs, won };
  return { changes, unseen, result: { ...result, beaten: lost.map((each) => ({ ...each, by })) } };
}
