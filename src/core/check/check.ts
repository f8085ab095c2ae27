import { missingElements, type MissingElement } from '../fix/missing-element.js';
import { textSignature } from '../signature.js';
import { byLevel, finding, levelCounts, type Finding } from '../finding.js';
import { loadingFindings, type PageLoading } from '../deployment/deployment.js';
import { TooLate, withinTime } from '../page/query.js';
import type { Page } from '../page/page.js';
import type { PageOutline } from '../css/cascade/page-outline.js';
import type { View } from '../page/view.js';
import type { Rule } from '../rule/rule.js';
import { statusOf } from '../rule/status.js';
import { brokenExpectations } from './expectations.js';
import { hiddenByRules } from './hidden-elements.js';
import type { CheckInput, SiteAcceptance, Timed } from './input.js';
import {
  hidingKey,
  isKeptAs,
  isOutlined,
  keptAs,
  keyOfAction,
  loadsStyles,
  noKey,
  partKeys,
  partsOf,
  partWith,
  type KeptPart,
  type PartKey,
} from './kept-parts.js';
import { judgeByOutline, type PageJudgement } from './from-outline.js';
import { KnownElements } from './element-facts.js';
import type { OpenedPage } from './opened-page.js';
import { judge, shownElsewhere, unseenOn } from './judge.js';
import { planCheck, type Judged, type PageTask, type Plan, type Work } from './plan.js';
import {
  demandSignature,
  linesSignature,
  namesPlaces,
  ruleSignature,
  withLines,
  type PageResult,
} from './result-cache.js';
import { ruleFindings } from './rule-findings.js';
import { assumedFonts, capturesApart, flashes, needsScript, nothingMarked, uncapturedSheets } from './site-findings.js';
import type { Cell, CheckReport } from './verdict.js';

/** Judges every rule on every page that it targets. Opens only pages that a rule targets, one at a time. */
export function check(input: CheckInput): CheckReport {
  const [report] = checkEach([input]);
  if (!report) throw new Error('A check gave no report');
  return report;
}

/** The same, a page a step, so that something else can be done between two pages, or the check be given up. */
export function* checkInSteps(input: CheckInput): Generator<undefined, CheckReport> {
  const run = new Run(input);
  for (const [index, task] of run.plan.tasks.entries()) {
    run.do(task, index);
    yield;
  }
  return run.report();
}

/** Several checks of the same pages in one pass: a page is opened once for all of them. */
export function checkEach(inputs: CheckInput[]): CheckReport[] {
  const open = inputs.length > 1 ? lastOpened() : undefined;
  const runs = inputs.map((input) => new Run({ ...input, open: input.open ?? open }));
  const tasks = runs.flatMap((run) => run.plan.tasks.map((task, index) => ({ run, task, index })));
  if (runs.length > 1) {
    const views = [...new Set(tasks.map(({ task }) => task.context.view))];
    const placeOf = ({ task }: (typeof tasks)[number]) => views.indexOf(task.context.view);
    tasks.sort((a, b) => placeOf(a) - placeOf(b) || comparePaths(a.task.page, b.task.page));
  }
  for (const { run, task, index } of tasks) run.do(task, index);
  return runs.map((run) => run.report());
}

const comparePaths = (a: Page, b: Page) => (a.path < b.path ? -1 : a.path > b.path ? 1 : 0);

/** Opens pages and keeps the last one open. */
function lastOpened(): NonNullable<CheckInput['open']> {
  let last: { view: View; page: Page; document: ReturnType<View['open']> } | null = null;
  return (view, page) => {
    if (last?.view !== view || last.page !== page) last = { view, page, document: view.open(page) };
    return last.document;
  };
}

/** How the time of a step is counted; not at all where nobody asks. */
const timed = ({ timed: asked }: CheckInput): Timed => asked ?? ((_step, _page, run) => run());

/** A running check. */
class Run {
  readonly plan: Plan;
  private readonly findings: Finding[];
  private readonly cells: Cell[] = [];
  private readonly missing: MissingElement[] = [];
  private readonly uncaptured = new Map<string, Page[]>();
  private readonly ofFonts = new Set<string>();
  private readonly loading = new Map<Page, PageLoading>();
  private readonly keyOf: ((task: PageTask) => TaskKey | null) | null;
  private readonly rules: Map<string, Rule>;
  private readonly ruleFiles: Set<string>;
  private isPartial = false;

