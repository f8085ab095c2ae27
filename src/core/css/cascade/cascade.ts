import { BoundedMap } from '../../bounded-map.js';
import { attribute, parentOf, type Element, type PageDocument } from '../../page/document.js';
import { candidates } from '../../page/elements.js';
import { elementKeys } from '../../page/selector-key.js';
import { declarationFault, hasSubstitution, namesFor, wideKeywords } from '../declaration.js';
import { longhandValue } from '../value/expand.js';
import { flowOf, hasOtherName, horizontal, logicalOf, physicalOf, type Flow } from '../logical.js';
import { readDeclarations, type SheetDeclaration } from '../syntax.js';
import { browserSheet, presentationalHints } from './browser-styles.js';
import type { Truth, Viewport } from './media.js';
import type { PageSheets, SheetUse } from './page-sheets.js';
import { isScoped, type EnclosingRule, type Sheet, type SheetRule, type SheetSelector } from './sheet.js';
import type { TriedOn } from './element-chains.js';
import { layerKey } from './layers.js';
import { meetingsOf, outlineOf, type OutlinedElements, type PageOutline } from './page-outline.js';
import { rulesFromShadows } from './shadow-rules.js';
import { containerHolds } from './container.js';
import { Computed } from '../value/computed.js';
import {
  matchDistance,
  StyleSets,
  type BlockList,
  type KeptByChain,
  type OurMatches,
  type OurStyles,
  type StyleSet,
  type StyleUse,
} from './style-set.js';
import { compareWithin, level, type Level, type Weight } from './weight.js';

/** A style rule of ours in the cascade of a page. */
export interface OurRule<Owner> extends SheetRule {
  /** Its owner; opaque to the cascade. */
  owner: Owner | null;
}

/** What we ship to a page, in shipping order. */
export interface OurSheet<Owner> extends Pick<Sheet, 'layers' | 'keyframes' | 'registered' | 'makesContainers'> {
  rules: OurRule<Owner>[];
}

/** The declarations of one rule, style attribute or hint that apply to an element. */
export interface DeclarationBlock<Owner = unknown> {
  declarations: SheetDeclaration[];
  origin: 'browser' | 'hint' | 'author';
  weight: Omit<Weight, 'level'>;
  selector: string;
  /** The sheet that it is in; null for the browser's own, for hints and for our own rules. */
  use: StyleUse | null;
  /** The owner of our rule; null for the site's. */
  owner: Owner | null;
  /** Conditions that cannot be evaluated here. */
  dependsOn: string | null;
}

/** The declaration that wins for one longhand. */
export interface Winner<Owner = unknown> {
  declaration: SheetDeclaration;
  weight: Weight;
  block: DeclarationBlock<Owner>;
  /** The keyframes that set it. */
  animation: string | null;
}

/** An element with the number that a cascade with our rules last gave it. */
type Reached = Element & { reachedBy?: unknown; reached?: number };

/** Finds the declarations that apply to each element of a page, and the winner for each longhand. */
export class Cascade<Owner = unknown> {
  private readonly set: StyleSet<Owner>;
  /** What follows from our sheet, with the elements that it matches; null where it has no rules. */
  private readonly own: OurStyles<Owner> | null;
  /** `sets`: those of other pages, to share what follows from the same stylesheets. */
  constructor(
    readonly document: PageDocument,
    private readonly sheets: PageSheets,
    readonly ours: OurSheet<Owner> | null,
    readonly viewport: Viewport,
    sets: Pick<StyleSets<Owner>, 'setFor'> = new StyleSets<Owner>(),
  ) {
    this.set = sets.setFor(document, sheets, ours, viewport);
    this.own = ours && ours.rules.length > 0 ? this.set.withOurs(ours) : null;
  }

  /** The colour schemes that the page names. */
  get schemes(): string {
    return this.set.schemes;
  }

  /** The stylesheets of the page, with what follows from them on all pages that load the same. */
  get styleSet(): StyleSet<Owner> {
    return this.set;
  }

