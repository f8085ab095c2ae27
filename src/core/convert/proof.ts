import { Cascade, type OurSheet, type Winner } from '../css/cascade/cascade.js';
import type { Viewport } from '../css/cascade/media.js';
import { SheetStore, type PageSheets } from '../css/cascade/page-sheets.js';
import { compileSheet } from '../css/cascade/sheet.js';
import { longhandsNamed } from '../css/declaration.js';
import { selectorParts } from '../css/selector.js';
import { Computed } from '../css/value/computed.js';
import { compileMatcher } from '../page/elements.js';
import { textOf } from '../page/query.js';
import { elementPath } from '../page/element-path.js';
import { elementsIn, type PageDocument } from '../page/document.js';
import type { Page } from '../page/page.js';
import { applyState } from '../page/state.js';
import type { View } from '../page/view.js';
import type { CompiledAction, Owner } from '../action/compiled.js';
import { ourSheet } from '../action/compile.js';
import { shipment } from '../check/plan.js';
import type { Rule } from '../rule/rule.js';

/** An old stylesheet as it was given. */
export interface GivenSheet {
  text: string;
  /** The page that it is pasted into; null if it is for all of them. */
  page: Page | null;
}

/** An old stylesheet, with what is left of it. */
export interface OldSheet extends GivenSheet {
  /** Null where all of it was converted. */
  leftover: string | null;
  /** The selectors that were converted from it, as they stood there. */
  converted: string[];
}

/** A computed value that differs from before. */
export interface Difference {
  page: Page;
  element: string;
  property: string;
  before: string;
  after: string;
  /** The winning declarations before and now. */
  was: Winner<Owner> | null;
  is: Winner<Owner> | null;
}

/** The result of comparing the pages. */
export interface ConvertProof {
  pages: number;
  viewports: number;
  /** Pseudo-classes that the old files ask for: each page was compared with all elements in them, too. */
  states: string[];
  /** Elements of all pages. */
  elements: number;
  /** Elements that the converted CSS or the rules match, and their values that these set; see `compare`. */
  touched: number;
  values: number;
  differences: Difference[];
}

/** Maximum number of differences reported for one page. */
const mostOnPage = 40;

/** At-rules by which a stylesheet changes what declarations outside of it mean. */
const reachesFurther = /@(layer|scope|container)\b|\bcontainer(-type)?\s*:/i;

/** Compares pages with the old stylesheets to pages with what is left of them and the rules. */
export function proveConversion(
  sheets: OldSheet[],
  rules: Rule[],
  view: View,
  { viewports, place, present, onPage, openAnew, exhaustive = false }: ProofOptions,
): ConvertProof {
  const states = [
    ...new Set(sheets.flatMap(({ text }) => text.match(/:(hover|focus|active|focus-visible|focus-within)\b/g) ?? [])),
  ];
  const proof: ConvertProof = {
    ...{ pages: 0, viewports: viewports.length, states, elements: 0, touched: 0, values: 0, differences: [] },
  };
  const worlds = worldsOf(sheets, { ...view, open: openAnew }, place, present);
  const shippedTo = shipment(rules, view.site);
  const converted = sheets.flatMap((sheet) =>
    sheet.converted.map((text) => ({ sheet, match: compileMatcher(selectorParts(text).element) })),
  );
  const longhandsOf = new Map(sheets.map((sheet) => [sheet, longhandsIn(sheet.text)]));
  for (const page of view.site.pages) {
    onPage?.(proof.pages, page);
    const plain = view.open(page);
    proof.pages++;
    proof.elements += plain.elements.length;
    const shipped = shippedTo(page);
    const own = converted.filter(({ sheet }) => sheet.page === null || sheet.page === page);
    // Where nothing ships and nothing that was converted matches, the same declarations apply as before.
    if (shipped.length === 0 && !own.some(({ match }) => match(plain).length > 0)) continue;
    const ours = ourSheet(shipped);
    const matchers = [...own.map(({ match }) => match), ...shipped.flatMap(({ match }) => match ?? [])];
    const texts = [...sheets.map(({ text }) => text), ...rulesText(shipped)];
    const isWide = exhaustive || texts.some((text) => reachesFurther.test(text));
    const names = new Set([
      ...own.flatMap(({ sheet }) => longhandsOf.get(sheet) ?? []),
      ...(ours?.rules ?? []).flatMap(({ declarations }) => longhandsNamed(declarations)),
    ]);
    for (const state of states.length > 0 ? [false, true] : [false]) {
      const [old, now] = [state ? openAnew(page) : plain, worlds.after.open(page)];
      if (state)
        for (const each of [old, now])
          applyState(each, { addClass: [], removeClass: [], pseudoClass: states.map((name) => ['*', name]) });
      const places = new Map(old.elements.map((element, index) => [element, index]));
      const touched = new Set(matchers.flatMap((match) => match(old).map((element) => places.get(element) ?? 0)));
      proof.touched += touched.size;
      const pair: Pages = { page, old, now, touched: isWide ? null : touched, names: isWide ? null : names };
      const [oldSheets, newSheets] = [worlds.before.sheetsOf(page, old), worlds.after.sheetsOf(page, now)];
      for (const viewport of viewports) compare(pair, oldSheets, newSheets, ours, viewport, proof);
    }
  }
  return proof;
}

