import { html as standard } from 'parse5';
import { parentOf, type Element, type PageDocument } from '../../page/document.js';
import { classesOf } from '../../page/selector-key.js';
import { isHintAttribute } from './browser-styles.js';
import { isScoped, type Sheet, type SheetRule, type SheetSelector } from './sheet.js';

/** A selector that is tried on each element that carries its key. */
interface Tried {
  rule: SheetRule;
  selector: SheetSelector;
  /** Its number among all of them. */
  number: number;
  sheet: number;
}

/** What the selectors of one sheet ask of elements. */
interface SheetAsks {
  words: Set<string>;
  attributes: Map<string, Set<string>>;
  tried: Omit<Tried, 'number' | 'sheet'>[];
}

const known = new WeakMap<object, SheetAsks>();

function asksOfSheet(sheet: Pick<Sheet, 'rules'>): SheetAsks {
  let asks = known.get(sheet);
  if (asks) return asks;
  asks = { words: new Set(), attributes: new Map(), tried: [] };
  known.set(sheet, asks);
  for (const rule of sheet.rules) {
    const inScope = isScoped(rule.around);
    for (const selector of rule.selectors) {
      const own = selector.asks();
      // What they need above an element is asked for too: it tells where they need not be tried.
      if (own.of === 'element' || inScope) asks.tried.push({ rule, selector });
      for (const word of own.words) asks.words.add(word);
      for (const [name, value] of own.attributes) {
        const values = asks.attributes.get(name) ?? new Set<string>();
        asks.attributes.set(name, value === null ? values.add('*') : values.add(`=${value}`));
      }
    }
  }
  return asks;
}

/** The number of the next chain: no two have the same, so that what is kept by number never mixes. */
let chains = 0;
export const nextChain = () => ++chains;

/** Maximum number of chains, and of kilobytes that tell of them, before what is known of them is forgotten. */
const mostChains = 50_000;
/** Maximum number of texts of plain elements before they are forgotten. */
const mostPlain = 200_000;

/**
 * Gives elements a number: those with the same number have the same tag, the same IDs, classes and attributes that any
 * selector of the given stylesheets asks for, match the same of those selectors that look further, and so do the elements
 * above them. So the same declarations of these stylesheets apply to them, on one page and across pages.
 */
export class ElementChains {
  private readonly words = new Set<string>();
  private readonly attributes = new Map<string, Set<string>>();
  private readonly tried = new Map<string, Tried[]>();
  private readonly classLists = new Map<string, ClassList>();
  private readonly tags = new Map<string, number>();
  /** Numbers of what is said of elements beyond tag and classes. */
  private readonly texts = new Map<string, number>();
  private readonly byParent = new Map<number, Below>();
  /** The selectors to try by key, below elements of a number. */
  private readonly triedBelow = new Map<number, Map<string, readonly Tried[]>>();
  private readonly triesAttributes: boolean;
  private readonly ownByTold = new Map<string, number>();
  /** What was said of elements when their number was made. */
  private readonly told = new Map<number, string>();
  /** What was found of the element that was described last. */
  private readonly described = { tagName: '', asked: '', text: '' };
  private size = 0;
  /** How many selectors were tried to describe an element. */
  private tries = 0;
  private plainSize = 0;
  private last: object | null = null;

  /**
   * `match`: how a selector that looks further matches an element, as a number; null if it does not.
   * `areShared`: whether elements may share a number at all.
   */
  constructor(
    sheets: readonly Pick<Sheet, 'rules'>[],
    private readonly areShared: boolean,
    private readonly match: (document: PageDocument, element: Element, tried: Tried) => number | null,
    /** Called when what is kept by number should be forgotten. */
    private readonly onFull: () => void,
  ) {
    let number = 0;
    for (const [index, sheet] of areShared ? sheets.entries() : []) {
      const asks = asksOfSheet(sheet);
      for (const word of asks.words) this.words.add(word);
      for (const [name, values] of asks.attributes) {
        const own = this.attributes.get(name) ?? new Set();
        for (const value of values) own.add(value);
        this.attributes.set(name, own);
      }
      for (const each of asks.tried) {
        const entry = { ...each, number: number++, sheet: index };
        const list = this.tried.get(each.selector.key);
        if (list) list.push(entry);
        else this.tried.set(each.selector.key, [entry]);
      }
    }
    this.triesAttributes = [...this.tried.keys()].some((key) => key.startsWith('['));
  }

  /** The number of an element of a page. */
  of(document: PageDocument, element: Element): number {
    this.begin(document);
    return this.numberOf(document, element);
  }

