import { contextFor, setMedium } from './look.js';
import type { Browser, BrowserContext, Page as BrowserPage } from 'playwright-core';
import type { Bundle } from '../core/ship/bundle.js';
import type { Action } from '../core/action/action.js';
import type { CompiledAction, CompiledRule } from '../core/action/compiled.js';
import { actionKind } from '../core/action/index.js';
import type { Judgement } from '../core/action/judgement.js';
import type { CheckInput } from '../core/check/input.js';
import { elementsOf, verdictOf } from '../core/check/judge.js';
import type { OpenedPage } from '../core/check/opened-page.js';
import { planCheck, type PageTask } from '../core/check/plan.js';
import type { Cell, Verdict } from '../core/check/verdict.js';
import { selectorParts } from '../core/css/selector.js';
import { elementPath } from '../core/page/element-path.js';
import { pageAddress, type View } from '../core/page/view.js';
import { ownPages } from '../core/target/delivery.js';
import { measure, type Measured, type Probe } from './measure.js';
import { answer, withBuild, type BrowserSource } from './serve.js';
import { applyState } from './state.js';

export type { BrowserSource };

/** Time to wait for an element that a script adds, in milliseconds. */
const lateMs = 5000;

/** Judges the cells of a check in Chromium, on the same pages with the build in them. The cells have no order. */
export async function judgeInBrowser(
  browser: Browser,
  input: CheckInput,
  bundleFor: (view: View) => Bundle,
  source: BrowserSource,
): Promise<Cell[]> {
  const cells: Cell[] = [];
  const bundles = new Map<View, Bundle>();
  for (const task of planCheck(input).tasks) {
    const look = task.look();
    const { view } = look;
    const bundle = bundles.get(view) ?? bundleFor(view);
    bundles.set(view, bundle);
    if (task.work.judged.length === 0) continue;
    const visitor = task.work.judged[0]?.rule.rule.visitor ?? input.visitor;
    const context = await browser.newContext({
      ...contextFor(look.viewport),
      bypassCSP: true,
      serviceWorkers: 'block',
    });
    try {
      cells.push(...(await judgePage(context, task, look, bundle, input, { source, visitor })));
    } finally {
      await context.close();
    }
  }
  return cells;
}

async function judgePage(
  context: BrowserContext,
  { page, work }: PageTask,
  look: OpenedPage,
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
  await setMedium(tab, look.viewport);
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
  { rule, actions }: CompiledRule,
  look: OpenedPage,
  failures: string[],
  scripts: boolean,
): Promise<Cell> {
  const own = actions.filter(
    ({ action }) => actionKind(action).judge !== null && ownPages(rule, action, look.view.site).has(look.page),
  );
  const applied = own.filter(({ around }) => look.cascade.holds(around) !== false);
  const probes = applied.map((each) => probeOf(each, look));
  if (scripts) await waitForLate(tab, probes);
  const measured = await tab.evaluate(measure, probes);
  const judgements = measured.map((each, index) => resultOf(applied[index]?.action as Action, each));
  const verdict = verdictOf(judgements, rule.addedByScript, applied.length < own.length);
  const failed = failures.some((text) => text.includes(`Rule "${rule.name}" failed`));
  return {
    rule: rule.name,
    page: look.page.path,
    verdict: scripts ? withScript(verdict, measured, failed) : verdict,
    sure: true,
    actions: judgements.map(({ result }) => result),
  };
}

/** In a browser a script's effect is seen: it ran without a fault, once what it waits for was there. */
function withScript(verdict: Verdict, measured: Measured[], failed: boolean): Verdict {
  if (verdict !== 'unjudged') return failed ? 'overridden' : verdict;
  if (failed) return 'overridden';
  return measured.some(({ elements }) => elements === 0) ? 'no-match' : 'hit';
}

/** What to measure in the page for one action. */
function probeOf(each: CompiledAction, look: OpenedPage): Probe {
  const { action, rules, around } = each;
  const { by, selector, image, text, html } = actionKind(action).probe(action);
  // Links to the page itself, and elements in a scope, no selector names.
  const listed = actionKind(action).scope === 'links' || around.some(({ kind }) => kind === 'scope');
  const declarations = rules[0]?.declarations ?? [];
  return {
    by,
    selector: selector ?? action.selectors.map((own) => selectorParts(own.text).element).join(', '),
    paths: listed ? elementsOf(each, look).map(elementPath) : null,
    pseudos: [...new Set(action.selectors.map((own) => selectorParts(own.text).pseudo.replace(/^:(?!:)/, '::')))],
    longhands: each.longhands,
    text: declarations.map(({ name, value }) => `${name}: ${value} !important`).join('; '),
    image,
    words: text,
    html,
  };
}

async function waitForLate(tab: BrowserPage, probes: Probe[]): Promise<void> {
  const late = probes.filter(({ paths }) => paths === null).map(({ selector }) => selector);
  await tab
    .waitForFunction((selectors) => selectors.every((each) => document.querySelector(each)), late, { timeout: lateMs })
    .catch(() => undefined);
}

/** A result as measured in the page; a browser does not say what overrides a pair. */
function resultOf(
  action: Action,
  { elements, pairs, won, changes, lost }: Measured,
): Pick<Judgement, 'result' | 'changes' | 'unseen'> {
  const by = { file: '', line: 0, selector: '', reason: 'order' as const };
  // A script that only waits for an element does not act on it, so nothing is counted.
  const unseen = actionKind(action).probe(action).by === 'nothing';
  const result = { action: action.kind, selector: action.selector, elements: unseen ? 0 : elements, pairs, won };
  return { changes, unseen, result: { ...result, overridden: lost.map((each) => ({ ...each, by })) } };
}