  constructor(private readonly input: CheckInput) {
    this.plan = timed(input)('plan', null, () => planCheck(input));
    this.findings = [...input.findings, ...this.plan.findings];
    for (const each of this.plan.judged) if (!each.rule.paused) this.findings.push(...ruleFindings(each, input));
    this.keyOf = input.results ? keysFor(input) : null;
    this.rules = new Map(input.rules.map((rule) => [rule.name, rule]));
    this.ruleFiles = new Set([...input.rules, ...input.keptVisible].map(({ at }) => at.file));
  }

  /** Judges a page, or uses the kept result. */
  do(task: PageTask, index: number): void {
    const { results, claim } = this.input;
    const { key, known } = timed(this.input)('look up kept results', task.page, () => this.kept(task));
    if (!known && key !== null && claim?.(index, () => this.isQuick(task, key)) === false) {
      this.isPartial = true;
      return;
    }
    const result = known ?? this.judge(task, key);
    const isWhole = !result.findings.some(({ code }) => code === 'too-slow');
    if (key !== null && isWhole && !known) results?.set(key.whole, this.toKeep(result, task));
    this.cells.push(...result.cells);
    this.findings.push(...result.findings);
    for (const [name, number] of result.missing) {
      const [rule, { view }] = [this.rules.get(name), task.context];
      const action = rule?.actions[number];
      if (rule && action) this.missing.push({ rule, action, page: task.page, view, state: task.work.settings.state });
    }
    if (result.loading) this.loading.set(task.page, result.loading);
    for (const address of result.ofFonts) this.ofFonts.add(address);
    for (const address of result.uncaptured) {
      const list = this.uncaptured.get(address) ?? [];
      if (!list.includes(task.page)) list.push(task.page);
      this.uncaptured.set(address, list);
    }
  }

  /** Pages with an outline that were judged, and those of them where it was not enough. */
  private readonly outlined = { pages: 0, looked: 0 };

  /** Whether little of a page need be looked at, or nothing, as far as the pages before it tell. */
  private isQuick(task: PageTask, { page }: TaskKey): boolean {
    const { pages, looked } = this.outlined;
    const hasOutline = this.input.outlines?.get(outlinePlace(task.page.path, task.work))?.page === page;
    return looked * 2 <= pages && hasOutline && this.earlierOf(page) !== undefined;
  }

  private lastEarlier: { page: string; result: PageResult | undefined } | null = null;

  /** The last result of the page with a key. */
  private earlierOf(page: string): PageResult | undefined {
    if (this.lastEarlier?.page !== page) this.lastEarlier = { page, result: this.input.results?.find?.(page) };
    return this.lastEarlier.result;
  }

  private outlineOf({ page: { path }, work }: PageTask, page: string): KnownOutline | undefined {
    const kept = this.input.outlines?.get(outlinePlace(path, work));
    if (kept?.page !== page) return undefined;
    const facts = kept.facts.length > mostFacts ? undefined : kept.facts;
    return { outline: JSON.parse(kept.outline) as PageOutline, facts };
  }

  /** The key of a page's result, and the result that was kept if it still holds. */
  private kept(task: PageTask): { key: TaskKey | null; known: PageResult | undefined } {
    const key = this.keyOf?.(task) ?? null;
    const kept = key === null ? undefined : this.input.results?.get(key.whole);
    const holds = kept && stillHolds(kept, task) && (kept.lines === undefined || kept.lines === this.linesOf(task));
    return { key, known: holds ? withLines(1, kept, this.rules) : undefined };
  }

  /** Judges a page, with what an earlier result of it tells of single rules where that still holds. */
  private judge(task: PageTask, key: TaskKey | null): PageResult {
    const { input, ruleFiles } = this;
    if (key === null) return judgeInTime(task, input, null);
    const { page } = key;
    const found = this.earlierOf(page);
    const isOfPage = found && !loadsStyles(task.context.shippedTo(task.page)) && stillHolds(found, task);
    const earlier = isOfPage ? withLines(1, found, this.rules) : undefined;
    const outline = this.outlineOf(task, page);
    if (earlier && outline) this.outlined.pages++;
    return judgeInTime(task, input, {
      ...{ page, earlier, outline, ruleFiles },
      parts: earlier ? partsOf(earlier) : new Map(),
      onLook: () => this.outlined.looked++,
      keep: ({ outline, facts }) =>
        input.outlines?.set(outlinePlace(task.page.path, task.work), {
          ...{ page, outline: JSON.stringify(outline), facts },
        }),
    });
  }

