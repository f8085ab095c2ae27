import type { Action } from '../action/action.js';
import { placesOn, type ElementPlaces, type LostPair } from '../action/pair.js';
import type { StyleUse } from '../css/cascade/style-set.js';
import type { Weight } from '../css/cascade/weight.js';
import { strongerOn, type StrongerSelector } from '../fix/winning-change.js';
import type { Element } from '../page/document.js';
import { waitsForState } from './judge.js';
import type { OpenedPage } from './opened-page.js';

/**
 * What was asked of single elements of a page, so that what a rule loses can be told without the page. It follows from the
 * page's text and the outline's stylesheets, whatever our rules declare.
 */
interface ElementFacts {
  /** Paths of elements, by their places among all elements of the page. */
  paths: Record<number, string>;
  /** The lines of elements, by the same. */
  lines: Record<number, number>;
  /** The lines of declarations in a `<style>` of the page, by the number of the sheet and their offset. */
  styleLines: Record<string, number>;
  /** Selectors that would win, by all that decides which. */
  stronger: Record<string, string | null>;
  /** Whether selectors would match in a state that they name. */
  waiting: Record<string, boolean>;
}

const none = (): ElementFacts => ({ paths: {}, lines: {}, styleLines: {}, stronger: {}, waiting: {} });

/** A path as it is written: its place from the one before, how much of that one's path it begins with, and the rest. */
type WrittenPath = [step: number, shared: number, rest: string];
type WrittenFacts = Omit<ElementFacts, 'paths'> & { paths: WrittenPath[] };

/** Facts as text; neighbours' paths begin alike. */
function factsText({ paths, ...facts }: ElementFacts): string {
  let [last, before] = [0, ''];
  const written = Object.entries(paths).map(([place, path]): WrittenPath => {
    const step = Number(place) - last;
    const shared = sharedStart(before, path);
    [last, before] = [Number(place), path];
    return [step, shared, path.slice(shared)];
  });
  const all: WrittenFacts = { ...facts, paths: written };
  return JSON.stringify(all);
}

/** Facts that were written. */
function readFacts(text: string): ElementFacts {
  const { paths: written, ...facts } = JSON.parse(text) as WrittenFacts;
  const paths: ElementFacts['paths'] = {};
  let [place, path] = [0, ''];
  for (const [step, shared, rest] of written) paths[(place += step)] = path = path.slice(0, shared) + rest;
  return { ...facts, paths };
}

function sharedStart(one: string, other: string): number {
  let length = 0;
  while (length < one.length && one[length] === other[length]) length++;
  return length;
}

/** Tells of elements by their places, from what is known, else from the page. */
export class KnownElements implements ElementPlaces<number> {
  /** Whether the page had to be asked. */
  isAsked = false;

  /** `written`: what was known before, as text. */
  constructor(
    readonly file: string,
    private readonly written: string | undefined,
    private readonly open: () => OpenedPage,
  ) {}

  private read: ElementFacts | undefined;

  private get facts(): ElementFacts {
    return (this.read ??= this.written === undefined ? none() : readFacts(this.written));
  }

  /** All that is known now, as text. */
  text = (): string => factsText(this.facts);

  private ask(): OpenedPage {
    this.isAsked = true;
    return this.open();
  }

  private elementAt(place: number): Element {
    const element = this.ask().document.elements[place];
    if (!element) throw new RangeError('The outline is that of another page.');
    return element;
  }

  pathOf = (place: number): string => (this.facts.paths[place] ??= this.places.pathOf(this.elementAt(place)));

  lineOf = (place: number): number => (this.facts.lines[place] ??= this.places.lineOf(this.elementAt(place)));

  styleAt = (use: StyleUse, offset: number): { file: string; line: number } => {
    if (!use.isInline) return { file: use.base, line: use.sheet.lineOf(offset) };
    const line = (this.facts.styleLines[`${use.index} ${offset}`] ??= this.places.styleAt(use, offset).line);
    return { file: this.file, line };
  };

  stronger: StrongerSelector<number> = (pair, important) => {
    const { stronger } = this.facts;
    const key = keyOfPair(pair, important);
    let known = stronger[key];
    if (known === undefined) {
      const element = this.elementAt(pair.element);
      stronger[key] = known = strongerOn(this.ask())({ ...pair, element }, important);
    }
    return known;
  };

  /** Whether an action would match if the page were in a state that its selectors name, such as `:hover`. */
  waitsForState(action: Action): boolean {
    const key = JSON.stringify(action.selectors.map(({ text }) => text));
    return (this.facts.waiting[key] ??= waitsForState(action, this.ask().document));
  }

  private get places(): ElementPlaces<Element> {
    return placesOn(this.ask());
  }
}

/** All that decides which selector would win a pair; of the order only which comes later, since rules move. */
function keyOfPair({ element, pseudo, ours, winner }: LostPair<number>, important: boolean): string {
  const { order, ...own } = ours.weight;
  const { order: other, ...its } = winner.weight;
  const later = Math.sign(order[0] - other[0] || order[1] - other[1]);
  const plain = (weight: Omit<Weight, 'order'>) => Object.values(weight);
  return JSON.stringify([element, pseudo, important, ours.block.selector, plain(own), plain(its), later]);
}
