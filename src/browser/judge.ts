import type { Browser, BrowserContext, Page as BrowserPage } from 'playwright-core';
import type { Bundle } from '../core/build/bundle.js';
import { matchedElements, verdictOf, type Judgement, type JudgedRule } from '../core/check/judge.js';
import type { Look } from '../core/check/look.js';
import type { CheckInput, Step } from '../core/check/plan.js';
import { planCheck } from '../core/check/plan.js';
import type { Cell, Verdict } from '../core/check/verdict.js';
import { selectorParts } from '../core/css/selector.js';
import { elementPath } from '../core/page/element-path.js';
import { pageAddress, type View } from '../core/page/view.js';
import type { Action } from '../core/rule/rule.js';
import { targets } from '../core/rule/target.js';
import { measure, type Measured, type Probe } from './measure.js';
import { answer, withBuild, type BrowserSource } from './serve.js';
import { applyState } from './state.js';

export type { BrowserSource };

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
