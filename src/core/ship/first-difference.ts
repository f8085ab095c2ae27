import type { Owner } from '../action/compiled.js';
import { Cascade, type OurSheet } from '../css/cascade/cascade.js';
import type { Viewport } from '../css/cascade/media.js';
import type { SheetStore } from '../css/cascade/page-sheets.js';
import { withUrls } from '../css/urls.js';
import { longhandsNamed } from '../css/declaration.js';
import { Computed } from '../css/value/computed.js';
import type { Element, PageDocument } from '../page/document.js';
import { elementPath } from '../page/element-path.js';
import type { Page } from '../page/page.js';

/** Files ship under names of their own. */
const withoutAddresses = (value: string) => withUrls(value, () => '');

/** Maximum number of kinds of elements that are remembered as compared. */
const mostAlike = 500_000;

/** Compares the built stylesheet with the rules as written; elements for which both say what they said before are not compared again. */
export class SheetComparison {
  private readonly alike = new Set<string>();

  constructor(
    private readonly store: SheetStore<Owner>,
    readonly viewport: Viewport,
  ) {}

  /**
   * The first difference on a page; null if there is none: the same rules apply to each element that either matches, and
   * every longhand that either names has the same computed value. So each rule has the same verdict by both.
   */
  firstDifference(
    page: Page,
    document: PageDocument,
    written: OurSheet<Owner> | null,
    built: OurSheet<Owner> | null,
  ): string | null {
    const rules = [...(written?.rules ?? []), ...(built?.rules ?? [])];
    // Layers and registered properties act on what the site itself says.
    const isWide = [written, built].some((sheet) => sheet && (sheet.layers.length > 0 || sheet.registered.size > 0));
    if (rules.length === 0 && !isWide) return null;
    const sheets = this.store.sheetsOf(page, document);
    const all = isWide ? [...rules, ...sheets.uses.flatMap(({ sheet }) => sheet.rules)] : rules;
    const names = [...new Set(all.flatMap(({ declarations }) => longhandsNamed(declarations)))];
    const pseudos = new Set(['', ...rules.flatMap(({ selectors }) => selectors.map(({ pseudo }) => pseudo))]);
    const cascadeOf = (sheet: OurSheet<Owner> | null) =>
      new Cascade(document, sheets, sheet, this.viewport, this.store.styleSets);
    const [before, after] = [cascadeOf(written), cascadeOf(built)];
    const elements = isWide ? document.elements : [...new Set([...before.reachedElements, ...after.reachedElements])];
    // One cascade after the other: an element keeps the number that it was last given.
    const [numbers, others] = [before, after].map((cascade) => elements.map((each) => cascade.chainOf(each)));
    const [one, other] = [new Computed(before), new Computed(after)];
    if (this.alike.size > mostAlike) this.alike.clear();
    for (const [index, element] of elements.entries()) {
      const pair = `${numbers?.[index]} ${others?.[index]}`;
      if (this.alike.has(pair)) continue;
      for (const pseudo of pseudos) {
        const [own, others] = [ownersOn(before, element, pseudo), ownersOn(after, element, pseudo)];
        if (own.length !== others.length || own.some((owner, at) => owner !== others[at]))
          return `${elementPath(element)}${pseudo} is reached by ${named(others)}, not ${named(own)}`;
        if (!isWide && own.length === 0) continue;
        for (const name of names) {
          const [wanted, found] = [one, other].map((computed) =>
            withoutAddresses(computed.value(element, pseudo, name)),
          );
          if (wanted !== found) return `${name} of ${elementPath(element)}${pseudo} is ${found}, not ${wanted}`;
        }
      }
      this.alike.add(pair);
    }
    return null;
  }
}

/** The actions of ours that apply to an element, in their order. */
function ownersOn(cascade: Cascade<Owner>, element: Element, pseudo: string): Owner[] {
  const owners = cascade.blocks(element, pseudo).map(({ owner }) => owner);
  return [...new Set(owners)].filter((owner) => owner !== null);
}

const named = (owners: Owner[]) =>
  owners.map(({ rule, action }) => `${action.selector} of "${rule.name}"`).join(', ') || 'nothing';