  private toKeep(result: PageResult, task: PageTask): PageResult {
    const kept = withLines(-1, result, this.rules);
    return namesPlaces(result, this.ruleFiles) ? { ...kept, lines: this.linesOf(task) } : kept;
  }

  /** Where all that a page's result can tell of stands in the rule files. */
  private linesOf({ page, work, context }: PageTask): string {
    return linesSignature([
      ...work.judged.map(({ rule }) => rule.rule),
      ...context.shippedTo(page).map(({ owner }) => owner.rule),
      ...context.elsewhere.map(({ rule }) => rule),
      ...(context.keptVisible.length > 0 ? this.input.keptVisible : []),
      ...work.expectations,
    ]);
  }

  report(): CheckReport {
    const { input, cells } = this;
    // Other threads may report missing elements too, so hints are made for the whole report.
    const missing = timed(input)('work out hints', null, () =>
      this.isPartial ? [] : missingElements(this.missing, input),
    );
    return timed(input)('put together', null, () => this.put(missing, cells));
  }

  private put(missing: Finding[], cells: Cell[]): CheckReport {
    const { input } = this;
    const findings = [
      ...this.findings,
      ...missing,
      ...(input.loading ? loadingFindings(this.loading, input.loading, input.view(null)?.style ?? (() => null)) : []),
      ...nothingMarked(input.rules, cells),
      ...needsScript(input, this.plan.judged, cells),
      ...flashes(this.plan.judged, input),
      ...capturesApart(this.plan.judged, input),
      ...uncapturedSheets(this.uncaptured, input),
      ...assumedFonts(this.ofFonts),
    ];
    return reportOf(input, this.plan.judged, cells, findings);
  }
}

/** Facts of a page that take more characters are forgotten: edit after edit adds some. */
const mostFacts = 1_000_000;

const outlinePlace = (path: string, { settings }: Work) => JSON.stringify([path, settings]);

/** A report with further findings. */
export function withFindings<T extends CheckReport>(report: T, more: Finding[]): T {
  if (more.length === 0) return report;
  const findings = [...report.findings, ...more].sort(byLevel);
  return { ...report, findings, totals: { ...report.totals, ...levelCounts(findings) } };
}

const tookTooLong = 'selectors that took too long to try';

/** Whether a cell was not judged because its page took too long. */
export const isLate = ({ dependsOn = [] }: Cell) => dependsOn.includes(tookTooLong);

/** Judges a page within a time limit, so that no page can block a check. */
function judgeInTime(task: PageTask, input: CheckInput, kept: KeptOfPage | null): PageResult {
  const { startTime } = input;
  if (!startTime) return judgeTask(task, timed(input), kept);
  try {
    return withinTime(startTime(), () => judgeTask(task, timed(input), kept));
  } catch (error) {
    if (!(error instanceof TooLate)) throw error;
    const { path } = task.page;
    const dependsOn = [tookTooLong];
    return {
      ...nothingFound(),
      cells: task.work.judged.map(({ rule: { rule } }): Cell => ({
        ...{ rule: rule.name, page: path, verdict: 'unjudged', sure: false, dependsOn, actions: [] },
      })),
      findings: [tooSlow(task.page)],
    };
  }
}

/** The finding for a page that took too long. */
export const tooSlow = ({ path }: Page): Finding =>
  finding('too-slow', `Selectors took too long on ${path}; its rules were not checked there`, {
    page: path,
    hint: "Look for :has() and :not() with long selectors, in the rules and in the page's stylesheets. check --browser has no such limit.",
  });

const nothingFound = (): PageResult => ({
  ...{ styles: [], cells: [], findings: [], missing: [], uncaptured: [], ofFonts: [], unread: [], loading: null },
});

/** Judges one page. */
function judgeTask(task: PageTask, measured: Timed, kept: KeptOfPage | null): PageResult {
  let opened: OpenedPage | undefined;
  const open = () => (opened ??= measured('open pages', task.page, task.look));
  return measured('judge', task.page, () => {
    const judged = byOutline(task, open, kept) ?? byOpening(task, open(), kept);
    const result = withMore(resultOf(judged, task, open, kept), task, judged.look, kept);
    if (judged.isLookedAt()) kept?.onLook();
    return result;
  });
}