  /** A cascade that knows the elements of these entries of the page's outline, and those above them; it can be asked about no others. */
  outlined(entries: OutlinedElements<Owner>[]): Cascade<Owner> {
    const { document, sheets, ours, viewport, set } = this;
    const cascade = new Cascade(document, sheets, ours, viewport, { setFor: () => set });
    const put = (entry: OutlinedElements<Owner>, place: number) => {
      const found = document.elements[place];
      if (!found) throw new RangeError('The outline is that of another page.');
      let at: OutlinedElements<Owner> | null = entry;
      for (let element: Reached | null = found; element && at; element = parentOf(element), at = at.above) {
        if (element.reachedBy === cascade) break;
        cascade.know(element, at);
      }
    };
    for (const entry of entries) {
      let place = 0;
      for (const step of entry.places) put(entry, (place += step));
    }
    return cascade;
  }

  /** Takes over what is known of an element, instead of finding it out. */
  know(element: Reached, { matches, site, chain }: Omit<OutlinedElements<Owner>, 'above'>): void {
    this.matchesKnown ??= new Map<Element, OurMatches<Owner>>();
    if (matches.number > 0) this.matchesKnown.set(element, matches);
    this.set.chains.know(element, site);
    element.reachedBy = this;
    element.reached = chain;
  }

  /** The number of an element: the same for all of which the cascade tells the same, on other pages too (see element-chains.ts). */
  chainOf(element: Reached): number {
    if (!this.own) return this.set.chains.of(this.document, element);
    if (element.reachedBy === this) return element.reached as number;
    let chain = this.set.chains.of(this.document, element);
    const parent = parentOf(element);
    const above = parent ? this.chainOf(parent) : 0;
    const matches = this.ourMatches.get(element) ?? this.own.unmatched;
    // Below zero: our rules reach it, or an element above it.
    if (matches.number > 0 || above < 0) chain = this.own.chainOf(above, chain, matches);
    element.reachedBy = this;
    element.reached = chain;
    return chain;
  }

  private matchesKnown: Map<Element, OurMatches<Owner>> | null = null;

  /** Our rules by the elements that they match. */
  private get ourMatches(): Map<Element, OurMatches<Owner>> {
    if (this.matchesKnown) return this.matchesKnown;
    const found = (this.matchesKnown = new Map<Element, OurMatches<Owner>>());
    const { own, document } = this;
    if (!own) return found;
    for (const tried of own.selectors) {
      const { rule, selector } = tried;
      if (this.holds(rule.around) === false) continue;
      const all = isScoped(rule.around) ? undefined : selector.elements?.(document);
      for (const element of all ?? candidates(document, selector.key)) {
        const distance = all ? Infinity : matchDistance(document, element, { rule, selector, owner: null });
        if (distance === null) continue;
        const before = found.get(element) ?? own.unmatched;
        found.set(element, own.withMatch(before, tried, distance));
      }
    }
    return found;
  }

  /** The elements that a rule of ours matches, itself or a pseudo-element of it. */
  get reachedElements(): Iterable<Element> {
    return this.ourMatches.keys();
  }

  /** For the owner of each rule of ours that matches here, those whose rules its values can depend on (see meetingsOf). */
  meetings(): Map<Owner, Set<Owner>> {
    const { own, ourMatches } = this;
    return own ? meetingsOf(own, ourMatches.keys(), parentOf, (element) => ourMatches.get(element)) : new Map();
  }

  /** What our rules reach on the page, so that other runs need not open it; null where its elements share nothing. */
  outline(): PageOutline | null {
    const { own, set, document } = this;
    if (!own || !set.areShared) return null;
    const tried = own.selectors.filter(({ rule }) => this.holds(rule.around) !== false);
    const selectors = tried.map(({ selector }) => selector.text);
    return outlineOf(
      set.signature,
      selectors,
      this.ourMatches,
      document.elements,
      (element) => set.chains.of(document, element),
      (chain) => set.chains.toldBy(chain),
    );
  }

  private keptBy = (chain: number) => (chain < 0 && this.own ? this.own.kept : this.set.kept);

  /** The computed values that are known of an element, by pseudo-element and longhand; those of other elements with the same chain are the same. */
  valuesOf(element: Element): Map<string, string> {
    const chain = this.chainOf(element);
    const { values } = this.keptBy(chain);
    let own = values.get(chain);
    if (!own) values.set(chain, (own = new Map()));
    return own;
  }

