import type { CompiledAction, Owner } from '../action/compiled.js';
import { actionKind } from '../action/index.js';
import type { OurRule, OurSheet } from '../css/cascade/cascade.js';
import type { SheetSelector } from '../css/cascade/sheet.js';
import type { Element, PageDocument } from '../page/document.js';
import type { Page } from '../page/page.js';
import type { Rule } from '../rule/rule.js';

type Differs = (message: string, rule?: Rule, page?: Page) => void;

/** Pages that each action is tried on as they come; the largest of the others is tried in the end. */
const pagesTried = 2;

interface Tried {
  pages: Set<Page>;
  largest: { page: Page; elements: number } | null;
}

/**
 * Tries the selectors of a build on a few of their pages, the largest one included, by asking each element of the page: what
 * makes the check quick proves nothing about itself. Selectors in `@scope`, which need the cascade, are compared by their
 * verdicts alone.
 */
export class PlainProof {
  private readonly tried = new Map<CompiledAction, Tried>();

  private readonly slow = new Set<Page>();

  constructor(private readonly differs: Differs) {}

  /** Tries what ships to a page there, unless it was tried on enough pages. */
  on(page: Page, document: PageDocument, shipped: CompiledAction[], sheet: OurSheet<Owner>): void {
    let rules: Map<Owner, OurRule<Owner>[]> | null = null;
    if (this.slow.has(page)) return;
    for (const action of shipped) {
      if (!action.selectors || action.rules.length === 0) continue;
      const tried = this.tried.get(action) ?? { pages: new Set<Page>(), largest: null };
      this.tried.set(action, tried);
      if (tried.pages.size < pagesTried || tried.largest?.page === page) {
        tried.pages.add(page);
        rules ??= byOwner(sheet);
        this.compare(action, rules.get(action.owner) ?? [], page, document);
      } else if (document.elements.length > (tried.largest?.elements ?? 0))
        tried.largest = { page, elements: document.elements.length };
    }
  }

  /** Notes a page on which this took too long: another one is tried instead. */
  giveUp(page: Page): void {
    this.slow.add(page);
    for (const { pages } of this.tried.values()) pages.delete(page);
  }

  /** The largest pages on which something is still to be tried. */
  remaining(): Set<Page> {
    const pages = [...this.tried.values()].map(({ pages: done, largest }) =>
      largest && !done.has(largest.page) && !this.slow.has(largest.page) ? largest.page : null,
    );
    return new Set(pages.filter((page) => page !== null));
  }

  /** Rules that were given up on each page. */
  untried(): Set<Rule> {
    const left = [...this.tried].filter(([, { pages }]) => pages.size === 0);
    return new Set(left.map(([{ owner }]) => owner.rule));
  }

  private compare(action: CompiledAction, rules: OurRule<Owner>[], page: Page, document: PageDocument): void {
    const { rule } = action.owner;
    const checked = union((action.selectors ?? []).map((selector) => selector.elements(document)));
    const meant = union((action.selectors ?? []).map((selector) => plainElements(action, selector, document)));
    const shipped = union(rules.flatMap(({ selectors }) => selectors.map((selector) => selector.plainly(document))));
    const name = `"${rule.name}"`;
    if (!areSame(checked, meant))
      this.differs(
        `${name} was checked on ${checked.size} elements of ${page.path}; it matches ${meant.size}`,
        rule,
        page,
      );
    // Which links are those of the page, its script decides.
    const isRight = action.isNarrowed ? [...shipped].every((each) => meant.has(each)) : areSame(shipped, meant);
    if (!isRight)
      this.differs(`${name} would reach ${shipped.size} elements of ${page.path}, not ${meant.size}`, rule, page);
  }
}

/** What a selector as it was written matches, within what its kind of action limits it to. */
function plainElements(
  { action, isNarrowed }: CompiledAction,
  selector: SheetSelector,
  document: PageDocument,
): Element[] {
  const elements = selector.plainly(document);
  if (!isNarrowed) return elements;
  const narrowed = actionKind(action).narrowed(action, { ...selector, matches: () => true });
  return elements.filter((element) => narrowed.matches(document, element));
}

function byOwner(sheet: OurSheet<Owner>): Map<Owner, OurRule<Owner>[]> {
  const rules = new Map<Owner, OurRule<Owner>[]>();
  for (const rule of sheet.rules) {
    if (!rule.owner) continue;
    const list = rules.get(rule.owner);
    if (list) list.push(rule);
    else rules.set(rule.owner, [rule]);
  }
  return rules;
}

const union = (lists: Element[][]): Set<Element> => new Set(lists.flat());

const areSame = (one: Set<Element>, other: Set<Element>) =>
  one.size === other.size && [...one].every((each) => other.has(each));
