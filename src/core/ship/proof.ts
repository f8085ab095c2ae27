import type { Action } from '../action/action.js';
import type { CompiledAction, Owner } from '../action/compiled.js';
import { compileRule, ourSheet, remembering } from '../action/compile.js';
import { SharedSheets } from '../action/shared-sheets.js';
import { check, isLate, tooSlow } from '../check/check.js';
import type { CheckInput, ViewSettings } from '../check/input.js';
import { settingsFor, shipment, viewFor } from '../check/plan.js';
import type { Cell } from '../check/verdict.js';
import type { OurRule, OurSheet } from '../css/cascade/cascade.js';
import { forMany, isScoped } from '../css/cascade/sheet.js';
import { SheetStore } from '../css/cascade/page-sheets.js';
import { finding, type Finding } from '../finding.js';
import { readDocument, type Element, type PageDocument } from '../page/document.js';
import { elementPath } from '../page/element-path.js';
import { candidates, compileMatcher, compileTest } from '../page/elements.js';
import { TooLate, withinTime } from '../page/query.js';
import type { Page, Site } from '../page/page.js';
import type { PathOptions } from '../page/path.js';
import type { View } from '../page/view.js';
import type { Rule } from '../rule/rule.js';
import { reachedPages } from '../target/delivery.js';
import { SheetComparison } from './first-difference.js';
import type { ReadBuild, ReadTask } from './read-back.js';
import { marksOf, setMarks } from './marks.js';
import { SelectorStarts } from './selector-starts.js';
import { PlainProof } from './plain-proof.js';
import { hasStyleRule } from './stylesheet.js';
import { actingBy } from './tasks.js';

/** A build as read back, page by page. */
export interface Delivery {
  /**
   * What reaches a page; null if nothing does. A bundle is the same for all pages. `byScript`: the actions that the page's
   * own HTML does not do already.
   */
  to: (page: Page) => { build: ReadBuild; actions: Action[]; byScript?: Action[] } | null;
  pathOptions: PathOptions;
}

/** The result of verifying a build. */
export interface Proof {
  cells: number;
  pages: number;
  findings: Finding[];
}

/** Maximum number of differences listed; a single one makes the build wrong. */
const mostListed = 10;

/**
 * Compares a build that was read back with the check: on each captured page it must give the same verdicts, and
 * nothing of it may match on a page that its rule does not target. `input.rules` are those that ship. Pages on whose
 * `body` no selector of the build begins to match are not opened. Where the same rules apply to the same elements and
 * give them the same values, verdicts are the same; in other states, at other viewports and for other visitors the
 * rules are judged again.
 */
export function proveBuild(input: CheckInput, cells: Cell[], delivery: Delivery): Proof {
  const proof = new BuildProof(input, delivery);
  const view = input.view(null);
  for (const page of view?.site.pages ?? []) proof.tryPage(page);
  proof.tryPlainly();
  const again = check({
    ...{ ...input, results: undefined, hints: null, onOpen: undefined, findings: [], loading: null },
    delivered: (page, document) => proof.delivered(page, document),
    isKnown: proof.isKnown,
  });
  // A page that takes too long tells nothing, the first time or now.
  const late = new Set([...cells, ...again.cells].filter(isLate).map(({ page }) => page));
  for (const { page } of proof.late) if (page !== null) late.add(page);
  const inTime = (list: Cell[]) => list.filter(({ page }) => !late.has(page));
  const [known, others] = byWhether(inTime(cells), proof.isKnownCell());
  compareCells(others, inTime(again.cells), input.rules, proof.differs);
  const findings = [
    ...proof.findings,
    ...proof.late,
    ...proof.untried,
    ...again.findings.filter(({ code }) => code === 'too-slow'),
  ];
  return { cells: known.length + inTime(again.cells).length, pages: view?.site.pages.length ?? 0, findings };
}

/** Those of which something is so, and the others. */
function byWhether<T>(all: readonly T[], is: (each: T) => boolean): [T[], T[]] {
  const [those, others]: [T[], T[]] = [[], []];
  for (const each of all) (is(each) ? those : others).push(each);
  return [those, others];
}

/** A stylesheet that was read back, with its rules by how their selectors begin. */
interface ReadSheet extends OurSheet<Owner> {
  starts: SelectorStarts<OurRule<Owner>>;
  /** Whether it may reach pages whose `html` and `body` say the same. */
  reaching: Map<string, boolean>;
}