  /** Finds out something about elements, once for all that are alike. */
  noted<T>(about: object, make: (element: Element) => T): (element: Element) => T {
    const notesOf = ({ notes }: KeptByChain<Owner>) => {
      let own = notes.get(about) as Map<number, T> | undefined;
      if (!own) notes.set(about, (own = new Map<number, T>()));
      return own;
    };
    const site = notesOf(this.set.kept);
    const ours = this.own ? notesOf(this.own.kept) : site;
    return (element) => {
      const chain = this.chainOf(element);
      const notes = chain < 0 ? ours : site;
      let note = notes.get(chain);
      if (note === undefined) notes.set(chain, (note = make(element)));
      return note;
    };
  }

  /** Everything that applies to an element or to a pseudo-element of it (`''` for itself), weakest origins first. */
  blocks(element: Element, pseudo: string): DeclarationBlock<Owner>[] {
    return this.listOf(element, pseudo).blocks;
  }

  private listOf(element: Element, pseudo: string): BlockList<Owner> {
    const chain = this.chainOf(element);
    const { blocks } = this.keptBy(chain);
    let known = blocks.get(chain);
    if (!known) blocks.set(chain, (known = new Map<string, BlockList<Owner>>()));
    let list = known.get(pseudo);
    if (!list) known.set(pseudo, (list = this.findList(element, pseudo, chain)));
    return list;
  }

  private findList(element: Element, pseudo: string, chain: number): BlockList<Owner> {
    if (chain >= 0) return this.set.kept.listOf(this.siteBlocks(element, pseudo));
    const site = this.set.chains.of(this.document, element);
    const { blocks } = this.set.kept;
    let known = blocks.get(site);
    if (!known) blocks.set(site, (known = new Map<string, BlockList<Owner>>()));
    // Without a rule of ours the list may still be another one: what is above an element decides about containers.
    const isShared = !this.set.asksContainers;
    let list = isShared ? known.get(pseudo) : undefined;
    list ??= this.set.kept.listOf(this.siteBlocks(element, pseudo));
    if (isShared) known.set(pseudo, list);
    const ours = this.ourBlocks(element, pseudo);
    return ours.length > 0 && this.own ? this.own.kept.listOf([...list.blocks, ...ours]) : list;
  }

  /** The sheet of the page that a block comes from; null for the browser's own, for hints and for our rules. */
  useOf({ use }: Pick<DeclarationBlock, 'use'>): SheetUse | null {
    return use && (this.sheets.uses[use.index] ?? null);
  }

  /** The winning declaration of a longhand; null if none applies. `among` leaves out blocks. */
  winner(
    element: Element,
    pseudo: string,
    longhand: string,
    among?: (block: DeclarationBlock<Owner>) => boolean,
  ): Winner<Owner> | null {
    if (among) return this.findWinner(element, pseudo, longhand, among);
    const { winners } = this.listOf(element, pseudo);
    const flow = hasOtherName(longhand) ? this.flowOf(element) : horizontal;
    const key = flow === horizontal ? longhand : `${longhand} ${flow.writingMode} ${flow.rtl}`;
    let winner = winners.get(key);
    if (winner === undefined) winners.set(key, (winner = this.findWinner(element, pseudo, longhand)));
    return winner;
  }

  private findWinner(
    element: Element,
    pseudo: string,
    longhand: string,
    among?: (block: DeclarationBlock<Owner>) => boolean,
  ): Winner<Owner> | null {
    const names = this.namesOn(element, longhand);
    let best: { block: DeclarationBlock<Owner>; declaration: SheetDeclaration; level: Level } | null = null;
    for (const block of this.blocks(element, pseudo)) {
      if (among && !among(block)) continue;
      for (const declaration of block.declarations) {
        if (!names.has(declaration.name)) continue;
        const own = levelOf(block.origin, declaration.important);
        // Most lose by origin and importance.
        if (best && own < best.level) continue;
        if (block.origin === 'author' && !isValid(declaration)) continue;
        // Two declarations of one block differ in order only, so the later wins.
        if (!best || own > best.level || compareWithin(own, block.weight, best.block.weight) >= 0)
          best = { declaration, block, level: own };
      }
    }
    const winner: Winner<Owner> | null = best && {
      declaration: best.declaration,
      weight: { ...best.block.weight, level: best.level },
      block: best.block,
      animation: null,
    };
    return this.set.hasKeyframes ? this.animated(element, pseudo, longhand, names, winner, among) : winner;
  }

