import type { OurRule, OurSheet } from '../css/cascade/cascade.js';
import { candidates, compileMatcher } from '../page/elements.js';
import { elementPath } from '../page/element-path.js';
import type { Element, PageDocument } from '../page/document.js';
import type { Page } from '../page/page.js';
import type { Action, Rule } from '../rule/rule.js';
import { targets } from '../rule/target.js';
import { normalisePath, pathPattern, type PathOptions } from '../page/path.js';
import type { Mark } from '../build/scope.js';
import type { ReadBuild, ReadTask } from '../build/read-back.js';
import { hasStyles } from '../build/stylesheet.js';
import { check } from './check.js';
import { finding, type Finding } from './finding.js';
import { compileRule, ourSheet, type CompiledAction } from './our-rules.js';
import { mayMatch } from './may-match.js';
import { shipment, type CheckInput } from './plan.js';
import { firstDifference } from './same-looks.js';
import { SheetStore } from '../css/cascade/page-sheets.js';
import type { Cell } from './verdict.js';

/** What was read back of a build, page by page. */
export interface Delivery {
  /** What reaches a page; null where nothing does. The bundle is the same for all. */
  to: (page: Page) => { build: ReadBuild; actions: Action[] } | null;
  pathOptions: PathOptions;
}

/** What proving a build came to. */
export interface Proof {
  cells: number;
  pages: number;
  findings: Finding[];
}

/** Differences that are listed; one is enough for a build to be wrong. */
const mostListed = 10;

/**
 * Holds a build that was read back against what was checked: on each captured page it must give the same verdicts, and
 * nothing of it may match on a page that its rule does not target. `input.rules` are those that ship.
 */
export function proveBuild(input: CheckInput, cells: Cell[], delivery: Delivery): Proof {
  const compiled = input.rules.map(compileRule);
  const owners = new Map(compiled.flatMap(({ actions }) => actions.map((each) => [each.action, each])));
  const findings: Finding[] = [];
  const differs = (message: string, rule?: Rule, page?: Page) => {
    if (findings.length < mostListed)
      findings.push(
        finding('build-differs', message, {
          rule: rule?.name,
          page: page?.path,
          at: rule?.at,
          hint: 'This is a fault of Local Needle: do not ship this build, and tell its makers.',
        }),
      );
  };
  const sheets = new Map<ReadBuild, OurSheet>();
  const sheetFor = ({ build, actions }: NonNullable<ReturnType<Delivery['to']>>): OurSheet => {
    const known = sheets.get(build) ?? ownedSheet(build, actions, owners, differs);
    sheets.set(build, known);
    return known;
  };
  const delivered = (page: Page, document: PageDocument) => {
    const brought = delivery.to(page);
    if (!brought) return null;
    setMarks(document, page, brought.build.marks);
    const sheet = sheetFor(brought);
    const may = ({ selectors, around }: OurRule) =>
      around.some(({ kind }) => kind === 'scope') || selectors.some((selector) => mayMatch(selector, document));
    return { ...sheet, rules: sheet.rules.filter(may) };
  };
  const again = check({ ...input, memory: undefined, findings: [], delivered });
  compareCells(cells, again.cells, input.rules, differs);
  const view = input.view(null);
  const shippedTo = view && shipment(compiled, view.site);
  const store = new SheetStore(view ?? { style: () => null, html: () => '' }, input.place);
  const viewport = input.viewports[0] ?? { name: 'desktop', width: 1280, height: 800 };
  for (const page of view?.site.pages ?? []) {
    const brought = delivery.to(page);
    if (!brought || !view || !shippedTo) continue;
    const document = view.open(page);
    const sheet = delivered(page, document);
    const shipped = shippedTo(page);
    const expected = new Map(shipped.map((each) => [each, elementsOf(each, document)]));
    const ours = ourSheet(shipped);
    const difference = firstDifference(page, document, store, viewport, ours, sheet);
    if (difference !== null) differs(`On ${page.path} ${difference}, as it should be`, undefined, page);
    for (const rule of sheet?.rules ?? []) reachesNoMore(rule, page, document, owners, expected, differs);
    tasksReachNoMore(brought.build.tasks, brought.actions, page, document, input.rules, view.site, differs);
  }
  return { cells: again.cells.length, pages: view?.site.pages.length ?? 0, findings };
}

