import { linesOf, type Element, type PageDocument } from '../page/document.js';
import { elementPath } from '../page/element-path.js';
import type { SheetDeclaration } from '../css/syntax.js';
import type { DeclarationBlock, Winner } from '../css/cascade/cascade.js';
import { compareWeights, level, type Weight } from '../css/cascade/weight.js';
import { isDoubtful } from '../css/declaration.js';
import { undecided } from '../css/value/expand.js';
import type { StyleUse } from '../css/cascade/style-set.js';
import type { OpenedPage } from '../check/opened-page.js';
import type { CompiledAction, Owner } from '../action/compiled.js';
import type { OverriddenPair } from '../check/verdict.js';

/** One element, or a pseudo-element of it, and one longhand that an action sets there. */
export interface Pair {
  element: Element;
  pseudo: string;
  longhand: string;
  /** Our declaration with its weight in the cascade. */
  ours: { declaration: SheetDeclaration; weight: Weight; block: DeclarationBlock<Owner> };
  winner: Winner<Owner>;
  /** Whether this rule's declaration wins. */
  isOurs: boolean;
  /** Ours wins, or what wins computes to the same. */
  won: boolean;
  /** Uncaptured stylesheets that could change it. */
  dependsOn: string | null;
}

/** The pairs of an action on the elements that it matches; one for each pseudo-element too. */
export function pairsOf(compiled: CompiledAction, elements: Element[], look: OpenedPage): Pair[] {
  const pseudos = [...new Set(compiled.rules.flatMap(({ selectors }) => selectors.map(({ pseudo }) => pseudo)))];
  return elements.flatMap((element) =>
    pseudos.flatMap((pseudo) => {
      const block = look.cascade.blocks(element, pseudo).find(({ owner }) => owner === compiled.owner);
      return block
        ? compiled.longhands.flatMap((longhand) => pairOf(element, pseudo, longhand, block, compiled, look) ?? [])
        : [];
    }),
  );
}

function pairOf(
  element: Element,
  pseudo: string,
  longhand: string,
  block: DeclarationBlock<Owner>,
  { owner }: CompiledAction,
  { cascade, built, document }: CountedOn,
): Pair | null {
  const winner = cascade.winner(element, pseudo, longhand);
  const ours = oursIn(block, cascade.namesOn(element, longhand));
  if (!winner || !ours) return null;
  const { declaration } = ours;
  const isOurs = winner.animation === null && winner.block.owner?.rule === owner.rule;
  const won =
    isOurs ||
    built.value(element, pseudo, longhand) ===
      built.valueOf(element, pseudo, longhand, declaration.name, declaration.value, block);
  return {
    element,
    pseudo,
    longhand,
    ours,
    winner,
    isOurs,
    won,
    dependsOn:
      winner.animation !== null
        ? `the animation ${winner.animation}`
        : (partOfScript(element, pseudo, document) ??
          winner.block.dependsOn ??
          block.dependsOn ??
          doubtOf(winner.declaration) ??
          doubtOf(declaration)),
  };
}

const doubts = new WeakMap<SheetDeclaration, string | null>();

/** What a declaration depends on that neither grammar nor cascade can tell; null for all others. */
function doubtOf(declaration: SheetDeclaration): string | null {
  const { name, value } = declaration;
  let doubt = doubts.get(declaration);
  if (doubt === undefined) {
    doubt = isDoubtful(name, value) ? `whether the browser takes ${name}: ${value}` : undecided(name, value);
    doubts.set(declaration, doubt);
  }
  return doubt;
}

/** `::part()` of an element whose shadow tree no page declares: whether it has such a part, its script tells. */
const partOfScript = (element: Element, pseudo: string, document: PageDocument) =>
  pseudo.startsWith('::part(') && !document.shadows.has(element)
    ? `whether a script makes ${pseudo} in <${element.tagName}>`
    : null;

/** A pair that an action loses. `At`: its element, or what stands for it on a page that is not opened. */
export interface LostPair<At = Element> extends Pick<Pair, 'pseudo' | 'longhand' | 'ours' | 'winner'> {
  element: At;
}

/** The counts of an action's pairs. */
export interface PairCount {
  pairs: number;
  won: number;
  changes: boolean;
  dependsOn: Set<string>;
  /** The first that are lost. */
  lost: LostPair[];
}

/** Counts the pairs of an action. Elements for which the cascade tells the same are counted alike. */
export function countPairs(
  compiled: CompiledAction,
  elements: Element[],
  look: OpenedPage,
  mostLost: number,
): PairCount {
  const count: PairCount = { pairs: 0, won: 0, changes: false, dependsOn: new Set(), lost: [] };
  const countOne = counting(compiled, look);
  for (const element of elements) {
    const { pairs, changes, dependsOn, lost } = countOne(element);
    count.pairs += pairs;
    count.won += pairs - lost.length;
    count.changes ||= changes;
    for (const each of dependsOn) count.dependsOn.add(each);
    for (const each of lost) if (count.lost.length < mostLost) count.lost.push({ element, ...each });
  }
  return count;
}

/** Counts the pairs of an action on an element; once for all for which the cascade tells the same. */
export function counting(compiled: CompiledAction, look: CountedOn): (element: Element) => ElementCount {
  const pseudos = [...new Set(compiled.rules.flatMap(({ selectors }) => selectors.map(({ pseudo }) => pseudo)))];
  return look.cascade.noted(compiled, (element) => countOf(compiled, element, pseudos, look));
}