/** What its rules do on a page, as its result. */
function resultOf(
  { parts, keys }: PageJudgement,
  { page, context }: PageTask,
  open: () => OpenedPage,
  kept: KeptOfPage | null,
): PageResult {
  const { styles, uncaptured, ofFonts, unread } = kept?.earlier ?? loadedBy(open());
  const result: PageResult = { ...nothingFound(), styles, uncaptured, ofFonts, unread };
  for (const { cell, findings, missing } of parts) {
    result.cells.push(cell);
    result.findings.push(...findings);
    result.missing.push(...missing.map((action): [string, number] => [cell.rule, action]));
  }
  if (!kept || loadsStyles(context.shippedTo(page))) return result;
  const isTied = ({ cell, findings }: KeptPart) => namesPlaces({ cells: [cell], findings }, kept.ruleFiles);
  result.parts = {
    page: kept.page,
    rules: parts.map((part, index) => keptAs(keys[index] ?? noKey, isTied(part))),
    findings: parts.map((part) => part.findings.length),
    ...{ hidden: { key: '', from: 0, findings: 0 }, loading: '' },
  };
  return result;
}

/** Judges the rules by what our selectors reach on the page, as it was kept or as the opened page tells; null if neither does. */
function byOutline(task: PageTask, open: () => OpenedPage, kept: KeptOfPage | null): PageJudgement | null {
  const { page, work, context } = task;
  if (work.settings.state !== null || !isOutlined(context.shippedTo(page), context.sheetOf(page))) return null;
  const { earlier, outline: known, parts = new Map<string, KeptPart>() } = kept ?? {};
  const judgedBy = (outline: PageOutline, facts: string | undefined, isNew: boolean) => {
    const elements = new KnownElements(page.file, facts, open);
    const judged = judgeByOutline(task, { outline, isNew, elements, open, earlier, parts });
    if (judged && (isNew || elements.isAsked)) kept?.keep({ outline, facts: elements.text() });
    return judged;
  };
  const told = earlier && known ? judgedBy(known.outline, known.facts, false) : null;
  if (told) return told;
  const outline = open().cascade.outline();
  return outline && judgedBy(outline, known?.outline.set === outline.set ? known.facts : undefined, true);
}

/** Judges the rules on the opened page. */
function byOpening(task: PageTask, look: OpenedPage, kept: KeptOfPage | null): PageJudgement {
  const keyOf = kept ? partKeys(task, () => look.cascade.meetings()) : () => noKey;
  const keys = task.work.judged.map(({ rule, dependsOn }) => keyOf(rule, dependsOn));
  const known = (key?: PartKey) => (kept && key ? partWith(kept.parts, key) : undefined);
  return {
    keys,
    look: () => look,
    isLookedAt: () => true,
    parts: task.work.judged.map(({ rule, dependsOn }, index) => known(keys[index]) ?? judge(rule, look, dependsOn)),
  };
}

const loadedBy = (look: OpenedPage): Pick<PageResult, 'styles' | 'uncaptured' | 'ofFonts' | 'unread'> => ({
  ...{ styles: look.sheets.loaded, uncaptured: unseenOn(look) },
  ...{ ofFonts: look.sheets.ofFonts, unread: look.sheets.unread },
});

/** What is found on a page besides the verdicts of its own rules; it is opened where that may be something else than before. */
function withMore(result: PageResult, task: PageTask, look: () => OpenedPage, kept: KeptOfPage | null): PageResult {
  const { page, work, context } = task;
  const { earlier } = kept ?? {};
  for (const expectation of work.expectations) result.findings.push(...brokenExpectations(expectation, look()));
  for (const rule of context.elsewhere) result.findings.push(...shownElsewhere(rule, look()));
  const shipped = context.shippedTo(page);
  if (context.keptVisible.length > 0) {
    const key = hidingKey(task);
    const known = earlier && isKeptAs(earlier.parts?.hidden.key, key) ? earlier.parts?.hidden : null;
    const found = known
      ? (earlier?.findings.slice(known.from, known.from + known.findings) ?? [])
      : hiddenByRules(context.keptVisible, shipped, look());
    const isTied = namesPlaces({ cells: [], findings: found }, kept?.ruleFiles ?? new Set());
    const { length: from } = result.findings;
    if (result.parts) result.parts.hidden = { key: keptAs(key, isTied), from, findings: found.length };
    result.findings.push(...found);
  }
  if (shipped.length > 0 && context.loading) {
    const signature = context.loading.signature(page);
    const known = earlier?.parts?.loading === signature ? earlier.loading : null;
    result.loading = known ?? context.loading.of(page, look());
    if (result.parts) result.parts.loading = signature;
  }
  return result;
}