type Differs = (message: string, rule?: Rule, page?: Page) => void;

/** The stylesheet that was read, each of its rules with the action that it came from: they stand in the same order. */
function ownedSheet(
  { sheet }: ReadBuild,
  actions: Action[],
  owners: Map<Action, CompiledAction>,
  differs: Differs,
): OurSheet {
  const styled = actions.filter(
    (action) =>
      hasStyles(action) &&
      action.kind !== 'definition' &&
      !('within' in action && action.within.some(({ name }) => name.toLowerCase() === 'starting-style')),
  );
  if (styled.length !== sheet.rules.length)
    differs(`The stylesheet holds ${sheet.rules.length} style rules where ${styled.length} were written`);
  const { layers, keyframes, registered, makesContainers } = sheet;
  const rules = sheet.rules.map((rule, index): OurRule => {
    const action = styled[index];
    return { ...rule, owner: (action && owners.get(action)?.owner) ?? null };
  });
  return { layers, keyframes, registered, makesContainers, rules };
}

/** Marks `html` as needle.js would. */
function setMarks(document: PageDocument, page: Page, marks: Mark[]): void {
  const query = new URLSearchParams(page.path.split('?')[1] ?? '');
  const path = normalisePath(page.path.replace(/\?.*$/, ''));
  const names = marks
    .filter(
      (mark) =>
        mark.queries.every(([key, value]) => query.getAll(key).includes(value)) &&
        (mark.path === null || mark.path.replace(/\?.*$/, '') === path) &&
        (mark.pattern === null || pathPattern(mark.pattern)(path)),
    )
    .map(({ name }) => name);
  const html = document.elements.find(({ tagName }) => tagName === 'html');
  if (names.length > 0) html?.attrs.push({ name: 'data-needle', value: names.join(' ') });
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

/** The elements that an action is about on a page where it ships. */
function elementsOf({ action, selectors, rules }: CompiledAction, document: PageDocument): Set<Element> | null {
  // Inside @scope only the cascade can tell; its verdicts are compared.
  if (selectors === null) return rules.length > 0 ? null : new Set();
  return new Set(action.kind === 'definition' ? [] : selectors.flatMap((selector) => selector.elements(document)));
}

function reachesNoMore(
  { selectors, owner }: OurRule,
  page: Page,
  document: PageDocument,
  owners: Map<Action, CompiledAction>,
  expected: Map<CompiledAction, Set<Element> | null>,
  differs: Differs,
): void {
  const { rule, action } = (owner ?? {}) as { rule?: Rule; action?: Action };
  const compiled = action && owners.get(action);
  const allowed = compiled && expected.get(compiled);
  if (allowed === null) return;
  for (const selector of selectors) {
    const beyond = candidates(document, selector.key).find(
      (element) => !allowed?.has(element) && selector.matches(document, element),
    );
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
  site: Parameters<typeof targets>[3],
  differs: Differs,
): void {
  const acting = actions.filter(({ kind }) => kind === 'script' || kind === 'stylesheet' || kind === 'swap');
  const own = tasks.filter(({ current }) => !current);
  own.forEach((task, index) => {
    const action = acting[index];
    const rule = rules.find(({ name }) => name === task.rule);
    if (!rule || !action || !rule.actions.includes(action))
      return differs(`needle.js holds a task of "${task.rule}" that no rule asks for`);
    const isFor = targets(rule, action, page, site);
    const reached = compileMatcher(task.scope)(document).length > 0;
    if (reached !== isFor)
      return differs(`needle.js would ${reached ? '' : 'not '}act for "${rule.name}" on ${page.path}`, rule, page);
    if (!task.isSwap) return;
    const wanted = isFor ? compileMatcher(action.selectors.map(({ text }) => text).join(', '))(document) : [];
    const found = compileMatcher(task.selector)(document);
    if (found.length !== wanted.length || found.some((element) => !wanted.includes(element)))
      differs(
        `needle.js would swap ${found.length} elements for "${rule.name}" on ${page.path}, not ${wanted.length}`,
        rule,
        page,
      );
  });
}
