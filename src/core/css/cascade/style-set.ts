import { BoundedMap } from '../../bounded-map.js';
import { textSignature } from '../../signature.js';
import { attribute, type Element, type PageDocument } from '../../page/document.js';
import { withScopingRoot } from '../../page/query.js';
import { browserSheet } from './browser-styles.js';
import type { DeclarationBlock, OurRule, OurSheet, Winner } from './cascade.js';
import { ElementChains, nextChain } from './element-chains.js';
import type { Flow } from '../logical.js';
import { rankLayers } from './layers.js';
import { mediaHolds, type Truth, type Viewport } from './media.js';
import type { PageSheets, SheetUse } from './page-sheets.js';
import { scopingRoots } from './scoping.js';
import { isScoped, type EnclosingRule, type Sheet, type SheetRule, type SheetSelector } from './sheet.js';
import { supportsHolds } from './supports.js';
import { schemesOf } from '../value/computed.js';
import { itemsOf } from '../value/items.js';

/** A stylesheet in its place, without what only one page knows of it. */
export interface StyleUse extends Pick<SheetUse, 'sheet' | 'isInline' | 'around' | 'layer' | 'afterBuild' | 'owner'> {
  /** Its file, what its relative addresses are relative to; `<style>` for one of the page. */
  base: string;
  /** Its number among the sheets of the page. */
  index: number;
}

/** Blocks that apply together, and the winners among them. */
export interface BlockList<Owner> {
  blocks: DeclarationBlock<Owner>[];
  winners: Map<string, Winner<Owner> | null>;
}

/** What elements with the same number share (see element-chains.ts). */
export class KeptByChain<Owner> {
  readonly blocks = new Map<number, Map<string, BlockList<Owner>>>();
  readonly values = new Map<number, Map<string, string>>();
  readonly flows = new Map<number, Flow>();
  /** By what they are about: an action of a rule that was edited is not held by them. */
  notes = new WeakMap<object, Map<number, unknown>>();
  /** Lists by their blocks, so that the same blocks are the same list. */
  private lists = new Map<DeclarationBlock<Owner>, KeptList<Owner>>();

  listOf(blocks: DeclarationBlock<Owner>[]): BlockList<Owner> {
    let at: KeptList<Owner> = { own: null, next: this.lists };
    for (const block of blocks) {
      let next = at.next.get(block);
      if (!next) at.next.set(block, (next = { own: null, next: new Map() }));
      at = next;
    }
    return (at.own ??= { blocks, winners: new Map() });
  }

  forget(): void {
    for (const each of [this.blocks, this.values, this.flows, this.lists]) each.clear();
    this.notes = new WeakMap();
  }
}

interface KeptList<Owner> {
  own: BlockList<Owner> | null;
  next: Map<DeclarationBlock<Owner>, KeptList<Owner>>;
}

/** A selector of a rule of ours, with the number of the rule. */
interface OurTried<Owner> {
  rule: OurRule<Owner>;
  selector: SheetSelector;
  index: number;
}

/** One that matches an element, with the distance of the scoping root. */
interface OurMatch<Owner> extends OurTried<Owner> {
  distance: number;
}

/** The rules of ours that match an element; elements that the same ones match share one list. */
export interface OurMatches<Owner> {
  number: number;
  list: OurMatch<Owner>[];
  next: Map<SheetSelector, Map<number, OurMatches<Owner>>>;
}

/** The owners of rules of ours that match an element or one above it, and what they are below it by what matches there. */
export interface Lineage<Owner> {
  /** Those that match the element itself. */
  own: Owner[];
  owners: Set<Owner>;
  below: Map<OurMatches<Owner>, Lineage<Owner>>;
}

/** Our sheet on pages with one set of stylesheets. */
export class OurStyles<Owner> {
  readonly kept = new KeptByChain<Owner>();
  readonly blocks = new Map<SheetSelector, DeclarationBlock<Owner>>();
  readonly selectors: OurTried<Owner>[];
  readonly unmatched: OurMatches<Owner> = { number: 0, list: [], next: new Map() };
  /** That of an element that none of them matches, with none above. */
  readonly lineage: Lineage<Owner> = { own: [], owners: new Set(), below: new Map() };
  private lists = 0;
  private readonly chains = new Map<number, Map<number, number>>();

  constructor({ rules }: OurSheet<Owner>) {
    this.selectors = rules.flatMap((rule, index) => rule.selectors.map((selector) => ({ rule, selector, index })));
  }