class BuildProof {
  readonly findings: Finding[] = [];
  /** Findings for pages that took too long to compare. */
  readonly late: Finding[] = [];
  /** Findings for rules that no page was fast enough to try the plain way. */
  readonly untried: Finding[] = [];
  private readonly compiled: CompiledAction[];
  private readonly sheets = new Map<ReadBuild, ReadSheet>();
  /** Pages on which the build does what the rules do, and those that took too long. */
  private readonly known = new Set<Page>();
  private readonly shippedTo: ((page: Page) => CompiledAction[]) | null;
  private readonly view: View | null;
  private readonly comparison: SheetComparison;
  /** Sheets of ours by the actions or rules in them: pages that get the same share one. */
  private readonly written = new SharedSheets<CompiledAction>(ourSheet);
  private readonly here = new Map<ReadSheet, SharedSheets<OurRule<Owner>>>();

  private readonly plain: PlainProof;

  constructor(
    private readonly input: CheckInput,
    private readonly delivery: Delivery,
  ) {
    this.plain = new PlainProof((message, rule, page) => this.differs(message, rule, page));
    this.compiled = input.rules.flatMap((rule) => compileRule(rule).actions);
    this.view = input.view(null);
    this.shippedTo = this.view && shipment(input.rules, this.view.site);
    this.comparison = new SheetComparison(
      new SheetStore(this.view ?? { style: () => null }, input.place),
      settingsFor({ state: null, viewport: null }, input).viewport,
    );
  }

  differs = (message: string, rule?: Rule, page?: Page): void => {
    if (this.findings.length >= mostListed) return;
    const hint = 'This is a bug in Local Needle: do not ship this build, and please report it.';
    this.findings.push(finding('build-differs', message, { rule: rule?.name, page: page?.path, at: rule?.at, hint }));
  };

  /** Whether the verdicts of a page at a viewport and in a state follow from what was compared. */
  isKnown = (page: Page, { state, viewport }: ViewSettings): boolean =>
    state === null && viewport.name === this.comparison.viewport.name && this.known.has(page);

  /** The same of a rule on a page. */
  isKnownCell(): (cell: Cell) => boolean {
    const { input, view } = this;
    const settings = new Map(
      input.rules
        .filter((rule) => viewFor(rule, input, []).view === view)
        .map((rule) => [rule.name, settingsFor(rule, input)]),
    );
    return ({ rule, page: path }) => {
      const [own, page] = [settings.get(rule), view?.site.byPath.get(path)];
      return own !== undefined && page !== undefined && this.isKnown(page, own);
    };
  }

  /** What the build adds to a page. */
  delivered(page: Page, document: PageDocument): OurSheet<Owner> | null {
    const brought = this.delivery.to(page);
    if (!brought) return null;
    setMarks(document, marksOf(page, brought.build));
    const sheet = this.sheetFor(brought);
    const may = sheet.starts.on(document);
    const known = this.here.get(sheet) ?? new SharedSheets<OurRule<Owner>>((rules) => ({ ...sheet, rules }));
    this.here.set(sheet, known);
    return known.of(sheet.rules.filter((rule) => may.has(rule)));
  }

  /** Tries the build on a page as it was captured, if anything in the build can match there. */
  tryPage(page: Page): void {
    const { view } = this;
    const brought = this.delivery.to(page);
    if (!brought || !view) return;
    const sheet = this.sheetFor(brought);
    const isExpected = (this.shippedTo?.(page) ?? []).length > 0;
    if (!isExpected && !isWide(sheet) && !this.mayReach(page, sheet, brought)) return;
    const compared = this.inTime(page, () => {
      const document = view.open(page);
      const delivered = this.delivered(page, document);
      this.compare(page, document, brought, delivered);
      return { document, delivered };
    });
    if (compared?.delivered) this.tryPlainlyOn(page, compared.document, compared.delivered);
  }

  /** Tries selectors on the largest of their pages, of which one has not been tried; see PlainProof. */
  tryPlainly(): void {
    const { view, shippedTo } = this;
    if (!view || !shippedTo) return;
    for (const page of this.plain.remaining()) {
      const document = view.open(page);
      const sheet = this.delivered(page, document);
      if (sheet) this.tryPlainlyOn(page, document, sheet);
    }
    for (const rule of this.plain.untried()) {
      const message = `Trying each element took too long on the pages of "${rule.name}"; its build was compared by its verdicts alone`;
      this.untried.push(finding('too-slow', message, { rule: rule.name, at: rule.at }));
    }
  }

