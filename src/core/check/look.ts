import { Cascade, type OurSheet } from '../css/cascade/cascade.js';
import type { Viewport } from '../css/cascade/media.js';
import type { PageSheets, SheetStore, SheetUse } from '../css/cascade/page-sheets.js';
import { Computed } from '../css/value/computed.js';
import type { PageDocument } from '../page/document.js';
import type { Page } from '../page/page.js';
import { applyState, type PageState } from '../page/state.js';
import type { View } from '../page/view.js';
import { ourSheet, type CompiledAction } from './our-rules.js';

/** How pages are looked at. */
export interface Way {
  viewport: Viewport;
  state: string | null;
}

/** One page as it is looked at: opened, put into a state, at a viewport, with what we ship to it and without. */
export interface Look extends Way {
  page: Page;
  view: View;
  document: PageDocument;
  sheets: PageSheets;
  /** The stylesheets that `@stylesheet` adds, by the address as written; none where it was not captured. */
  external: Map<string, SheetUse[]>;
  cascade: Cascade;
  /** Computed values with our build, and without it. */
  built: Computed;
  bare: Computed;
}

/** Opens a page and makes its cascade ready. `shipped`: the actions of ours that reach it, in the order in which they ship. */
export function lookAt(
  page: Page,
  view: View,
  store: SheetStore,
  { viewport, state }: Way,
  states: Record<string, PageState>,
  shipped: CompiledAction[],
  delivered?: (page: Page, document: PageDocument) => OurSheet | null,
): Look {
  const document = view.open(page);
  const change = state === null ? undefined : states[state];
  if (change) applyState(document, change);
  const own = store.sheetsOf(page, document);
  const { sheets, external } = store.withExternal(
    own,
    page,
    document,
    shipped.flatMap(({ action }) => (action.kind === 'stylesheet' ? [action.address] : [])),
  );
  const ours = delivered ? delivered(page, document) : ourSheet(shipped);
  const cascade = new Cascade(document, sheets, ours, viewport);
  // Layers, keyframes and registered properties of ours change the cascade itself; else it is enough to look past our rules.
  const named =
    external.size > 0 ||
    (ours && (ours.layers.length > 0 || ours.keyframes.size > 0 || ours.registered.size > 0 || ours.makesContainers));
  const bare = named
    ? new Computed(new Cascade(document, own, null, viewport))
    : new Computed(cascade, ({ owner }) => owner === null);
  return { page, view, viewport, state, document, sheets, external, cascade, built: new Computed(cascade), bare };
}