export interface ProofOptions {
  viewports: Viewport[];
  place: 'head-end' | 'body-end';
  /** See `whereLoaded`. */
  present: Map<string, Set<Page>>;
  onPage?: (done: number, page: Page) => void;
  /** Compares every element and longhand, also those that follow from others (for tests). */
  exhaustive?: boolean;
  /** Opens a page whose document may be changed. */
  openAnew: View['open'];
}

const longhandsIn = (text: string) =>
  compileSheet(text).rules.flatMap(({ declarations }) => longhandsNamed(declarations));

/** The at-rules around what ships, and the values by which a rule makes containers, as text. */
const rulesText = (shipped: readonly CompiledAction[]) =>
  shipped.flatMap(({ around, sheet }) => [
    ...around.map(({ kind }) => `@${kind}`),
    sheet.makesContainers ? '@container' : '',
    sheet.layers.length > 0 ? '@layer' : '',
    sheet.keyframes.size > 0 ? '@keyframes' : '',
    sheet.registered.size > 0 ? '@property' : '',
  ]);

/** Parsers normalise line breaks. */
const comparable = (text: string) => text.replace(/\r\n?/g, '\n').trim();

/** The pages that load or hold each of these stylesheets, by its text. Opens every page once. */
export function whereLoaded(sheets: GivenSheet[], view: View, place: 'head-end' | 'body-end'): Map<string, Set<Page>> {
  const present = new Map(sheets.map(({ text }) => [comparable(text), new Set<Page>()]));
  const store = new SheetStore(view, place);
  for (const page of view.site.pages) {
    const document = view.open(page);
    for (const [address] of store.sheetsOf(page, document).loaded)
      present.get(comparable(view.style(address)?.text ?? ''))?.add(page);
    for (const style of elementsIn(document.root, 'style')) present.get(comparable(textOf(style)))?.add(page);
  }
  return present;
}