  /** What the work gives within a page's time; null where it took longer, which is noted. */
  private inTime<T>(page: Page, work: () => T): T | null {
    const { input } = this;
    try {
      return input.startTime ? withinTime(input.startTime(), work) : work();
    } catch (error) {
      if (!(error instanceof TooLate)) throw error;
      this.late.push(tooSlow(page));
      this.known.add(page);
      return null;
    }
  }

  /** Whether a selector or a task of the build begins to match on the page's `html` and `body`. */
  private mayReach(page: Page, { starts, reaching }: ReadSheet, { build }: Brought): boolean {
    const marks = marksOf(page, build);
    const key = JSON.stringify([...page.bodyAttributes, marks]);
    let may = reaching.get(key);
    if (may === undefined) {
      const outline = outlineOf(page);
      setMarks(outline, marks);
      may =
        starts.on(outline).size > 0 ||
        build.tasks.some(({ current, scope }) => !current && compileTest(scope)(outline));
      reaching.set(key, may);
    }
    return may;
  }

  /** Tries selectors on a page the plain way, within a time limit of its own: it is slower than all else. */
  private tryPlainlyOn(page: Page, document: PageDocument, sheet: OurSheet<Owner>): void {
    const { startTime } = this.input;
    const shipped = this.shippedTo?.(page) ?? [];
    const work = () => this.plain.on(page, document, shipped, sheet);
    try {
      if (startTime) withinTime(startTime(), work);
      else work();
    } catch (error) {
      if (!(error instanceof TooLate)) throw error;
      this.plain.giveUp(page);
    }
  }

  private compare(
    page: Page,
    document: PageDocument,
    brought: Brought,
    sheet: OurSheet<Owner> | null = this.delivered(page, document),
  ): void {
    const { view, shippedTo, input, differs } = this;
    const { build, actions, byScript } = brought;
    if (!view || !shippedTo || !sheet) return;
    const before = this.findings.length;
    const shipped = shippedTo(page);
    const written = this.written.of(shipped);
    if (!this.comparison.areSame(document, written, sheet)) {
      const expected = new Map(shipped.map((each) => [each, reachOf(each, document)]));
      const difference = this.comparison.firstDifference(page, document, written, sheet);
      if (difference !== null) differs(`On ${page.path} ${difference}, as it should be`, undefined, page);
      for (const rule of sheet.rules) reachesNoMore(rule, page, document, this.compiled, expected, differs);
    }
    tasksReachNoMore(build.tasks, byScript ?? actions, page, document, input.rules, view.site, differs);
    if (this.findings.length === before) this.known.add(page);
  }

  private sheetFor({ build, actions }: Brought): ReadSheet {
    const known = this.sheets.get(build);
    if (known) return known;
    const sheet = ownedSheet(build, actions, this.compiled, this.differs);
    const starts = new SelectorStarts<OurRule<Owner>>();
    for (const rule of sheet.rules) {
      if (isScoped(rule.around)) starts.addAlways(rule);
      else for (const { text } of rule.selectors) starts.add(text, rule);
    }
    const read = { ...sheet, starts, reaching: new Map<string, boolean>() };
    this.sheets.set(build, read);
    return read;
  }
}

type Brought = NonNullable<ReturnType<Delivery['to']>>;

/** Whether a sheet changes what the site's own styles mean. */
const isWide = ({ layers, registered }: OurSheet<Owner>) => layers.length > 0 || registered.size > 0;

/** The `html` and `body` of a page as its opening tells them; names match in any letter case. */
function outlineOf({ bodyAttributes }: Page): PageDocument {
  const document = readDocument('');
  const body = document.elements.find(({ tagName }) => tagName === 'body');
  body?.attrs.push(...[...bodyAttributes].map(([name, value]) => ({ name, value })));
  return { ...document, quirks: true, kept: new Map() };
}

type Differs = BuildProof['differs'];