  /** The list with another match at its end. */
  withMatch({ list, next }: OurMatches<Owner>, tried: OurTried<Owner>, distance: number): OurMatches<Owner> {
    let among = next.get(tried.selector);
    if (!among) next.set(tried.selector, (among = new Map<number, OurMatches<Owner>>()));
    let longer = among.get(distance);
    if (!longer) {
      longer = { number: ++this.lists, list: [...list, { ...tried, distance }], next: new Map() };
      among.set(distance, longer);
    }
    return longer;
  }

  /** The number, below zero, of an element that our rules reach or that is inside of one: `above` and `site`: the numbers of the element above it, and of itself without us. */
  chainOf(above: number, site: number, { number }: OurMatches<Owner>): number {
    let among = this.chains.get(above);
    if (!among) this.chains.set(above, (among = new Map<number, number>()));
    const key = site * 2 ** 20 + number;
    let chain = among.get(key);
    if (chain === undefined) among.set(key, (chain = -nextChain()));
    return chain;
  }

  forget(): void {
    this.kept.forget();
    this.chains.clear();
    this.lineage.below.clear();
  }
}

/** Whether our sheet changes more than what its own declarations say. */
export const changesCascade = (ours: OurSheet<unknown> | null) =>
  ours !== null &&
  (ours.layers.length > 0 || ours.keyframes.size > 0 || ours.registered.size > 0 || ours.makesContainers);

/** The stylesheets of pages that load the same, and all that follows from them alone; shared by these pages. */
export class StyleSet<Owner> {
  readonly uses: StyleUse[];
  readonly quirks: boolean;
  readonly schemes: string;
  readonly kept = new KeptByChain<Owner>();
  private readonly blocks = new Map<StyleUse | null, Map<SheetSelector, DeclarationBlock<Owner>>>();
  /** Whether a rule of the site depends on a query container. */
  readonly asksContainers: boolean;
  readonly chains: ElementChains;
  readonly layerRanks: Map<string, number>;
  readonly hasKeyframes: boolean;
  private readonly truths = new Map<EnclosingRule, Truth>();
  private readonly ourStyles = new BoundedMap<OurSheet<Owner>, OurStyles<Owner>>(8);

  /**
   * `named`: our sheet, where it changes the cascade itself. `hasStyledContainer`: whether a style attribute may make a query
   * container. `areShared`: whether elements may share anything.
   */
  constructor(
    { uses }: PageSheets,
    named: OurSheet<Owner> | null,
    readonly viewport: Viewport,
    hasStyledContainer: boolean,
    readonly areShared: boolean,
    /** Whether its pages are in quirks mode, and the colour schemes that they name. */
    { quirks, schemes }: { quirks: boolean; schemes: string },
    /** Tells it from others, in other runs too. */
    readonly signature: string,
  ) {
    this.quirks = quirks;
    this.schemes = schemes;
    this.uses = uses.map(({ sheet, file, isInline, around, layer, afterBuild, owner }, index) => ({
      ...{ sheet, isInline, around, layer, afterBuild, index },
      base: isInline ? '<style>' : file,
      // A page must not be held by what outlives it.
      owner: areShared ? null : owner,
    }));
    const hasContainers =
      named?.makesContainers || uses.some(({ sheet }) => sheet.makesContainers) || hasStyledContainer;
    this.holdsContainer = (condition) =>
      // Names and styles are told for each element. Without any container, a query of a size holds nowhere.
      hasContainers || itemsOf(condition).some((each) => !each.includes('(') || /style\(/i.test(each)) ? null : false;
    this.asksContainers = uses.some(({ sheet }) => sheet.asksContainers);
    this.layerRanks = rankLayers(this.uses, named, (around) => this.holds(around) !== false);
    this.hasKeyframes = [...uses.map(({ sheet }) => sheet), ...(named ? [named] : [])].some(
      ({ keyframes }) => keyframes.size > 0,
    );
    this.chains = new ElementChains(
      [browserSheet(), ...this.uses.map(({ sheet }) => sheet)],
      areShared,
      (page, element, { rule, selector, sheet }) => {
        const use = this.uses[sheet - 1] ?? null;
        if ((use && this.holds(use.around) === false) || this.holds(rule.around) === false) return null;
        const distance = matchDistance(page, element, { rule, selector, owner: use?.owner ?? null });
        return distance === Infinity ? -1 : distance;
      },
      () => {
        this.kept.forget();
        for (const each of this.ourStyles.values()) each.forget();
      },
    );
  }

  private readonly holdsContainer: (condition: string) => Truth;

  /** The blocks of a sheet's selectors, each made once; null: the browser's own. */
  blocksOf(use: StyleUse | null): Map<SheetSelector, DeclarationBlock<Owner>> {
    let own = this.blocks.get(use);
    if (!own) this.blocks.set(use, (own = new Map<SheetSelector, DeclarationBlock<Owner>>()));
    return own;
  }

  /** What follows from our sheet on these pages. */
  withOurs(ours: OurSheet<Owner>): OurStyles<Owner> {
    let known = this.ourStyles.get(ours);
    if (!known) this.ourStyles.set(ours, (known = new OurStyles(ours)));
    return known;
  }

  /** Whether all conditions hold; null if one cannot be known. Scopes are asked for each element. */
  holds(around: EnclosingRule[]): Truth {
    let all: Truth = true;
    for (const each of around) {
      let truth = this.truths.get(each);
      if (truth === undefined) this.truths.set(each, (truth = this.judge(each)));
      if (truth === false) return false;
      if (truth === null) all = null;
    }
    return all;
  }

  private judge(around: EnclosingRule): Truth {
    if (around.kind === 'media') return mediaHolds(around.condition, this.viewport);
    if (around.kind === 'supports') return supportsHolds(around.condition);
    return around.kind === 'scope' ? true : this.holdsContainer(around.condition);
  }
}

/** How near the scoping root is with which a selector matches, infinite without a scope; null if it does not match. */
export function matchDistance(
  document: PageDocument,
  element: Element,
  { rule, selector, owner }: { rule: SheetRule; selector: SheetSelector; owner: Element | null },
): number | null {
  if (!isScoped(rule.around)) return selector.matches(document, element) ? Infinity : null;
  const scopes = rule.around.filter((each) => each.kind === 'scope');
  for (const [root, distance] of scopingRoots(document, element, scopes, owner))
    if (withScopingRoot(root, () => selector.matches(document, element))) return distance;
  return null;
}

/** Sets of stylesheets by what is in them, so that pages that load the same share one. */
export class StyleSets<Owner> {
  private readonly sets = new BoundedMap<string, StyleSet<Owner>>(24);
  private readonly numbers = new WeakMap<object, number>();
  private next = 0;