  /** Begins with a page, or with what is kept of one. */
  begin(page: object): void {
    if (this.last === page) return;
    this.last = page;
    if (this.size > mostChains) this.forget();
    if (this.plainSize <= mostPlain) return;
    this.plainSize = 0;
    for (const { plain } of this.byParent.values()) plain.clear();
  }

  /**
   * What a number says of an element beyond those above it, as a text that holds in other runs with the same stylesheets;
   * undefined once that was forgotten.
   */
  toldBy(number: number): string | undefined {
    return this.told.get(number);
  }

  /** Gives an element of an opened page the number that is known of it. */
  know(element: Numbered, number: number): void {
    element.chainOf = this;
    element.chain = number;
  }

  /** The number of an element of which this was told, below one with another number (0: the root). */
  numberFrom(above: number, told: string): number {
    let own = this.ownByTold.get(told);
    if (own === undefined) {
      const [tagName = '', asked = '', text = ''] = told.split('\n', 3);
      this.ownByTold.set(told, (own = this.ownOf(tagName, this.numberOfClasses(asked), text)));
    }
    return this.numbered(this.belowOf(above).numbers, own, told);
  }

  /** The numbers of the selectors that are tried, by their sheets. */
  private numbers: Map<SheetSelector, number>[] | null = null;

  /** The number of a selector of a sheet that is tried, as texts have it; undefined for one that what they say decides about. */
  numberOfTried(selector: SheetSelector, sheet: number): number | undefined {
    if (!this.numbers) {
      this.numbers = [];
      for (const each of [...this.tried.values()].flat())
        (this.numbers[each.sheet] ??= new Map<SheetSelector, number>()).set(each.selector, each.number);
    }
    return this.numbers[sheet]?.get(selector);
  }

  private forget(): void {
    this.size = 0;
    this.plainSize = 0;
    const { byParent, triedBelow, classLists, texts, told, ownByTold } = this;
    for (const each of [byParent, triedBelow, classLists, texts, told, ownByTold]) each.clear();
    this.onFull();
  }

  private numberOf(document: PageDocument, element: Numbered): number {
    if (element.chainOf === this) return element.chain as number;
    if (!this.areShared) return this.ownNumber(element);
    const parent = parentOf(element);
    const above = parent ? this.numberOf(document, parent) : 0;
    const below = this.belowOf(above);
    const plain = plainText(element);
    let number = plain === null ? undefined : below.plain.get(plain);
    if (number === undefined) {
      this.tries = 0;
      number = this.numbered(below.numbers, this.describe(document, element, above), null);
      if (plain !== null && this.tries === 0) {
        below.plain.set(plain, number);
        this.plainSize += 1 + (plain.length >> 8);
      }
    }
    element.chainOf = this;
    element.chain = number;
    return number;
  }

  private belowOf(above: number): Below {
    let below = this.byParent.get(above);
    if (!below) this.byParent.set(above, (below = { numbers: new Map(), plain: new Map() }));
    return below;
  }

  /** `told`: what is told of the element; null for what was described last. */
  private numbered(among: Map<number, number>, own: number, told: string | null): number {
    let number = among.get(own);
    if (number === undefined) {
      this.size++;
      among.set(own, (number = nextChain()));
      const { tagName, asked, text } = this.described;
      // Only its values may hold line breaks, and they are written as in JSON.
      this.told.set(number, told ?? `${tagName}\n${asked}\n${text}`);
    }
    return number;
  }

  private readonly ownNumbers = new Map<Element, number>();

  private ownNumber(element: Element): number {
    const number = this.ownNumbers.get(element) ?? nextChain();
    this.ownNumbers.set(element, number);
    return number;
  }

  /** A number for all that any selector asks of an element. */
  private describe(document: PageDocument, element: Element, above: number): number {
    const { tagName } = element;
    let classes: ClassList | null = null;
    let text = element.namespaceURI === standard.NS.HTML ? '' : element.namespaceURI;
    text += this.triedText('*', document, element, above);
    text += this.triedText(tagName.toLowerCase(), document, element, above);
    for (const { name, value, namespace } of element.attrs) {
      if (namespace) text += ` ${namespace}|${writtenName(name)}=${JSON.stringify(value)}`;
      else if (name === 'class') {
        classes = this.classList(value);
        for (const key of classes.tried) text += this.triedText(key, document, element, above);
      } else if (name === 'id') {
        const key = `#${value.toLowerCase()}`;
        if (this.words.has(key)) text += ` #${JSON.stringify(value)}`;
        text += this.triedText(key, document, element, above);
      } else if (name === 'style') text += ` style=${JSON.stringify(value)}`;
      text += this.attributeText(tagName, name, value);
      if (this.triesAttributes) text += this.triedText(`[${name.toLowerCase()}`, document, element, above);
    }
    this.described.tagName = tagName;
    this.described.asked = classes?.asked ?? '';
    this.described.text = text;
    return this.ownOf(tagName, classes?.number ?? 0, text);
  }