  /** The other name of a longhand on an element: the logical one of a physical one, and the other way round. */
  otherName(element: Element, longhand: string): string {
    const flow = this.flowOf(element);
    const physical = physicalOf(longhand, flow);
    return physical !== longhand ? physical : (logicalOf(longhand, flow) ?? longhand);
  }

  /** The properties that set a longhand on an element, also by its other name; the same set each time. */
  namesOn(element: Element, longhand: string): Set<string> {
    return hasOtherName(longhand) ? namesFor(longhand, this.otherName(element, longhand)) : namesFor(longhand);
  }

  /** How text flows in an element; `horizontal` itself where nothing says otherwise. */
  private flowOf(element: Element): Flow {
    const chain = this.chainOf(element);
    const { flows } = this.keptBy(chain);
    let known = flows.get(chain);
    if (known === undefined) {
      const parent = parentOf(element);
      const outer = parent ? this.flowOf(parent) : horizontal;
      const [mode, direction] = ['writing-mode', 'direction'].map((name) =>
        this.winner(element, '', name)?.declaration.value.trim().toLowerCase(),
      );
      const isKept = (word: string | undefined) =>
        word === undefined || (wideKeywords.includes(word) && word !== 'initial');
      const writingMode = isKept(mode) ? outer.writingMode : mode === 'initial' ? horizontal.writingMode : (mode ?? '');
      const rtl = isKept(direction) ? outer.rtl : direction === 'rtl';
      known = flowOf(writingMode, rtl);
      if (known.writingMode === horizontal.writingMode && !known.rtl) known = horizontal;
      flows.set(chain, known);
    }
    return known;
  }

