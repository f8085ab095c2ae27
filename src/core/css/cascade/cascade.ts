import { BoundedMap } from '../../bounded-map.js';
import { attribute, parentOf, type Element, type PageDocument } from '../../page/document.js';
import { withScopingRoot } from '../../page/elements.js';
import { elementKeys } from '../../page/selector-key.js';
import { declarationFault, hasSubstitution, namesFor, wideKeywords } from '../declaration.js';
import { longhandValue } from '../value/expand.js';
import { flowOf, hasOtherName, horizontal, logicalOf, physicalOf, type Flow } from '../logical.js';
import { readDeclarations, type SheetDeclaration } from '../syntax.js';
import { browserSheet, presentationalHints } from './browser-styles.js';
import { mediaHolds, type Truth, type Viewport } from './media.js';
import type { PageSheets, SheetUse } from './page-sheets.js';
import { indexSheet, type EnclosingRule, type Sheet, type SheetRule, type SheetSelector } from './sheet.js';
import { layerKey, rankLayers } from './layers.js';
import { rulesFromShadows } from './shadow-rules.js';
import { containerHolds } from './container.js';
import { Computed } from '../value/computed.js';
import { itemsOf } from '../value/items.js';
import { scopingRoots } from './scoping.js';
import { supportsHolds } from './supports.js';
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
  /** Where it is; null for the browser's own, for hints and for our own rules. */
  use: SheetUse | null;
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

/** Lists of blocks, each once: a tree by the blocks in them. */
interface BlockList<Owner> {
  list: DeclarationBlock<Owner>[] | null;
  next: Map<DeclarationBlock<Owner>, BlockList<Owner>>;
}

/** Finds the declarations that apply to each element of a page, and the winner for each longhand. */
export class Cascade<Owner = unknown> {
  /** By list of blocks: elements with the same list share it and its winners. */
  private readonly winnersKnown = new Map<DeclarationBlock<Owner>[], Map<string, Winner<Owner> | null>>();
  private readonly lists: BlockList<Owner> = { list: null, next: new Map() };
  private readonly plainBlocks = new Map<SheetUse | null, Map<SheetSelector, DeclarationBlock<Owner>>>();
  private readonly blocksKnown = new Map<Element, Map<string, DeclarationBlock<Owner>[]>>();
  private readonly truths = new Map<EnclosingRule, Truth>();
  private readonly layerRanks: Map<string, number>;
  private readonly ourIndex: Pick<Sheet, 'rules' | 'byKey'>;
  private readonly hasAnimations: boolean;
  /** The numbers of the sheets in the order of appearance, and that of ours. */
  private readonly places: Map<SheetUse, number>;
  private readonly ourPlace: number;

  constructor(
    readonly document: PageDocument,
    private readonly sheets: PageSheets,
    readonly ours: OurSheet<Owner> | null,
    readonly viewport: Viewport,
  ) {
    this.ourIndex = { rules: ours?.rules ?? [], byKey: new Map() };
    indexSheet(this.ourIndex);
    this.layerRanks = rankLayers(sheets.uses, ours, (around) => this.holds(around) !== false);
    const before = sheets.uses.filter(({ afterBuild }) => !afterBuild).length;
    this.places = new Map(sheets.uses.map((use, index) => [use, use.afterBuild ? index + 1 : index]));
    this.ourPlace = before;
    this.hasAnimations = [...sheets.uses.map(({ sheet }) => sheet), ...(ours ? [ours] : [])].some(
      ({ keyframes }) => keyframes.size > 0,
    );
  }

  /** Everything that applies to an element or to a pseudo-element of it (`''` for itself), weakest origins first. */
  blocks(element: Element, pseudo: string): DeclarationBlock<Owner>[] {
    const known = this.blocksKnown.get(element) ?? new Map<string, DeclarationBlock<Owner>[]>();
    this.blocksKnown.set(element, known);
    let found = known.get(pseudo);
    if (!found) known.set(pseudo, (found = this.findBlocks(element, pseudo)));
    return found;
  }

  /** The winning declaration of a longhand; null if none applies. `among` leaves out blocks. */
  winner(
    element: Element,
    pseudo: string,
    longhand: string,
    among?: (block: DeclarationBlock<Owner>) => boolean,
  ): Winner<Owner> | null {
    if (among) return this.findWinner(element, pseudo, longhand, among);
    const list = this.blocks(element, pseudo);
    let known = this.winnersKnown.get(list);
    if (!known) this.winnersKnown.set(list, (known = new Map<string, Winner<Owner> | null>()));
    const flow = hasOtherName(longhand) ? this.flowOf(element) : horizontal;
    const key = flow === horizontal ? longhand : `${longhand} ${flow.writingMode} ${flow.rtl}`;
    let winner = known.get(key);
    if (winner === undefined) known.set(key, (winner = this.findWinner(element, pseudo, longhand)));
    return winner;
  }

  private findWinner(
    element: Element,
    pseudo: string,
    longhand: string,
    among?: (block: DeclarationBlock<Owner>) => boolean,
  ): Winner<Owner> | null {
    const names = this.namesOf(element, longhand);
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
    return this.hasAnimations ? this.animated(element, pseudo, longhand, names, winner, among) : winner;
  }

  /** The other name of a longhand on an element: the logical one of a physical one, and the other way round. */
  otherName(element: Element, longhand: string): string {
    const flow = this.flowOf(element);
    const physical = physicalOf(longhand, flow);
    return physical !== longhand ? physical : (logicalOf(longhand, flow) ?? longhand);
  }