/** What is kept of a page. */
interface KeptOfPage {
  /** The page's key. */
  page: string;
  /** An earlier result with the same stylesheets, and its parts by their keys. */
  earlier: PageResult | undefined;
  parts: ReadonlyMap<string, KeptPart>;
  outline: KnownOutline | undefined;
  ruleFiles: ReadonlySet<string>;
  /** Called when its outline was not enough. */
  onLook: () => void;
  /** Keeps an outline of the page, and what was asked of its elements. */
  keep: (told: { outline: PageOutline; facts: string }) => void;
}

interface KnownOutline {
  outline: PageOutline;
  facts?: string | undefined;
}

/** The key of everything that a page's result depends on but its stylesheets, and that of the page and its settings alone. */
interface TaskKey {
  whole: string;
  page: string;
}

function keysFor(input: CheckInput): (task: PageTask) => TaskKey | null {
  const settings = JSON.stringify([input.states, input.place, input.loading?.address, input.paths]);
  const keptVisible = demandSignature(input.keptVisible);
  return ({ page, work, context }) => {
    const identity = context.view.identity(page);
    if (identity === null) return null;
    const shipped = context.shippedTo(page).map(keyOfAction);
    const judged = work.judged.map(({ rule, dependsOn }) => [rule.rule.name, dependsOn]);
    const own = JSON.stringify([
      page.path,
      identity,
      input.loading ? context.view.policy(page) : null,
      work.settings,
      settings,
    ]);
    const whole = JSON.stringify([
      own,
      context.keptVisible.length > 0 ? keptVisible : '',
      demandSignature(work.expectations),
      judged,
      [...new Set(work.judged.map(({ rule }) => ruleSignature(rule.rule)))],
      shipped,
      context.elsewhere.map(({ rule }) => ruleSignature(rule)),
    ]);
    return { whole, page: textSignature(own) };
  };
}

/** Whether the stylesheets of a kept result are unchanged. */
const stillHolds = ({ styles }: PageResult, { context }: PageTask) =>
  styles.every(([address, identity]) => (context.style(address)?.identity ?? null) === identity);

function reportOf(input: CheckInput, judged: Judged[], cells: Cell[], findings: Finding[]): CheckReport {
  const { rules } = input;
  const order = new Map(rules.map((rule, index) => [rule.name, index]));
  cells.sort((a, b) => (order.get(a.rule) ?? 0) - (order.get(b.rule) ?? 0) || (a.page < b.page ? -1 : 1));
  const unique = distinct(findings);
  const all = sorted(unique.filter((each) => !isAccepted(each, rules, input.allow ?? [])));
  const kept = all.filter(({ level }) => level !== 'note');
  const main = (input.view(input.visitor) ?? input.view(null))?.site;
  return {
    kind: 'local-needle.check',
    version: 2,
    site: main?.name ?? '',
    viewport: input.viewport,
    state: input.state,
    visitor: input.visitor,
    rules: judged.map(({ rule, pages }) => ({
      rule: rule.name,
      file: rule.at.file,
      line: rule.at.line,
      paused: rule.paused,
      status: statusOf(rule, input.today),
      pages: [...pages].map((page) => page.path),
      note: rule.note,
    })),
    cells,
    findings: kept,
    notes: all.filter(({ level }) => level === 'note'),
    accepted: unique.length - all.length,
    totals: { rules: rules.length, pages: main?.pages.length ?? 0, cells: cells.length, ...levelCounts(kept) },
  };
}

/** Whether the finding's rule or, for a finding about the site, local-needle.yaml accepts it. */
function isAccepted(each: Finding, rules: Rule[], bySite: SiteAcceptance[]): boolean {
  if (each.rule === null) return bySite.some(({ code, covers }) => code === each.code && covers(each));
  return rules.some(({ name, allow }) => name === each.rule && allow.some(({ code }) => code === each.code));
}

function distinct(findings: Finding[]): Finding[] {
  const seen = new Set<string>();
  return findings.filter(({ code, rule, page, message, at }) => {
    const key = JSON.stringify([code, rule, page, message, at]);
    return !seen.has(key) && seen.add(key);
  });
}

/** Errors first, then in the order of their places. */
function sorted(findings: Finding[]): Finding[] {
  const place = ({ at }: Finding) =>
    `${at?.file ?? ''} ${String(at?.line ?? 0).padStart(8)} ${String(at?.column ?? 0).padStart(8)}`;
  const byPlace = (a: Finding, b: Finding) => (place(a) < place(b) ? -1 : place(a) > place(b) ? 1 : 0);
  return [...findings].sort((a, b) => byLevel(a, b) || byPlace(a, b));
}
