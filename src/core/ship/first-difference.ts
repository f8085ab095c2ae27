import type { Owner } from '../action/compiled.js';
import { Cascade, type OurRule, type OurSheet } from '../css/cascade/cascade.js';
import type { Viewport } from '../css/cascade/media.js';
import type { SheetStore } from '../css/cascade/page-sheets.js';
import { isScoped, type SheetSelector } from '../css/cascade/sheet.js';
import { changesCascade } from '../css/cascade/style-set.js';
import { compareSpecificity } from '../css/specificity.js';
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

/**
 * Compares the built stylesheet with the rules as written. Where both are the same to the cascade, no value is asked for;
 * elsewhere elements for which both say what they said before are not compared again.
 */
export class SheetComparison {
  private readonly alike = new Set<string>();

  constructor(
    private readonly store: SheetStore<Owner>,
    readonly viewport: Viewport,
  ) {}

  private readonly sameText = new Map<OurRule<Owner>, Map<OurRule<Owner>, boolean>>();

  /**
   * Whether two sheets are the same to the cascade on a page: rules of the same actions in the same order, with the same
   * declarations under the same conditions, that match the same elements with the same specificity. Then nothing can differ.
   * False where that cannot be told without the cascade.
   */
  areSame(document: PageDocument, written: OurSheet<Owner> | null, built: OurSheet<Owner> | null): boolean {
    if (changesCascade(written) || changesCascade(built)) return false;
    const [ours, theirs] = [written, built].map((sheet) => (sheet?.rules ?? []).map((rule) => reachOf(rule, document)));
    const [matched, others] = [ours, theirs].map((reaches) => reaches?.filter((reach) => reach?.byPseudo.size !== 0));
    return (
      matched !== undefined &&
      matched.length === others?.length &&
      matched.every((one, index) => {
        const other = others[index];
        return one && other && this.sayTheSame(one.rule, other.rule) && isSameReach(one, other);
      })
    );
  }

  /** Whether two rules are of one action and say the same, whatever they match. */
  private sayTheSame(one: OurRule<Owner>, other: OurRule<Owner>): boolean {
    let known = this.sameText.get(one);
    if (!known) this.sameText.set(one, (known = new Map<OurRule<Owner>, boolean>()));
    let same = known.get(other);
    if (same === undefined) known.set(other, (same = one.owner === other.owner && saidBy(one) === saidBy(other)));
    return same;
  }

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

const saidBy = ({ declarations, layer, around }: OurRule<Owner>) =>
  JSON.stringify([declarations.map(({ name, value, important }) => [name, value, important]), layer, around]);

/** What a rule matches on a page: elements by pseudo-element, each with the heaviest of the selectors that match it. */
interface Reach {
  rule: OurRule<Owner>;
  byPseudo: Map<string, Map<Element, SheetSelector>>;
}

/** Null inside `@scope`, where only the cascade can tell. */
function reachOf(rule: OurRule<Owner>, document: PageDocument): Reach | null {
  if (isScoped(rule.around)) return null;
  const byPseudo: Reach['byPseudo'] = new Map();
  for (const selector of rule.selectors) {
    if (!selector.elements) return null;
    const all = selector.elements(document);
    if (all.length === 0) continue;
    let known = byPseudo.get(selector.pseudo);
    if (!known) byPseudo.set(selector.pseudo, (known = new Map<Element, SheetSelector>()));
    for (const element of all) {
      const other = known.get(element);
      if (!other || compareSpecificity(selector.specificity, other.specificity) > 0) known.set(element, selector);
    }
  }
  return { rule, byPseudo };
}

function isSameReach(one: Reach, other: Reach): boolean {
  if (one.byPseudo.size !== other.byPseudo.size) return false;
  for (const [pseudo, elements] of one.byPseudo) {
    const others = other.byPseudo.get(pseudo);
    if (others?.size !== elements.size) return false;
    for (const [element, { specificity }] of elements) {
      const found = others.get(element);
      if (!found || compareSpecificity(specificity, found.specificity) !== 0) return false;
    }
  }
  return true;
}

/** The actions of ours that apply to an element, in their order. */
function ownersOn(cascade: Cascade<Owner>, element: Element, pseudo: string): Owner[] {
  const owners = cascade.blocks(element, pseudo).map(({ owner }) => owner);
  return [...new Set(owners)].filter((owner) => owner !== null);
}

const named = (owners: Owner[]) =>
  owners.map(({ rule, action }) => `${action.selector} of "${rule.name}"`).join(', ') || 'nothing';
