import type { CompiledAction, CompiledRule, Owner } from '../action/compiled.js';
import { judgedByEffect, mostOverridden } from '../action/judgement.js';
import { counting, overriddenBy, type ElementCount, type LostPair } from '../action/pair.js';
import { meetingsOf, readOutline, type OutlinedElements, type PageOutline } from '../css/cascade/page-outline.js';
import { selectorParts } from '../css/selector.js';
import { StandIns } from '../css/cascade/stand-ins.js';
import type { StyleSet } from '../css/cascade/style-set.js';
import { Computed } from '../css/value/computed.js';
import { ownPages } from '../target/delivery.js';
import type { KnownElements } from './element-facts.js';
import {
  cellOf,
  judge,
  mayWaitForState,
  unseenBy,
  verdictFinding,
  whatIsUnseen,
  type ActionJudgement,
} from './judge.js';
import { isJudgedByPairs, partKeys, partWith, type KeptPart, type PartKey } from './kept-parts.js';
import type { OpenedPage } from './opened-page.js';
import type { PageTask } from './plan.js';
import type { PageResult } from './result-cache.js';

/** What judging by an outline needs. */
export interface Outlined {
  outline: PageOutline;
  /** Whether it was just made, of the opened page. */
  isNew: boolean;
  elements: KnownElements;
  /** The page, opened once; not at all where its outline and earlier results tell all that is asked. */
  open: () => OpenedPage;
  /** The last result of the page, with the same stylesheets. */
  earlier: PageResult | undefined;
  /** What of it can be used again, by its key (see partKeys). */
  parts: ReadonlyMap<string, KeptPart>;
}

/** What rules do on a page, with the keys of their parts, in the order of the rules. */
export interface PageJudgement {
  parts: KeptPart[];
  keys: PartKey[];
  /** The opened page, without looking for our rules where the outline tells of them. */
  look: () => OpenedPage;
  /** Whether its outline and what was kept with it were not enough. */
  isLookedAt: () => boolean;
}

/** Judges the rules of a page by its outline; null where that does not tell of all selectors or of other stylesheets. */
export function judgeByOutline(
  task: PageTask,
  { outline, isNew, elements, open, earlier, parts }: Outlined,
): PageJudgement | null {
  const { page, work, context } = task;
  const sheet = context.sheetOf(page);
  const set = context.styleSet(outline.set) ?? open().cascade.styleSet;
  if (!sheet || set.signature !== outline.set) return null;
  const ours = set.withOurs(sheet);
  const isAbsent = (selector: string) => !context.view.words().mayMatch(page, selectorParts(selector).element);
  const entries = readOutline(outline, set, ours, isAbsent);
  if (!entries) return null;
  const keyOf = partKeys(task, () =>
    meetingsOf(
      ours,
      entries,
      ({ above }) => above,
      ({ matches }) => matches,
    ),
  );
  let isLookedAt = false;
  const whole = once(() => {
    isLookedAt = true;
    const look = open();
    // The outline was made of what its own cascade found.
    if (isNew) return look;
    const cascade = look.cascade.outlined(entries);
    return { ...look, cascade, built: new Computed(cascade) };
  });
  const standIns = once(() => new StandIns(set, sheet));
  const told: Told = {
    ...{
      task,
      elements,
      entriesOf: entriesByOwner(entries),
      set,
      unseen: () => (earlier ? unseenBy(earlier.uncaptured, earlier.unread) : whatIsUnseen(open())),
    },
    count: (compiled, entry) => {
      const { notes } = (entry.chain < 0 ? ours : set).kept;
      const note = notes.get(compiled)?.get(entry.chain) as ElementCount | undefined;
      return note ?? counting(compiled, standIns())(standIns().of(entry));
    },
  };
  const result: PageJudgement = { parts: [], keys: [], look: whole, isLookedAt: () => isLookedAt || elements.isAsked };
  for (const { rule, dependsOn } of work.judged) {
    const key = keyOf(rule, dependsOn);
    const part = partWith(parts, key) ?? counted(rule, dependsOn, told) ?? judge(rule, whole(), dependsOn);
    result.keys.push(key);
    result.parts.push(part);
  }
  if (isNew) learnPaths(task, told);
  return result;
}

/** What a rule is judged by. */
interface Told {
  task: PageTask;
  /** What is told of elements by their places. */
  elements: KnownElements;
  /** The entries that an owner's rules match, in the order of their first elements, as outlines have them. */
  entriesOf: (owner: Owner) => OutlinedElements<Owner>[];
  set: StyleSet<Owner>;
  /** Counts the pairs of an action on one of an entry's elements. */
  count: (compiled: CompiledAction, entry: OutlinedElements<Owner>) => ElementCount;
  /** Addresses of stylesheets that were not captured, as messages show them. */
  unseen: () => string[];
}

