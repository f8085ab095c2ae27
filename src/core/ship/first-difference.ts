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

/**
 * The first computed value that differs between the built stylesheet and the rules as written; null if none does.
 * Compares the elements that either matches, and every longhand that either names.
 */
export function firstDifference(
  page: Page,
  document: PageDocument,
  store: SheetStore<Owner>,
  viewport: Viewport,
  written: OurSheet<Owner> | null,
  built: OurSheet<Owner> | null,
): string | null {
  const rules = [...(written?.rules ?? []), ...(built?.rules ?? [])];
  // Layers and registered properties act on what the site itself says.
  const isWide = [written, built].some((sheet) => sheet && (sheet.layers.length > 0 || sheet.registered.size > 0));
  if (rules.length === 0 && !isWide) return null;
  const sheets = store.sheetsOf(page, document);
  const all = isWide ? [...rules, ...sheets.uses.flatMap(({ sheet }) => sheet.rules)] : rules;
  const names = new Set(all.flatMap(({ declarations }) => longhandsNamed(declarations)));
  const pseudos = new Set(['', ...rules.flatMap(({ selectors }) => selectors.map(({ pseudo }) => pseudo))]);
  const [before, after] = [written, built].map((sheet) => new Cascade(document, sheets, sheet, viewport));
  if (!before || !after) return null;
  const [one, other] = [new Computed(before), new Computed(after)];
  const isTouched = (element: Element, pseudo: string) =>
    isWide || [before, after].some((cascade) => cascade.blocks(element, pseudo).some(({ owner }) => owner !== null));
  for (const element of document.elements)
    for (const pseudo of pseudos) {
      if (!isTouched(element, pseudo)) continue;
      for (const name of names) {
        const [wanted, found] = [one, other].map((computed) => withoutAddresses(computed.value(element, pseudo, name)));
        if (wanted !== found) return `${name} of ${elementPath(element)}${pseudo} is ${found}, not ${wanted}`;
      }
    }
  return null;
}