  private readonly namesKnown = new Map<string, Set<string>>();

  private namesOf(element: Element, longhand: string): Set<string> {
    if (!hasOtherName(longhand)) return namesFor(longhand);
    const other = this.otherName(element, longhand);
    const key = `${longhand} ${other}`;
    let names = this.namesKnown.get(key);
    if (!names) this.namesKnown.set(key, (names = new Set([...namesFor(longhand), ...namesFor(other)])));
    return names;
  }

  private readonly flows = new Map<Element, Flow>();

  /** How text flows in an element; `horizontal` itself where nothing says otherwise. */
  private flowOf(element: Element): Flow {
    let known = this.flows.get(element);
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
      this.flows.set(element, known);
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
    const words = running.declaration.value.split(/[\s,]+/).map((word) => word.replace(/^["']|["']$/g, ''));
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

  private findBlocks(element: Element, pseudo: string): DeclarationBlock<Owner>[] {
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
    const { uses } = this.sheets;
    for (const use of uses) if (!use.afterBuild) this.collect(use.sheet, use, element, keys, pseudo, blocks);
    if (this.ours) this.collect(this.ourIndex, null, element, keys, pseudo, blocks);
    for (const use of uses) if (use.afterBuild) this.collect(use.sheet, use, element, keys, pseudo, blocks);
    const style = pseudo === '' ? attribute(element, 'style') : undefined;
    if (style) blocks.push(attributeBlock('author', readDeclarations(style)));
    return this.shared(blocks);
  }

  /** The shared list of these blocks. */
  private shared(blocks: DeclarationBlock<Owner>[]): DeclarationBlock<Owner>[] {
    let at = this.lists;
    for (const block of blocks) {
      let next = at.next.get(block);
      if (!next) at.next.set(block, (next = { list: null, next: new Map() }));
      at = next;
    }
    return (at.list ??= blocks);
  }

  private collect(
    sheet: Pick<Sheet, 'byKey'>,
    use: SheetUse | null,
    element: Element,
    keys: string[],
    pseudo: string,
    blocks: DeclarationBlock<Owner>[],
  ): void {
    const conditions = use ? this.holds(use.around) : true;
    if (conditions === false) return;
    const isBrowser = use === null && sheet !== this.ourIndex;
    const place = isBrowser ? -1 : use ? (this.places.get(use) ?? 0) : this.ourPlace;
    // A rule whose list matches twice counts once, with its heaviest selector.
    let found: Map<SheetRule, DeclarationBlock<Owner>> | null = null;
    for (const key of keys) {
      for (const { rule, selector, index } of sheet.byKey.get(key) ?? []) {
        if (selector.pseudo !== pseudo) continue;
        if (rule.around.length > 0 && this.holds(rule.around) === false) continue;
        const proximity = this.match(rule, selector, element, use);
        if (proximity === null) continue;
        const contained = this.inContainers(rule.around, element, pseudo);
        if (contained === false) continue;
        const block = this.blockOf(rule, selector, use, {
          ...{ isBrowser, proximity, order: [place, index] as [number, number] },
          conditions: contained === null ? null : conditions,
        });
        found ??= new Map<SheetRule, DeclarationBlock<Owner>>();
        const other = found.get(rule);
        if (!other || compareWithin(level.author, block.weight, other.weight) > 0) found.set(rule, block);
      }
    }
    if (found) blocks.push(...[...found.values()].sort((a, b) => a.weight.order[1] - b.weight.order[1]));
  }

  /** A selector's block; without scopes it is the same for every element. */
  private blockOf(
    rule: SheetRule,
    selector: SheetSelector,
    use: SheetUse | null,
    {
      isBrowser,
      proximity,
      order,
      conditions,
    }: { isBrowser: boolean; proximity: number; order: [number, number]; conditions: Truth },
  ): DeclarationBlock<Owner> {
    let plain = this.plainBlocks.get(use);
    const isShared = proximity === Infinity && !rule.around.some(({ kind }) => kind === 'container');
    if (!plain) this.plainBlocks.set(use, (plain = new Map<SheetSelector, DeclarationBlock<Owner>>()));
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
        layer: path.length === 0 ? Infinity : (this.layerRanks.get(layerKey(path)) ?? 0),
        specificity: selector.specificity,
        proximity,
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

  /** The proximity with which a selector matches; null if it does not. */
  private match(rule: SheetRule, selector: SheetSelector, element: Element, use: SheetUse | null): number | null {
    const scopes = rule.around.filter((each) => each.kind === 'scope');
    if (scopes.length === 0) return selector.matches(this.document, element) ? Infinity : null;
    for (const [root, distance] of scopingRoots(this.document, element, scopes, use?.owner ?? null))
      if (withScopingRoot(root, () => selector.matches(this.document, element))) return distance;
    return null;
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
    if (around.kind === 'scope') return true;
    // Names and styles are told for each element. Without any container, a query of a size holds nowhere.
    const containers =
      itemsOf(around.condition).some((each) => !each.includes('(') || /style\(/i.test(each)) ||
      this.ours?.makesContainers ||
      this.sheets.uses.some(({ sheet }) => sheet.makesContainers) ||
      this.document.elements.some((element) => /container/i.test(attribute(element, 'style') ?? ''));
    return containers ? null : false;
  }
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

function containerText(rule: SheetRule, use: SheetUse | null): string {
  const query = [...(use?.around ?? []), ...rule.around].find(({ kind }) => kind === 'container');
  return `@container ${query && 'condition' in query ? query.condition : ''}`.trim();
}