  /** The set of a page; one of its own where something on it cannot be told by chains. */
  setFor(
    document: PageDocument,
    sheets: PageSheets,
    ours: OurSheet<Owner> | null,
    viewport: Viewport,
  ): StyleSet<Owner> {
    const named = changesCascade(ours) ? ours : null;
    const asksContainers =
      sheets.uses.some(({ sheet }) => sheet.asksContainers) ||
      ours?.rules.some(({ around }) => around.some(({ kind }) => kind === 'container')) === true;
    const hasStyledContainer =
      asksContainers && document.elements.some((element) => /container/i.test(attribute(element, 'style') ?? ''));
    // The page's colour schemes decide its initial colours.
    const like = { quirks: document.quirks, schemes: schemesOf(document) };
    const make = (areShared: boolean, signature: string) =>
      new StyleSet<Owner>(sheets, named, viewport, hasStyledContainer, areShared, like, signature);
    // Shadow trees have styles of their own, and a scope without a root is that of its place.
    if (document.shadows.size > 0 || sheets.uses.some(({ sheet, isInline }) => isInline && sheet.hasRootlessScope))
      return make(false, '');
    const key = JSON.stringify([
      ...[viewport, like.quirks, like.schemes, named && this.numberOf(named), hasStyledContainer],
      ...sheets.uses.map(({ sheet, file, isInline, around, layer, afterBuild }) => [
        ...[this.signatureOf(sheet), isInline ? '' : file, around, layer, afterBuild],
      ]),
    ]);
    const signature = textSignature(key);
    let set = this.sets.get(signature);
    if (!set) this.sets.set(signature, (set = make(true, signature)));
    return set;
  }

  /** The set of pages that were met before. */
  known = (signature: string): StyleSet<Owner> | undefined => this.sets.get(signature);

  private readonly signatures = new WeakMap<Sheet, string>();

  private signatureOf(sheet: Sheet): string {
    let signature = this.signatures.get(sheet);
    if (signature === undefined) this.signatures.set(sheet, (signature = textSignature(sheet.source)));
    return signature;
  }

  private numberOf(given: object): number {
    let number = this.numbers.get(given);
    if (number === undefined) this.numbers.set(given, (number = ++this.next));
    return number;
  }
}