function entriesByOwner(entries: OutlinedElements<Owner>[]): Told['entriesOf'] {
  const byOwner = once(() => {
    const known = new Map<Owner, OutlinedElements<Owner>[]>();
    for (const entry of entries) {
      if (entry.places.length === 0) continue;
      for (const { rule } of entry.matches.list) {
        if (!rule.owner) continue;
        const own = known.get(rule.owner);
        if (!own) known.set(rule.owner, [entry]);
        // Several selectors of a rule may match.
        else if (own.at(-1) !== entry) own.push(entry);
      }
    }
    return known;
  });
  return (owner) => byOwner().get(owner) ?? [];
}

/** The part of a rule whose actions all follow from what elements like theirs win and lose; else null. */
function counted({ rule, actions }: CompiledRule, dependsOn: string[], told: Told): KeptPart | null {
  const { page, work, context } = told.task;
  const judgements: ActionJudgement<number>[] = [];
  const missing: number[] = [];
  let leftOut = false;
  for (const [index, compiled] of actions.entries()) {
    const { action, around, selectors } = compiled;
    if (!isJudgedByPairs(compiled) || !selectors) return null;
    if (!ownPages(rule, action, context.view.site).has(page)) continue;
    if (told.set.holds(around) === false) {
      leftOut = true;
      continue;
    }
    const judgement = countedAction(compiled, told);
    judgements.push({ ...judgement, action });
    if (judgement.result.elements > 0 || rule.addedByScript) continue;
    if (!mayWaitForState(action) || !told.elements.waitsForState(action)) missing.push(index);
  }
  const unseen = judgements.some(({ result }) => result.won > 0) ? told.unseen() : [];
  const cell = cellOf(rule, page.path, judgements, { leftOut, dependsOn, unseen });
  const viewport = work.settings.viewport.name;
  const findings = verdictFinding(cell, judgements, rule, { viewport, stronger: told.elements.stronger });
  return { cell, findings, missing };
}

/** The judgement of an action by what is known of elements like its own. */
function countedAction(
  compiled: CompiledAction,
  { elements, entriesOf, count }: Told,
): Omit<ActionJudgement<number>, 'action'> {
  let [length, pairs, won, changes] = [0, 0, 0, false];
  const dependsOn = new Set<string>();
  const losing: [OutlinedElements<Owner>, ElementCount][] = [];
  for (const entry of entriesOf(compiled.owner)) {
    const { length: own } = entry.places;
    const note = count(compiled, entry);
    length += own;
    pairs += own * note.pairs;
    won += own * (note.pairs - note.lost.length);
    changes ||= note.changes;
    for (const each of note.dependsOn) dependsOn.add(each);
    if (note.lost.length > 0) losing.push([entry, note]);
  }
  const lost = firstLost(losing);
  const judgement = judgedByEffect(compiled, { length }, { changes });
  const result = { ...judgement.result, pairs, won, overridden: overriddenBy(lost, elements) };
  return { ...judgement, result, dependsOn: [...dependsOn], lost };
}

/** The first lost pairs in the order of their elements. */
function firstLost(losing: [OutlinedElements<Owner>, ElementCount][]): LostPair<number>[] {
  const lostAt = new Map(losing.map(([entry, { lost }]) => [entry, lost]));
  const all = firstPlaces([...lostAt.keys()]).flatMap(([place, entry]) =>
    (lostAt.get(entry) ?? []).map((each) => ({ element: place, ...each })),
  );
  return all.slice(0, mostOverridden);
}

/** The first places of entries in the order of their first elements, as many as a report may name, with the entry of each. */
function firstPlaces(entries: OutlinedElements<Owner>[]): [place: number, entry: OutlinedElements<Owner>][] {
  let first: [place: number, entry: OutlinedElements<Owner>][] = [];
  for (const entry of entries) {
    const last = first.length < mostOverridden ? Infinity : (first.at(-1)?.[0] ?? Infinity);
    if ((entry.places[0] ?? 0) > last) break;
    let place = 0;
    for (const step of entry.places.slice(0, mostOverridden)) {
      place += step;
      if (place > last) break;
      first.push([place, entry]);
    }
    first = first.sort(([a], [b]) => a - b).slice(0, mostOverridden);
  }
  return first;
}

/**
 * Learns the paths of the first elements of each action while the page is open: another declaration may lose there, and is then
 * told with them.
 */
function learnPaths(task: PageTask, { elements, entriesOf }: Pick<Told, 'elements' | 'entriesOf'>): void {
  const known = new Set<string>();
  for (const { action, owner } of task.work.judged.flatMap(({ rule }) => rule.actions)) {
    const selectors = action.selectors.map(({ text }) => text).join();
    if (known.has(selectors)) continue;
    known.add(selectors);
    for (const [place] of firstPlaces(entriesOf(owner))) elements.pathOf(place);
  }
}

function once<T>(make: () => T): () => T {
  let made: { value: T } | undefined;
  return () => (made ??= { value: make() }).value;
}
