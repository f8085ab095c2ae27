import pLimit from 'p-limit';
import type { Browser, Page as BrowserPage } from 'playwright-core';
import type { Bundle } from '../core/ship/bundle.js';
import type { Action } from '../core/action/action.js';
import type { Rule } from '../core/rule/rule.js';
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
import { ProblemError } from '../core/place.js';
import { ownPages } from '../core/target/delivery.js';
import { measure, type Measured, type Probe } from './measure.js';
import { PageWindow, reasonOf, type FailedPage } from './page-window.js';
import { withBuild, type BrowserSource } from './serve.js';
import { applyState } from './state.js';

export type { BrowserSource };

/** Time to wait on a page for elements that scripts add, in milliseconds. */
const lateMs = 5000;
/** Pages that are judged at the same time: most of the time goes into waiting. */
const atOnce = 4;

/** What a browser judged. */
export interface BrowserJudgement {
  /** Without order. */
  cells: Cell[];
  failed: FailedPage[];
}

/** What a browser is to judge. */
export interface BrowserCheck {
  input: CheckInput;
  bundleFor: (view: View) => Bundle;
  source: BrowserSource;
  /** How long a page may take to load, and then for each answer. */
  timeoutMs: number;
  /** Whether a rule is to be judged on a page that it targets. */
  isWanted: (rule: string, page: string) => boolean;
}

/** Judges the cells of a check in Chromium, on the same pages with the build in them. */
export async function judgeInBrowser(
  browser: Browser,
  { input, bundleFor, source, timeoutMs, isWanted }: BrowserCheck,
): Promise<BrowserJudgement> {
  const bundles = new Map<View, Bundle>();
  const limit = pLimit(atOnce);
  const free: JudgingWindow[] = [];
  const failed: FailedPage[] = [];
  const judge = async (task: PageTask): Promise<Cell[]> => {
    const look = task.look();
    const { view } = look;
    const bundle = bundles.get(view) ?? bundleFor(view);
    bundles.set(view, bundle);
    const window = free.pop() ?? new JudgingWindow(browser, timeoutMs);
    try {
      return await judgePage(window, task, look, bundle, input, source);
    } catch (error) {
      if (error instanceof ProblemError) throw error;
      const { path } = task.page;
      // A page is looked at once for each state and visitor of its rules.
      if (!failed.some((each) => each.path === path)) failed.push({ path, reason: reasonOf(error) });
      await window.pages.close();
      return [];
    } finally {
      free.push(window);
    }
  };
  const tasks = planCheck(input).tasks.flatMap((task) => {
    const judged = task.work.judged.filter(({ rule: { rule } }) => isWanted(rule.name, task.page.path));
    return judged.length > 0 ? [{ ...task, work: { ...task.work, judged } }] : [];
  });
  try {
    return { cells: (await Promise.all(tasks.map((task) => limit(judge, task)))).flat(), failed };
  } finally {
    limit.clearQueue();
    await Promise.all(free.map(({ pages }) => pages.close()));
  }
}

/** A window of the browser in which pages are judged, and what the page that it shows has said as an error. */
class JudgingWindow {
  errors: string[] = [];
  readonly pages: PageWindow;

  constructor(browser: Browser, timeoutMs: number) {
    this.pages = new PageWindow(browser, timeoutMs, {}, (tab) => {
      tab.on('request', (request) => {
        if (request.isNavigationRequest() && request.frame() === tab.mainFrame()) this.errors = [];
      });
      tab.on('console', (message) => message.type() === 'error' && this.errors.push(message.text()));
      return Promise.resolve();
    });
  }
}

async function judgePage(
  window: JudgingWindow,
  { page, work }: PageTask,
  look: OpenedPage,
  bundle: Bundle,
  input: CheckInput,
  source: BrowserSource,
): Promise<Cell[]> {
  const address = pageAddress(page);
  const html = withBuild(look.view.html(page), bundle, input.place);
  const headers = source.headers(work.judged[0]?.rule.rule.visitor ?? input.visitor);
  const answering = { address, html, bundle, source, view: look.view, headers };
  const { tab } = await window.pages.load(look.viewport, answering);
  const change = look.state === null ? undefined : input.states[look.state];
  if (change) await window.pages.answered(applyState(tab, change));
  const rules = work.judged.map(({ rule }) => appliedOn(rule, look));
  if (source.scripts && mayRunScripts(html))
    await waitForLate(
      tab,
      rules.flatMap(({ probes }) => probes),
    );
  const cells: Cell[] = [];
  for (const rule of rules) {
    const measured = await window.pages.answered(tab.evaluate(measure, rule.probes));
    cells.push(cellOf(rule, measured, look, window.errors, source.scripts));
  }
  return cells;
}

/** A rule, its actions that apply on a page, and what to measure of each. */
interface AppliedRule {
  rule: Rule;
  actions: CompiledAction[];
  probes: Probe[];
  /** Whether actions are left out, since an at-rule around them does not hold. */
  isPart: boolean;
}

function appliedOn({ rule, actions }: CompiledRule, look: OpenedPage): AppliedRule {
  const own = actions.filter(
    ({ action }) => actionKind(action).judge !== null && ownPages(rule, action, look.view.site).has(look.page),
  );
  const applied = own.filter(({ around }) => look.cascade.holds(around) !== false);
  return {
    rule,
    actions: applied,
    probes: applied.map((each) => probeOf(each, look)),
    isPart: applied.length < own.length,
  };
}

function cellOf(
  { rule, actions, isPart }: AppliedRule,
  measured: Measured[],
  look: OpenedPage,
  failures: string[],
  scripts: boolean,
): Cell {
  const judgements = measured.map((each, index) => resultOf(actions[index]?.action as Action, each));
  const verdict = verdictOf(judgements, rule.addedByScript, isPart);
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

/** Whether a page, as it is sent, can run a script at all: an element, an attribute such as onload, or what is in a frame. */
const mayRunScripts = (html: string) => /<(script|i?frame|object|embed)\b|[\s/"']on[a-z]+\s*=/i.test(html);

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