/** The stylesheet that was read, each of its rules with the action that it came from: they are in the same order. */
function ownedSheet(
  { sheet }: ReadBuild,
  actions: Action[],
  compiled: CompiledAction[],
  differs: Differs,
): OurSheet<Owner> {
  const styled = actions.filter(
    (action) => hasStyleRule(action) && !action.within.some(({ name }) => name.toLowerCase() === 'starting-style'),
  );
  if (styled.length !== sheet.rules.length)
    differs(`The stylesheet has ${sheet.rules.length} style rules where ${styled.length} were written`);
  const owners = new Map(compiled.map(({ action, owner }) => [action, owner]));
  const { layers, keyframes, registered, makesContainers } = sheet;
  const rules = sheet.rules.map((rule, index): OurRule<Owner> => {
    const action = styled[index];
    const selectors = isScoped(rule.around) ? rule.selectors : rule.selectors.map(forMany).map(remembering);
    return { ...rule, selectors, owner: (action && owners.get(action)) ?? null };
  });
  return { layers, keyframes, registered, makesContainers, rules };
}

function compareCells(before: Cell[], after: Cell[], rules: Rule[], differs: Differs): void {
  const told = ({ verdict, actions }: Cell) =>
    JSON.stringify([verdict, actions.map(({ elements, pairs, won }) => [elements, pairs, won])]);
  const key = ({ rule, page }: Cell) => JSON.stringify([rule, page]);
  const found = new Map(after.map((cell) => [key(cell), cell]));
  const names = new Map(rules.map((rule) => [rule.name, rule]));
  for (const cell of before) {
    const rule = names.get(cell.rule);
    const other = found.get(key(cell));
    if (!rule || (other && told(other) === told(cell))) continue;
    const saw = !other
      ? 'nothing'
      : other.verdict === cell.verdict
        ? `${other.verdict} by other elements`
        : other.verdict;
    differs(`"${cell.rule}" was checked as ${cell.verdict} on ${cell.page}; what was built gives ${saw}`, rule);
  }
}

/** The elements that an action may reach on a page where it ships; null if only the cascade knows. */
function reachOf({ selectors, rules }: CompiledAction, document: PageDocument): Set<Element> | null {
  // Inside @scope only the cascade knows; the verdicts are compared.
  if (selectors === null) return rules.length > 0 ? null : new Set();
  return new Set(selectors.flatMap((selector) => selector.elements(document)));
}

function reachesNoMore(
  { selectors, owner }: OurRule<Owner>,
  page: Page,
  document: PageDocument,
  all: CompiledAction[],
  expected: Map<CompiledAction, Set<Element> | null>,
  differs: Differs,
): void {
  const compiled = all.find((each) => each.owner === owner);
  const rule = compiled?.owner.rule;
  const allowed = compiled && expected.get(compiled);
  if (allowed === null) return;
  for (const selector of selectors) {
    const isBeyond = (element: Element) => !allowed?.has(element);
    const beyond = selector.elements
      ? selector.elements(document).find(isBeyond)
      : candidates(document, selector.key).find((each) => isBeyond(each) && selector.matches(document, each));
    if (beyond)
      differs(
        `"${rule?.name ?? '?'}" would reach ${elementPath(beyond)} on ${page.path}: ${selector.text}`,
        rule,
        page,
      );
  }
}

/** Swaps and scripts act on their rule's pages alone. */
function tasksReachNoMore(
  tasks: ReadTask[],
  actions: Action[],
  page: Page,
  document: PageDocument,
  rules: Rule[],
  site: Site,
  differs: Differs,
): void {
  const acting = actingBy(actions);
  const own = tasks.filter(({ current }) => !current);
  own.forEach((task, index) => {
    const action = acting[index];
    const rule = rules.find(({ name }) => name === task.rule);
    if (!rule || !action || !rule.actions.includes(action))
      return differs(`local-needle.js has a task of "${task.rule}" that no rule asks for`);
    const isFor = reachedPages(rule, action, site).has(page);
    const reached = compileMatcher(task.scope)(document).length > 0;
    if (reached !== isFor)
      return differs(
        `local-needle.js would ${reached ? '' : 'not '}act for "${rule.name}" on ${page.path}`,
        rule,
        page,
      );
    if (!task.isSwap) return;
    const wanted = isFor ? compileMatcher(action.selectors.map(({ text }) => text).join(', '))(document) : [];
    const found = compileMatcher(task.selector)(document);
    if (found.length !== wanted.length || found.some((element) => !wanted.includes(element)))
      differs(
        `local-needle.js would swap ${found.length} elements for "${rule.name}" on ${page.path}, not ${wanted.length}`,
        rule,
        page,
      );
  });
}
