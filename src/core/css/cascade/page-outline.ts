import { parentOf, type Element } from '../../page/document.js';
import type { Lineage, OurMatches, OurStyles, StyleSet } from './style-set.js';

/**
 * What our rules reach on a page, as far as the cascade tells elements apart (see element-chains.ts): it holds for the
 * page's text, its stylesheets and our selectors, whatever our rules declare.
 */
export interface PageOutline {
  /** The signature of its stylesheets (StyleSet). */
  set: string;
  /** Our selectors that were tried, as texts. */
  selectors: string[];
  /** What is told of elements, each text once. */
  told: string[];
  /**
   * Elements that are alike, those above before those below: the number of the entry above (-1: none) and of what is told of
   * them, the numbers of the selectors that match them, and their places among all elements of the page, each from the one
   * before; none where no selector matches.
   */
  entries: [above: number, told: number, matched: number[], places: number[]][];
}

/** An element with its entry in the outline that it was last put into. */
type Outlined = Element & { outline?: PageOutline['entries']; entry?: number };

/** Makes the outline of a page; null where what a number tells was forgotten. `chainOf`, `toldBy`: see ElementChains. */
export function outlineOf<Owner>(
  set: string,
  selectors: string[],
  matches: ReadonlyMap<Element, OurMatches<Owner>>,
  elements: readonly Element[],
  chainOf: (element: Element) => number,
  toldBy: (chain: number) => string | undefined,
): PageOutline | null {
  const numbers = new Map<string, number>();
  for (const text of selectors) numbers.set(text, numbers.get(text) ?? numbers.size);
  const told = new Map<string, number>();
  const entries: PageOutline['entries'] = [];
  const byChain = new Map<number, Map<number, number>>();
  let isWhole = true;
  const entryOf = (element: Outlined | null, own: OurMatches<Owner> | undefined): number => {
    if (!element) return -1;
    if (element.outline === entries) return element.entry as number;
    const parent = parentOf(element);
    const above = entryOf(parent, parent ? matches.get(parent) : undefined);
    const chain = chainOf(element);
    // A chain tells what is above in the stylesheets of the site; the entry above, what of ours matches there.
    const key = (above + 1) * 2 ** 24 + (own?.number ?? 0);
    let among = byChain.get(chain);
    if (!among) byChain.set(chain, (among = new Map<number, number>()));
    let index = among.get(key);
    if (index === undefined) {
      const text = toldBy(chain) ?? '';
      isWhole &&= text !== '';
      const number = told.get(text) ?? told.size;
      told.set(text, number);
      const matched = new Set((own?.list ?? []).map(({ selector }) => numbers.get(selector.text) ?? -1));
      index = entries.push([above, number, [...matched], []]) - 1;
      among.set(key, index);
    }
    element.outline = entries;
    element.entry = index;
    return index;
  };
  const last: number[] = [];
  let place = -1;
  for (const element of elements) {
    place++;
    const own = matches.get(element);
    if (!own) continue;
    const index = entryOf(element, own);
    entries[index]?.[3].push(place - (last[index] ?? 0));
    last[index] = place;
  }
  return isWhole ? { set, selectors: [...numbers.keys()], told: [...told.keys()], entries } : null;
}

/** An entry of an outline with the rules of ours that match its elements, and their number in a cascade with these rules. */
export interface OutlinedElements<Owner> {
  above: OutlinedElements<Owner> | null;
  /** See PageOutline. */
  places: number[];
  /** What is told of them, and their number in the stylesheets of the site alone. */
  told: string;
  site: number;
  matches: OurMatches<Owner>;
  chain: number;
}

/**
 * Reads an outline with rules of ours; null where one of their selectors was not tried. `isAbsent`: whether one matches nothing
 * on the page, as can be told without trying it.
 */
export function readOutline<Owner>(
  { selectors, told, entries }: PageOutline,
  set: StyleSet<Owner>,
  ours: OurStyles<Owner>,
  isAbsent: (selector: string) => boolean = () => false,
): OutlinedElements<Owner>[] | null {
  const numbers = new Map(selectors.map((text, index) => [text, index]));
  const tried = ours.selectors.filter(({ rule }) => set.holds(rule.around) !== false);
  if (!tried.every(({ selector: { text } }) => numbers.has(text) || isAbsent(text))) return null;
  const byNumber = tried.map((each) => ({ tried: each, number: numbers.get(each.selector.text) }));
  const known = new Map<string, OurMatches<Owner>>();
  const matchesOf = (matched: number[]): OurMatches<Owner> => {
    if (matched.length === 0) return ours.unmatched;
    const key = matched.join(' ');
    let matches = known.get(key);
    if (!matches) {
      matches = ours.unmatched;
      for (const { tried: each, number = -1 } of byNumber)
        if (matched.includes(number)) matches = ours.withMatch(matches, each, Infinity);
      known.set(key, matches);
    }
    return matches;
  };
  set.chains.begin(entries);
  const read: OutlinedElements<Owner>[] = [];
  for (const [above, text, matched, places] of entries) {
    const outer = read[above] ?? null;
    const own = told[text] ?? '';
    const site = set.chains.numberFrom(outer?.site ?? 0, own);
    const matches = matchesOf(matched);
    const outerChain = outer?.chain ?? 0;
    const chain = matches.number > 0 || outerChain < 0 ? ours.chainOf(outerChain, site, matches) : site;
    read.push({ above: outer, places, told: own, site, matches, chain });
  }
  return read;
}

/**
 * For the owner of each rule of ours that matches something, the owners whose rules its values can depend on: those that
 * match the same elements, or elements above them, from where values are inherited.
 */
export function meetingsOf<Node extends object, Owner>(
  { lineage: top }: OurStyles<Owner>,
  reached: Iterable<Node>,
  above: (node: Node) => Node | null,
  matchesOf: (node: Node) => OurMatches<Owner> | undefined,
): Map<Owner, Set<Owner>> {
  const known = new Map<Node, Lineage<Owner>>();
  const lineageOf = (node: Node | null): Lineage<Owner> => {
    if (!node) return top;
    let lineage = known.get(node);
    if (lineage) return lineage;
    const outer = lineageOf(above(node));
    const matches = matchesOf(node);
    lineage = matches && matches.number > 0 ? (outer.below.get(matches) ?? extended(outer, matches)) : outer;
    known.set(node, lineage);
    return lineage;
  };
  for (const node of reached) lineageOf(node);
  const meetings = new Map<Owner, Set<Owner>>();
  for (const { own, owners } of new Set(known.values()))
    for (const owner of own) {
      const others = meetings.get(owner) ?? new Set<Owner>();
      meetings.set(owner, others);
      for (const other of owners) others.add(other);
    }
  return meetings;
}

function extended<Owner>(outer: Lineage<Owner>, matches: OurMatches<Owner>): Lineage<Owner> {
  const own = matches.list.flatMap(({ rule: { owner } }) => owner ?? []);
  const lineage: Lineage<Owner> = { own, owners: new Set([...outer.owners, ...own]), below: new Map() };
  outer.below.set(matches, lineage);
  return lineage;
}
