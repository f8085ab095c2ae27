import { Cascade, type OurSheet, type Winner } from '../css/cascade/cascade.js';
import type { Viewport } from '../css/cascade/media.js';
import { SheetStore, type PageSheets } from '../css/cascade/page-sheets.js';
import { longhandsNamed } from '../css/declaration.js';
import { selectorParts } from '../css/selector.js';
import { Computed } from '../css/value/computed.js';
import { compileMatcher, textOf } from '../page/elements.js';
import { elementPath } from '../page/element-path.js';
import { elementsIn, type PageDocument } from '../page/document.js';
import type { Page } from '../page/page.js';
import { applyState } from '../page/state.js';
import type { View } from '../page/view.js';
import type { Owner } from '../action/compiled.js';
import { ourSheet } from '../action/compile.js';
import { shipment } from '../check/plan.js';
import type { Rule } from '../rule/rule.js';

/** An old stylesheet, with what is left of it. */
export interface OldSheet {
  text: string;
  /** Null where all of it was converted. */
  leftover: string | null;
  /** The page that it is pasted into; null if it is for all of them. */
  page: Page | null;
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
  elements: number;
  values: number;
  differences: Difference[];
}

/** Maximum number of differences reported for one page. */
const mostOnPage = 40;

/** Compares every element and longhand of all pages: with the old stylesheets, and with what is left of them and the rules. */
export function proveConversion(
  sheets: OldSheet[],
  rules: Rule[],
  view: View,
  { viewports, place }: { viewports: Viewport[]; place: 'head-end' | 'body-end' },
): ConvertProof {
  const states = [
    ...new Set(sheets.flatMap(({ text }) => text.match(/:(hover|focus|active|focus-visible|focus-within)\b/g) ?? [])),
  ];
  const proof: ConvertProof = {
    pages: 0,
    viewports: viewports.length,
    states,
    elements: 0,
    values: 0,
    differences: [],
  };
  const worlds = worldsOf(sheets, view, place);
  const shippedTo = shipment(rules, view.site);
  const converted = sheets.flatMap((sheet) =>
    sheet.converted.map((text) => ({ sheet, match: compileMatcher(selectorParts(text).element) })),
  );
  for (const page of view.site.pages) {
    const before = view.open(page);
    proof.pages++;
    proof.elements += before.elements.length;
    const shipped = shippedTo(page);
    const matters = (sheet: OldSheet) => sheet.page === null || sheet.page === page;
    // Where nothing ships and nothing that was converted matches, the same declarations apply as before.
    if (shipped.length === 0 && !converted.some(({ sheet, match }) => matters(sheet) && match(before).length > 0)) {
      continue;
    }
    const ours = ourSheet(shipped);
    for (const state of states.length > 0 ? [false, true] : [false])
      for (const viewport of viewports) {
        const [old, now] = [view.open(page), worlds.after.open(page)];
        if (state)
          for (const each of [old, now])
            applyState(each, { addClass: [], removeClass: [], pseudoClass: states.map((name) => ['*', name]) });
        compare(
          page,
          old,
          now,
          worlds.before.sheetsOf(page, old),
          worlds.after.sheetsOf(page, now),
          ours,
          viewport,
          proof,
        );
      }
  }
  return proof;
}

/** Parsers normalise line breaks. */
const comparable = (text: string) => text.replace(/\r\n?/g, '\n').trim();

/** The pages with the old stylesheets, and with what is left of them. */
function worldsOf(sheets: OldSheet[], view: View, place: 'head-end' | 'body-end') {
  const trimmed = new Map(sheets.map((sheet) => [comparable(sheet.text), sheet]));
  const oldSheet = (text: string) => trimmed.get(comparable(text));
  const present = new Map<OldSheet, Set<Page>>(sheets.map((sheet) => [sheet, new Set()]));
  const stores = { before: new SheetStore(view, place), after: new SheetStore({ ...view, style: replaced }, place) };
  function replaced(address: string) {
    const style = view.style(address);
    const old = style && oldSheet(style.text);
    return old ? { ...style, text: old.leftover ?? '' } : style;
  }
  for (const page of view.site.pages) {
    const document = view.open(page);
    for (const [address] of stores.before.sheetsOf(page, document).loaded) {
      const old = oldSheet(view.style(address)?.text ?? '');
      if (old) present.get(old)?.add(page);
    }
    for (const style of elementsIn(document.root, 'style')) {
      const old = oldSheet(textOf(style));
      if (old) present.get(old)?.add(page);
    }
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

function compare(
  page: Page,
  old: PageDocument,
  now: PageDocument,
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
  // Longhands that no declaration names can change only through those that are named.
  const names = new Set(rules.flatMap(({ declarations }) => longhandsNamed(declarations)));
  const pseudos = new Set(rules.flatMap(({ selectors }) => selectors.map(({ pseudo }) => pseudo)));
  pseudos.add('');
  let found = 0;
  old.elements.forEach((element, index) => {
    const same = now.elements[index];
    if (!same || found >= mostOnPage) return;
    for (const pseudo of pseudos) {
      if (pseudo !== '' && before.blocks(element, pseudo).length + after.blocks(same, pseudo).length === 0) continue;
      for (const property of names) {
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
  });
}

/** The rule of ours that wins now; null if none does. */
export const ruleOf = (winner: Winner<Owner> | null) => winner?.block.owner?.rule ?? null;