/** What pairs are counted on: an opened page, or elements that stand for its own. */
type CountedOn = Pick<OpenedPage, 'document' | 'cascade' | 'built' | 'bare'>;

/** The pairs of one element. */
export interface ElementCount {
  pairs: number;
  changes: boolean;
  dependsOn: string[];
  lost: LostThere[];
}

/** What an element loses, as it is known of all elements of its kind. */
type LostThere = Omit<LostPair, 'element'>;

function countOf(compiled: CompiledAction, element: Element, pseudos: string[], look: CountedOn): ElementCount {
  const { cascade, built, bare } = look;
  const count: ElementCount = { pairs: 0, changes: false, dependsOn: [], lost: [] };
  for (const pseudo of pseudos) {
    const block = cascade.blocks(element, pseudo).find(({ owner }) => owner === compiled.owner);
    if (!block) continue;
    for (const longhand of compiled.longhands) {
      const winner = cascade.winner(element, pseudo, longhand);
      const isOurs = winner?.animation === null && winner.block.owner?.rule === compiled.owner.rule;
      const pair = isOurs ? null : pairOf(element, pseudo, longhand, block, compiled, look);
      if (!isOurs && !pair) continue;
      count.pairs++;
      const dependsOn = pair
        ? pair.dependsOn
        : (partOfScript(element, pseudo, look.document) ??
          winner?.block.dependsOn ??
          block.dependsOn ??
          (winner && doubtOf(winner.declaration)) ??
          null);
      if (dependsOn !== null) count.dependsOn.push(dependsOn);
      if (pair && !pair.won) count.lost.push({ pseudo, longhand, ours: pair.ours, winner: pair.winner });
      else count.changes ||= built.value(element, pseudo, longhand) !== bare.value(element, pseudo, longhand);
    }
  }
  return count;
}

const oursKnown = new WeakMap<DeclarationBlock<Owner>, Map<Set<string>, Pair['ours'] | null>>();

/**
 * What a block says of a longhand, with its weight in the cascade: the last important declaration, else the last; null if it
 * says nothing. `names`: the properties that set the longhand on the element.
 */
function oursIn(block: DeclarationBlock<Owner>, names: Set<string>): Pair['ours'] | null {
  let known = oursKnown.get(block);
  if (!known) oursKnown.set(block, (known = new Map<Set<string>, Pair['ours'] | null>()));
  let ours = known.get(names);
  if (ours === undefined) {
    const own = block.declarations.filter(({ name }) => names.has(name));
    const declaration = own.filter(({ important }) => important).pop() ?? own[own.length - 1];
    const from = declaration?.important ? level.authorImportant : level.author;
    ours = declaration ? { declaration, block, weight: { ...block.weight, level: from } } : null;
    known.set(names, ours);
  }
  return ours;
}

/** What reports tell of the elements of a page. `At`: the elements, or what stands for them where it is not opened. */
export interface ElementPlaces<At> {
  /** The file of the page. */
  file: string;
  /** The path of an element. */
  pathOf: (element: At) => string;
  /** The line of an element. */
  lineOf: (element: At) => number;
  /** The file and line of an offset in a stylesheet of the page. */
  styleAt: (use: StyleUse, offset: number) => { file: string; line: number };
}

/** Those of an opened page. */
export const placesOn = ({ page, document, cascade }: OpenedPage): ElementPlaces<Element> => ({
  file: page.file,
  pathOf: elementPath,
  lineOf: (element) => linesOf(document, element).start,
  styleAt: (use, offset) => {
    const own = cascade.useOf({ use });
    return { file: own?.file ?? use.base, line: own?.lineOf(offset) ?? 0 };
  },
});

/** The winners of lost pairs, for reports. Those that the same declaration wins share what is told of it. */
export function overriddenBy<At>(pairs: LostPair<At>[], places: ElementPlaces<At>): OverriddenPair[] {
  const known = new Map<string, OverriddenPair['by']>();
  let last: { winner: Winner<Owner>; ours: Pair['ours']; by: OverriddenPair['by'] } | null = null;
  return pairs.map(({ element, pseudo, longhand, winner, ours }) => {
    // Attributes are in another place on each element.
    const isLast = last?.winner === winner && last.ours === ours && (winner.block.owner ?? winner.block.use);
    let by = isLast ? last?.by : undefined;
    if (!by) {
      const own = {
        ...placeOfWinner(winner, element, places),
        reason: compareWeights(winner.weight, ours.weight).step,
      };
      const key = `${own.file} ${own.line} ${own.selector} ${own.reason}`;
      by = known.get(key) ?? own;
      known.set(key, by);
      last = { winner, ours, by };
    }
    return { element: places.pathOf(element) + pseudo, property: longhand, by };
  });
}

/** The location of a winning declaration, and the selector of its rule. */
export function placeOfWinner<At>(
  { block, declaration }: Winner<Owner>,
  element: At,
  places: ElementPlaces<At>,
): { file: string; line: number; selector: string } {
  const { owner, selector, weight } = block;
  if (owner) {
    const { file, line } = owner.placeOf(declaration);
    return { file, line, selector };
  }
  if (block.use) return { ...places.styleAt(block.use, declaration.offset), selector };
  if (block.origin === 'browser') return { file: 'the browser', line: 0, selector };
  const attributes = weight.inline ? 'style attribute' : 'attributes of the element';
  return {
    file: places.file,
    line: places.lineOf(element),
    selector: weight.shadow ? `${selector} of the shadow tree` : attributes,
  };
}