  /** Which selectors with a key match an element, and how. */
  private triedText(key: string, document: PageDocument, element: Element, above: number): string {
    let text = '';
    for (const each of this.toTry(key, document, element, above)) {
      this.tries++;
      const how = isAtRest(each, document) ? null : this.match(document, element, each);
      if (how !== null) text += `!${each.number}:${how}`;
    }
    return text;
  }

  private ownOf(tagName: string, classes: number, text: string): number {
    const plain = numberIn(this.tags, tagName) * 2 ** 22 + classes;
    if (text === '') return plain;
    // Pages may hold style attributes of any length.
    this.size += text.length >> 10;
    return -1 - numberIn(this.texts, `${plain} ${text}`);
  }

  private numberOfClasses = (asked: string): number => (asked === '' ? 0 : 1 + numberIn(this.texts, `. ${asked}`));

  /** The selectors with a key that need nothing above the element that is not there. */
  private toTry(key: string, document: PageDocument, element: Element, above: number): readonly Tried[] {
    const all = this.tried.get(key);
    if (!all) return none;
    let below = this.triedBelow.get(above);
    if (!below) this.triedBelow.set(above, (below = new Map<string, readonly Tried[]>()));
    let list = below.get(key);
    if (!list) below.set(key, (list = all.filter(({ selector }) => selector.mayBeBelow(document, element))));
    return list;
  }

  private attributeText(tagName: string, name: string, value: string): string {
    const whole = () => ` ${writtenName(name)}=${JSON.stringify(value)}`;
    if (isHintAttribute(tagName, name)) return whole();
    const asked = this.attributes.get(name.toLowerCase());
    if (!asked) return '';
    if (asked.has(`=${value.toLowerCase()}`)) return whole();
    return asked.has('*') ? ` ${writtenName(name)}` : '';
  }

  private classList(value: string): ClassList {
    let list = this.classLists.get(value);
    if (!list) {
      const names = [...new Set(classesOf(value))];
      const keys = names.map((name) => `.${name.toLowerCase()}`);
      const asked = names
        .filter((_, index) => this.words.has(keys[index] ?? ''))
        .sort()
        .join(' ');
      list = {
        asked,
        number: this.numberOfClasses(asked),
        tried: [...new Set(keys)].filter((key) => this.tried.has(key)),
      };
      this.classLists.set(value, list);
    }
    return list;
  }
}

/** An attribute's name as texts have it; HTML takes almost any character in one. */
const writtenName = (name: string) => (/^[\w:-]+$/.test(name) ? name : JSON.stringify(name));

/** What a `class` attribute says: a number for those of its classes that are asked for, and the keys of selectors to try. */
interface ClassList {
  asked: string;
  number: number;
  tried: string[];
}

const none: readonly Tried[] = [];

/** The numbers of elements below one with another number: by what is said of them, and by the tag and classes of those that have nothing more. */
interface Below {
  numbers: Map<number, number>;
  plain: Map<string, number>;
}

/** All that can be said of an element without attributes, or with classes alone, but for selectors that look further; else null. */
function plainText({ tagName, namespaceURI, attrs }: Element): string | null {
  const [first] = attrs;
  if (namespaceURI !== standard.NS.HTML || attrs.length > 1) return null;
  if (!first) return tagName;
  return first.name === 'class' && !first.namespace ? `${tagName} ${first.value}` : null;
}

/** An element with the number that it was last given, and by what. */
type Numbered = Element & { chainOf?: ElementChains; chain?: number };

/** What is known of an element that stands for others: how selectors that look further match, by their numbers. */
export interface TriedOn {
  tried?: ReadonlyMap<number, number>;
}

function numberIn(numbers: Map<string, number>, text: string): number {
  let number = numbers.get(text);
  if (number === undefined) numbers.set(text, (number = numbers.size));
  return number;
}

/** Whether a selector needs a pseudo-class of a state on a page that is in none. */
const isAtRest = ({ selector }: Tried, { isInState }: PageDocument) => !isInState && selector.asks().inState;