/** The pages with the old stylesheets, and with what is left of them. */
function worldsOf(
  sheets: OldSheet[],
  view: View,
  place: 'head-end' | 'body-end',
  presentByText: Map<string, Set<Page>>,
) {
  const trimmed = new Map(sheets.map((sheet) => [comparable(sheet.text), sheet]));
  const oldSheet = (text: string) => trimmed.get(comparable(text));
  const present = new Map(sheets.map((sheet) => [sheet, presentByText.get(comparable(sheet.text)) ?? new Set<Page>()]));
  const stores = { before: new SheetStore(view, place), after: new SheetStore({ ...view, style: replaced }, place) };
  function replaced(address: string) {
    const style = view.style(address);
    const old = style && oldSheet(style.text);
    return old ? { ...style, text: old.leftover ?? '' } : style;
  }
  /** Stylesheets that no captured page loads are taken to be last in head. */
  const pasted = (page: Page) =>
    sheets.filter((sheet) =>
      sheet.page === null ? present.get(sheet)?.size === 0 : sheet.page === page && !present.get(sheet)?.has(page),
    );
  const address = (text: string) => `data:text/css,${encodeURIComponent(text)}`;
  const withPasted =
    (store: SheetStore, textOf: (sheet: OldSheet) => string | null) =>
    (page: Page, document: PageDocument): PageSheets =>
      store.withExternal(
        store.sheetsOf(page, document),
        page,
        document,
        pasted(page).flatMap((sheet) => {
          const text = textOf(sheet);
          return text === null ? [] : address(text);
        }),
      ).sheets;
  return {
    before: { sheetsOf: withPasted(stores.before, ({ text }) => text) },
    after: {
      sheetsOf: withPasted(stores.after, ({ leftover }) => leftover),
      open(page: Page): PageDocument {
        const document = view.open(page);
        for (const style of elementsIn(document.root, 'style')) {
          const old = oldSheet(textOf(style));
          const [child] = style.childNodes;
          if (old && child && 'value' in child) child.value = old.leftover ?? '';
        }
        return document;
      },
    },
  };
}

/** A page in both worlds. `touched`: the elements to compare, by their number; `names`: the longhands; null: all. */
interface Pages {
  page: Page;
  old: PageDocument;
  now: PageDocument;
  touched: ReadonlySet<number> | null;
  names: ReadonlySet<string> | null;
}

/**
 * Compares the values that the converted CSS or the rules set, on the elements that these match. All others follow: the
 * same declarations apply to them in the same order, and what they depend on besides (the parent's values, custom
 * properties, the font size) is either one of the values that are compared, or follows in the same way.
 */
function compare(
  { page, old, now, touched, names }: Pages,
  oldSheets: PageSheets,
  newSheets: PageSheets,
  ours: OurSheet<Owner> | null,
  viewport: Viewport,
  proof: ConvertProof,
): void {
  const [before, after] = [
    new Cascade<Owner>(old, oldSheets, null, viewport),
    new Cascade(now, newSheets, ours, viewport),
  ];
  const [bare, built] = [new Computed(before), new Computed(after)];
  const rules = [...oldSheets.uses.flatMap(({ sheet }) => sheet.rules), ...(ours?.rules ?? [])];
  const properties = names ?? new Set(rules.flatMap(({ declarations }) => longhandsNamed(declarations)));
  const pseudos = new Set(rules.flatMap(({ selectors }) => selectors.map(({ pseudo }) => pseudo)));
  pseudos.add('');
  let found = 0;
  for (const index of touched ?? old.elements.keys()) {
    const [element, same] = [old.elements[index], now.elements[index]];
    if (!element || !same || found >= mostOnPage) continue;
    for (const pseudo of pseudos) {
      if (pseudo !== '' && before.blocks(element, pseudo).length + after.blocks(same, pseudo).length === 0) continue;
      for (const property of properties) {
        proof.values++;
        const [was, is] = [bare.value(element, pseudo, property), built.value(same, pseudo, property)];
        if (was === is) continue;
        found++;
        proof.differences.push({
          ...{ page, element: elementPath(element) + pseudo, property, before: was, after: is },
          was: before.winner(element, pseudo, property),
          is: after.winner(same, pseudo, property),
        });
      }
    }
  }
}

/** The rule of ours that wins now; null if none does. */
export const ruleOf = (winner: Winner<Owner> | null) => winner?.block.owner?.rule ?? null;
