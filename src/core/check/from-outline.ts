import type { CompiledAction, CompiledRule, Owner } from '../action/compiled.js';
import { judgedByEffect } from '../action/judgement.js';
import { counting, type ElementCount } from '../action/pair.js';
import { meetingsOf, readOutline, type OutlinedElements, type PageOutline } from '../css/cascade/page-outline.js';
import type { StyleSet } from '../css/cascade/style-set.js';
import { Computed } from '../css/value/computed.js';
import { ownPages } from '../target/delivery.js';
import { cellOf, judge, mayWaitForState, unseenOn, type JudgedAction } from './judge.js';
import { isJudgedByPairs, partKeys, type KeptPart } from './kept-parts.js';
import type { OpenedPage } from './opened-page.js';
import type { PageTask } from './plan.js';
import type { PageResult } from './result-cache.js';

/** What judging by an outline needs. */
export interface Outlined {
  outline: PageOutline;
  /** The page, opened once; not at all where all that is asked of its elements is known from others. */
  open: () => OpenedPage;
  /** The last result of the page, with the same stylesheets. */
  earlier: PageResult | undefined;
  /** What of it can be used again, by its key (see partKeys). */
  parts: ReadonlyMap<string, KeptPart>;
}

/** What rules do on a page, with the keys of their parts, in the order of the rules. */
export interface JudgedRules {
  parts: KeptPart[];
  keys: string[];
  /** The opened page, without looking for our rules where the outline tells of them. */
  look: () => OpenedPage;
  /** Whether more of it was looked at than single elements. */
  isLookedAt: () => boolean;
}

/** Judges the rules of a page by its outline; null where that does not tell of all selectors or of other stylesheets. */
export function judgeByOutline(task: PageTask, { outline, open, earlier, parts }: Outlined): JudgedRules | null {
  const { page, work, context } = task;
  const sheet = context.sheetOf(page);
  const set = context.styleSet(outline.set) ?? open().cascade.styleSet;
  if (!sheet || set.signature !== outline.set) return null;
  const ours = set.withOurs(sheet);
  const entries = readOutline(outline, set, ours);
  if (!entries) return null;
  const keyOf = partKeys(task, () =>
    meetingsOf(
      entries,
      ({ above }) => above,
      ({ matches }) => matches,
    ),
  );
  const opened = once(() => {
    const look = open();
    const { cascade, first, all } = look.cascade.outlined();
    return { look: { ...look, cascade, built: new Computed(cascade) }, first, all };
  });
  let isLookedAt = false;
  const whole = once(() => {
    isLookedAt = true;
    opened().all(entries);
    return opened().look;
  });
  const told: Told = {
    ...{ task, entries, set, unseen: () => earlier?.uncaptured ?? unseenOn(open()) },
    count: (compiled, entry) => {
      const { notes } = (entry.chain < 0 ? ours : set).kept;
      const note = notes.get(compiled)?.get(entry.chain) as ElementCount | undefined;
      return note ?? counting(compiled, opened().look)(opened().first(entry));
    },
  };
  const result: JudgedRules = { parts: [], keys: [], look: whole, isLookedAt: () => isLookedAt };
  for (const { rule, dependsOn } of work.judged) {
    const key = keyOf(rule, dependsOn);
    const part = parts.get(key) ?? counted(rule, dependsOn, told) ?? judge(rule, whole(), dependsOn);
    result.keys.push(key);
    result.parts.push(part);
  }
  return result;
}

/** What a rule is judged by. */
interface Told {
  task: PageTask;
  entries: OutlinedElements<Owner>[];
  set: StyleSet<Owner>;
  /** Counts the pairs of an action on one of an entry's elements. */
  count: (compiled: CompiledAction, entry: OutlinedElements<Owner>) => ElementCount;
  /** Addresses of stylesheets that were not captured, as messages show them. */
  unseen: () => string[];
}

/** Verdicts that come with a finding, which names elements and places of the page. */
const withFinding = new Set(['overridden', 'partial', 'no-effect']);

/** The part of a rule that nothing need be told about but what it wins; else null. */
function counted({ rule, actions }: CompiledRule, dependsOn: string[], told: Told): KeptPart | null {
  const { page, context } = told.task;
  const judgements: JudgedAction[] = [];
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
    if (!judgement) return null;
    judgements.push({ ...judgement, action });
    if (judgement.result.elements > 0 || rule.addedByScript) continue;
    if (mayWaitForState(action)) return null;
    missing.push(index);
  }
  const unseen = judgements.some(({ result }) => result.won > 0) ? told.unseen() : [];
  const cell = cellOf(rule, page.path, judgements, { leftOut, dependsOn, unseen });
  return withFinding.has(cell.verdict) ? null : { cell, findings: [], missing };
}

/** The judgement of an action by what is known of elements like its own; null where it loses. */
function countedAction(compiled: CompiledAction, { entries, count }: Told): Omit<JudgedAction, 'action'> | null {
  let [length, pairs, changes] = [0, 0, false];
  const dependsOn = new Set<string>();
  for (const entry of entries) {
    const { length: own } = entry.places;
    if (own === 0 || !entry.matches.list.some(({ rule }) => rule.owner === compiled.owner)) continue;
    const note = count(compiled, entry);
    if (note.lost.length > 0) return null;
    length += own;
    pairs += own * note.pairs;
    changes ||= note.changes;
    for (const each of note.dependsOn) dependsOn.add(each);
  }
  // The order in which they are named is that of the elements.
  if (dependsOn.size > 1) return null;
  const judgement = judgedByEffect(compiled, { length }, { changes });
  return { ...judgement, result: { ...judgement.result, pairs, won: pairs }, dependsOn: [...dependsOn] };
}

function once<T>(make: () => T): () => T {
  let made: { value: T } | undefined;
  return () => (made ??= { value: make() }).value;
}
