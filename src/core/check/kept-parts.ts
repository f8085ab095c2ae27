import type { CompiledAction, CompiledRule, Owner } from '../action/compiled.js';
import { isScoped } from '../css/cascade/sheet.js';
import { actionKind } from '../action/index.js';
import type { OurSheet } from '../css/cascade/cascade.js';
import { changesCascade } from '../css/cascade/style-set.js';
import type { Finding } from '../finding.js';
import type { PageTask } from './plan.js';
import { textSignature } from '../signature.js';
import { actionSignature, demandSignature, linesSignature, ruleSignature, type PageResult } from './result-cache.js';
import type { Cell } from './verdict.js';

/** What a page's result tells of single rules, so that an edit to one leaves those that it cannot reach. */
export interface KeptParts {
  /** A key of the page with its settings, without any rule. */
  page: string;
  /** In the order of the cells, a key of all that the cell depends on beyond the page; empty where that is not known. */
  rules: string[];
  /** In the same order, how many of the first findings are theirs. */
  findings: number[];
  /** What was found about kept-visible elements: which of the findings, and a key of what can hide them. */
  hidden: { key: string; from: number; findings: number };
  /** A key of what ships, of how the page loads it. */
  loading: string;
}

/** What is kept of one rule on one page. */
export interface KeptPart {
  cell: Cell;
  findings: Finding[];
  /** The numbers of its actions whose element is missing. */
  missing: number[];
}

/** An outline of a page and facts of its elements as JSON, with the page's key: once it changed, others take their place. */
export interface KeptOutline {
  page: string;
  outline: string;
  facts: string;
}

/** The key of a rule's part on a page, and what it holds besides where the part tells places in rule files. */
export interface PartKey {
  key: string;
  lines: string;
}

/** Whether something was kept with a key, with its lines where it tells places in rule files. */
export const isKeptAs = (kept: string | undefined, { key, lines }: PartKey): boolean =>
  key !== '' && (kept === key || kept === `${key} ${lines}`);

/** As what something is kept. `isTied`: it tells places in rule files. */
export const keptAs = ({ key, lines }: PartKey, isTied: boolean): string =>
  key !== '' && isTied ? `${key} ${lines}` : key;

/** The part with a key. */
export const partWith = (parts: ReadonlyMap<string, KeptPart>, { key, lines }: PartKey): KeptPart | undefined =>
  key === '' ? undefined : (parts.get(key) ?? parts.get(`${key} ${lines}`));

/** The parts of a result by their keys. */
export function partsOf({ cells, findings, missing, parts }: PageResult): Map<string, KeptPart> {
  const own = (rule: string) => missing.flatMap(([name, action]) => (name === rule ? [action] : []));
  let end = 0;
  return new Map(
    cells.flatMap((cell, index): [string, KeptPart][] => {
      const start = end;
      end += parts?.findings[index] ?? 0;
      const key = parts?.rules[index] ?? '';
      return key === '' ? [] : [[key, { cell, findings: findings.slice(start, end), missing: own(cell.rule) }]];
    }),
  );
}

/**
 * The keys of rules' parts on a page; empty where it may depend on more than the rules that meet its elements: values come
 * from an element and from those above it alone (see Computed), but layers, keyframes, registered properties, containers
 * and further stylesheets reach all of a page. `meetings`: see Cascade.
 */
export function partKeys(
  { page, context }: PageTask,
  meetings: () => ReadonlyMap<Owner, ReadonlySet<Owner>>,
): (rule: CompiledRule, dependsOn: string[]) => PartKey {
  const shipped = context.shippedTo(page);
  const sheet = context.sheetOf(page);
  if (!sheet || loadsStyles(shipped) || changesCascade(sheet)) return () => noKey;
  const known = meetings();
  return (rule, dependsOn) => {
    if (!rule.actions.every(isJudgedByPairs)) return noKey;
    const met = rule.actions.flatMap(({ owner }) => known.get(owner) ?? []);
    const places = [...shipped.keys()].filter((place) =>
      met.some((owners) => owners.has(shipped[place]?.owner as Owner)),
    );
    return onceFor(sheet, JSON.stringify([rule.rule.name, dependsOn, places.join()]), () => {
      const inOrder = places.flatMap((place) => shipped[place] ?? []);
      const key = JSON.stringify([ruleSignature(rule.rule), dependsOn, inOrder.map(keyOfAction)]);
      const lines = linesSignature([rule.rule, ...inOrder.map(({ owner }) => owner.rule)]);
      return { key: textSignature(key), lines };
    });
  };
}

const keysOf = new WeakMap<OurSheet<Owner>, Map<string, PartKey>>();

/** A key that follows from the sheet of a page and a text, as on all pages to which the same ships. */
function onceFor(sheet: OurSheet<Owner>, about: string, make: () => PartKey): PartKey {
  let known = keysOf.get(sheet);
  if (!known) keysOf.set(sheet, (known = new Map<string, PartKey>()));
  let key = known.get(about);
  if (!key) known.set(about, (key = make()));
  return key;
}

export const noKey: PartKey = { key: '', lines: '' };

/**
 * The keys of what is found of kept-visible elements on a page, by all that ships to it and can hide an element or show it;
 * empty where that is not known. By their declarations rules do so by `display` and `visibility` alone, or by a custom
 * property in one.
 */
export function hidingKey({ page, context }: PageTask): PartKey {
  const shipped = context.shippedTo(page);
  const sheet = context.sheetOf(page);
  if (!sheet || loadsStyles(shipped) || changesCascade(sheet)) return noKey;
  return onceFor(sheet, 'kept visible', () => {
    const keptVisible = context.keptVisible.map(({ kept }) => kept);
    const hiding = shipped.filter((each) => !isJudgedByPairs(each) || each.longhands.some(mayHide));
    const key = JSON.stringify([demandSignature(keptVisible), hiding.map(keyOfAction)]);
    const lines = linesSignature([...keptVisible, ...hiding.map(({ owner }) => owner.rule)]);
    return { key: textSignature(key), lines };
  });
}

const mayHide = (longhand: string) => longhand === 'display' || longhand === 'visibility' || longhand.startsWith('--');

/** A key of what an action does, and for which rule; whatever the rule's other actions do. */
export const keyOfAction = ({ owner: { rule, action } }: CompiledAction) => actionSignature(rule, action);

/** Whether a stylesheet is loaded for an action: which ones a page loads is then not told by the page alone. */
export const loadsStyles = (shipped: CompiledAction[]) =>
  shipped.some(({ action }) =>
    actionKind(action)
      .loads(action)
      .some(({ kind }) => kind === 'style'),
  );

/**
 * Whether an outline can tell what all that ships to a page matches there. It knows selectors by their text, so it does not
 * where a scope or an action narrows them; and what changes the cascade itself is told by the rules.
 */
export const isOutlined = (shipped: CompiledAction[], sheet: OurSheet<Owner> | null): boolean =>
  sheet !== null &&
  sheet.rules.length > 0 &&
  !changesCascade(sheet) &&
  !loadsStyles(shipped) &&
  shipped.every(({ isNarrowed, around }) => !isNarrowed && !isScoped(around));

/** Whether the verdict follows from what its declarations win on its elements. */
export const isJudgedByPairs = ({ action, around }: CompiledAction): boolean => {
  const { judge, elements } = actionKind(action);
  return judge === 'by-pairs' && elements === null && !isScoped(around);
};