  /** Keyframes that set the longhand win over all but what is important (CSS Cascading 5, 6.1). */
  private animated(
    element: Element,
    pseudo: string,
    longhand: string,
    names: Set<string>,
    best: Winner<Owner> | null,
    among?: (block: DeclarationBlock<Owner>) => boolean,
  ): Winner<Owner> | null {
    if (longhand.startsWith('animation-') || (best && best.weight.level >= level.authorImportant)) return best;
    const running = this.winner(element, pseudo, 'animation-name', among);
    const duration = this.winner(element, pseudo, 'animation-duration', among);
    if (!running || running.declaration.value === 'none') return best;
    const isLong = (value: string) =>
      [...value.matchAll(/(-?[\d.]+)(ms|s)\b/gi)].some(([, number]) => Number(number) > 0);
    const timeline = this.winner(element, pseudo, 'animation-timeline', among)?.declaration;
    const drivenBy = timeline && longhandValue(timeline.name, timeline.value, 'animation-timeline');
    // One that is driven by scrolling takes its length from that (Scroll-driven Animations 1, 2).
    const isDriven =
      drivenBy !== undefined && drivenBy !== null && !wideKeywords.includes(drivenBy) && drivenBy !== 'auto';
    if (drivenBy === 'none' || (!isDriven && (!duration || !isLong(duration.declaration.value)))) return best;
    const all = running.declaration.value.match(/"[^"]*"|'[^']*'|[^\s,]+/g) ?? [];
    const words = all.map((word) => word.replace(/^["']|["']$/g, ''));
    for (const word of words.reverse()) {
      const set = this.keyframesOf(word);
      if (!set || ![...names].some((name) => set.has(name))) continue;
      return { ...running, weight: { ...running.weight, level: level.animation }, animation: word };
    }
    return best;
  }

  private keyframesOf = (name: string) => this.lastSaid(({ keyframes }) => keyframes.get(name));

  /** What `@property` says of a custom property. */
  registered = (name: string) => this.lastSaid(({ registered }) => registered.get(name)) ?? null;

  /** The last definition of a name applies; ours come last. */
  private lastSaid<T>(pick: (sheet: Pick<Sheet, 'keyframes' | 'registered'>) => T | undefined): T | undefined {
    const own = this.ours ? pick(this.ours) : undefined;
    if (own !== undefined) return own;
    for (const { sheet } of [...this.sheets.uses].reverse()) {
      const found = pick(sheet);
      if (found !== undefined) return found;
    }
    return undefined;
  }

  /** What the browser and the site say of an element. */
  private siteBlocks(element: Element, pseudo: string): DeclarationBlock<Owner>[] {
    const blocks: DeclarationBlock<Owner>[] = [];
    const keys = elementKeys(element);
    this.collect(browserSheet(), null, element, keys, pseudo, blocks);
    if (pseudo === '') {
      const hints = presentationalHints(element);
      if (hints.length > 0)
        blocks.push(
          attributeBlock(
            'hint',
            hints.map(([name, value]) => plain(name, value)),
          ),
        );
    }
    for (const [index, { rule, selector }] of rulesFromShadows(this.document, element, pseudo).entries()) {
      const holds = this.holds(rule.around);
      if (holds === false) continue;
      const { specificity, text } = selector;
      const weight = {
        shadow: true,
        inline: false,
        layer: Infinity,
        specificity,
        proximity: Infinity,
        order: [0, index],
      };
      const block = attributeBlock('author', rule.declarations);
      const dependsOn = holds === null ? containerText(rule, null) : null;
      blocks.push({ ...block, weight: weight as typeof block.weight, selector: text, dependsOn });
    }
    for (const use of this.set.uses) this.collect(use.sheet, use, element, keys, pseudo, blocks);
    const style = pseudo === '' ? attribute(element, 'style') : undefined;
    if (style) blocks.push(attributeBlock('author', readDeclarations(style)));
    return blocks;
  }

  /** What our rules say of an element. */
  private ourBlocks(element: Element, pseudo: string): DeclarationBlock<Owner>[] {
    const found = new Map<SheetRule, DeclarationBlock<Owner>>();
    const place = this.set.uses.filter(({ afterBuild }) => !afterBuild).length;
    for (const { rule, selector, index, distance } of this.ourMatches.get(element)?.list ?? [])
      if (selector.pseudo === pseudo)
        this.add(found, element, rule, selector, null, { isBrowser: false, distance, order: [place, index] });
    return [...found.values()];
  }

  private collect(
    sheet: Pick<Sheet, 'byKey'>,
    use: StyleUse | null,
    element: Element,
    keys: string[],
    pseudo: string,
    blocks: DeclarationBlock<Owner>[],
  ): void {
    if (use && this.holds(use.around) === false) return;
    const place = use ? (use.afterBuild ? use.index + 1 : use.index) : -1;
    let found: Map<SheetRule, DeclarationBlock<Owner>> | null = null;
    for (const key of keys) {
      for (const { rule, selector, index } of sheet.byKey.get(key) ?? []) {
        if (selector.pseudo !== pseudo) continue;
        if (rule.around.length > 0 && this.holds(rule.around) === false) continue;
        const distance = this.distanceOf(element, rule, selector, use);
        if (distance === null) continue;
        found ??= new Map<SheetRule, DeclarationBlock<Owner>>();
        this.add(found, element, rule, selector, use, { isBrowser: use === null, distance, order: [place, index] });
      }
    }
    if (found) blocks.push(...[...found.values()].sort((a, b) => a.weight.order[1] - b.weight.order[1]));
  }

  /** How near the scoping root is with which a selector of the site matches (see matchDistance); for a stand-in as it was told. */
  private distanceOf(
    element: Element & TriedOn,
    rule: SheetRule,
    selector: SheetSelector,
    use: StyleUse | null,
  ): number | null {
    const number = element.tried && this.set.chains.numberOfTried(selector, use ? use.index + 1 : 0);
    if (number === undefined)
      return matchDistance(this.document, element, { rule, selector, owner: use?.owner ?? null });
    const how = element.tried?.get(number);
    return how === undefined ? null : how < 0 ? Infinity : how;
  }

  /** Adds the block of a selector that matches; a rule whose list matches twice counts once, with its heaviest selector. */
  private add(
    found: Map<SheetRule, DeclarationBlock<Owner>>,
    element: Element,
    rule: SheetRule,
    selector: SheetSelector,
    use: StyleUse | null,
    told: { isBrowser: boolean; distance: number; order: [number, number] },
  ): void {
    const contained = this.inContainers(rule.around, element, selector.pseudo);
    if (contained === false) return;
    const conditions = contained === null ? null : use ? this.holds(use.around) : true;
    const block = this.blockOf(rule, selector, use, { ...told, conditions });
    const other = found.get(rule);
    const more = other ? compareWithin(level.author, block.weight, other.weight) : 1;
    // Of two that weigh the same the first is named, in whatever order the element has its classes.
    if (more > 0 || (more === 0 && other && isBefore(rule, selector.text, other.selector))) found.set(rule, block);
  }

  /** A selector's block; without scopes it is the same for every element. */
  private blockOf(
    rule: SheetRule,
    selector: SheetSelector,
    use: StyleUse | null,
    {
      isBrowser,
      distance,
      order,
      conditions,
    }: { isBrowser: boolean; distance: number; order: [number, number]; conditions: Truth },
  ): DeclarationBlock<Owner> {
    const isShared = distance === Infinity && !rule.around.some(({ kind }) => kind === 'container');
    const plain = use || isBrowser || !this.own ? this.set.blocksOf(use) : this.own.blocks;
    const known = isShared ? plain.get(selector) : undefined;
    if (known) return known;
    const path = use?.layer ? [...use.layer, ...(rule.layer ?? [])] : (rule.layer ?? []);
    const depends =
      conditions === null || (rule.around.length > 0 && this.holds(withoutContainers(rule.around)) === null);
    const block: DeclarationBlock<Owner> = {
      declarations: rule.declarations,
      origin: isBrowser ? 'browser' : 'author',
      weight: {
        shadow: false,
        inline: false,
        layer: path.length === 0 ? Infinity : (this.set.layerRanks.get(layerKey(path)) ?? 0),
        specificity: selector.specificity,
        proximity: distance,
        order,
      },
      selector: selector.text,
      use,
      // Only our own rules have one.
      owner: 'owner' in rule ? (rule as OurRule<Owner>).owner : null,
      dependsOn: depends ? containerText(rule, use) : null,
    };
    if (isShared) plain.set(selector, block);
    return block;
  }

  private computed: Computed<Owner> | null = null;

  /** Whether the container queries around a rule hold for an element; null if that needs a layout. */
  private inContainers(around: EnclosingRule[], element: Element, pseudo: string): Truth {
    let all: Truth = true;
    for (const each of around) {
      if (each.kind !== 'container') continue;
      this.computed ??= new Computed(this);
      const truth = containerHolds(each.condition, element, pseudo, this.computed);
      if (truth === false) return false;
      if (truth === null) all = null;
    }
    return all;
  }

  /** Whether all conditions hold; null if one cannot be known. Scopes are asked for each element. */
  holds = (around: EnclosingRule[]): Truth => this.set.holds(around);
}

function isBefore({ selectors }: SheetRule, one: string, other: string): boolean {
  const first = selectors.find(({ text }) => text === one || text === other);
  return one !== other && first?.text === one;
}

const withoutContainers = (around: EnclosingRule[]) => around.filter(({ kind }) => kind !== 'container');

const plain = (name: string, value: string): SheetDeclaration => ({
  kind: 'declaration',
  name,
  value,
  important: false,
  offset: 0,
});

function attributeBlock(origin: 'hint' | 'author', declarations: SheetDeclaration[]): DeclarationBlock<never> {
  return {
    declarations,
    origin,
    weight: {
      shadow: false,
      inline: origin === 'author',
      layer: Infinity,
      specificity: [0, 0, 0],
      proximity: Infinity,
      order: [0, 0],
    },
    selector: '',
    use: null,
    owner: null,
    dependsOn: null,
  };
}

function levelOf(origin: DeclarationBlock['origin'], important: boolean): Level {
  if (origin === 'browser') return important ? level.browserImportant : level.browser;
  if (origin === 'hint') return level.hint;
  return important ? level.authorImportant : level.author;
}

const validity = new BoundedMap<string, boolean>(50_000);
const validOnes = new WeakMap<SheetDeclaration, boolean>();

/** Whether a browser keeps a declaration. */
function isValid(declaration: SheetDeclaration): boolean {
  let valid = validOnes.get(declaration);
  if (valid === undefined) validOnes.set(declaration, (valid = judgeValidity(declaration)));
  return valid;
}

function judgeValidity({ name, value }: SheetDeclaration): boolean {
  if (name.startsWith('--') || hasSubstitution(value)) return true;
  const key = `${name}:${value}`;
  let known = validity.get(key);
  if (known === undefined) {
    known = declarationFault(name, value) === null;
    validity.set(key, known);
  }
  return known;
}

function containerText(rule: SheetRule, use: StyleUse | null): string {
  const query = [...(use?.around ?? []), ...rule.around].find(({ kind }) => kind === 'container');
  return `@container ${query && 'condition' in query ? query.condition : ''}`.trim();
}
