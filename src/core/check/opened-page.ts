import { Cascade } from '../css/cascade/cascade.js';
import type { Viewport } from '../css/cascade/media.js';
import type { PageSheets, SheetStore, SheetUse } from '../css/cascade/page-sheets.js';
import { Computed } from '../css/value/computed.js';
import type { PageDocument } from '../page/document.js';
import type { Page } from '../page/page.js';
import { applyState } from '../page/state.js';
import type { CheckInput } from './input.js';
import type { View } from '../page/view.js';
import type { CompiledAction, Owner } from '../action/compiled.js';
import { ourSheet } from '../action/compile.js';
import { actionKind } from '../action/index.js';
import type { Load } from '../action/kind.js';

/** The viewport and state of a page. */
export interface ViewSettings {
  viewport: Viewport;
  state: string | null;
}

/** One open page in a state and at a viewport, with its cascade with and without our build. */
export interface OpenedPage extends ViewSettings {
  page: Page;
  view: View;
  document: PageDocument;
  sheets: PageSheets;
  /** The stylesheets that `@stylesheet` adds, by the address as written; none where it was not captured. */
  external: Map<string, SheetUse[]>;
  cascade: Cascade<Owner>;
  /** Computed values with our build, and without it. */
  built: Computed<Owner>;
  bare: Computed<Owner>;
}

/**
 * Opens a page and prepares its cascade. `shipped`: the actions of ours that reach it, in the order in which they ship.
 */
export function openPage(
  page: Page,
  view: View,
  store: SheetStore,
  { viewport, state }: ViewSettings,
  input: Pick<CheckInput, 'states' | 'delivered' | 'open' | 'onOpen'>,
  shipped: readonly CompiledAction[],
): OpenedPage {
  const change = state === null ? undefined : input.states[state];
  const document = !change && input.open ? input.open(view, page) : view.open(page);
  input.onOpen?.(page, view, document);
  if (change) applyState(document, change);
  const own = store.sheetsOf(page, document);
  const { sheets, external } = store.withExternal(
    own,
    page,
    document,
    shipped.flatMap(({ action }) => actionKind(action).loads(action).flatMap(sheetAddress)),
  );
  const ours = input.delivered ? input.delivered(page, document) : ourSheet(shipped);
  const cascade = new Cascade(document, sheets, ours, viewport);
  // Layers, keyframes and registered properties of ours change the cascade itself; otherwise it is enough to ignore our
  // rules.
  const named =
    external.size > 0 ||
    (ours && (ours.layers.length > 0 || ours.keyframes.size > 0 || ours.registered.size > 0 || ours.makesContainers));
  const bare = named
    ? new Computed(new Cascade<Owner>(document, own, null, viewport))
    : new Computed(cascade, ({ owner }) => owner === null);
  return { page, view, viewport, state, document, sheets, external, cascade, built: new Computed(cascade), bare };
}

/** The address of a stylesheet that an action loads before our own. */
const sheetAddress = (load: Load): string[] => (load.kind === 'style' && load.address !== null ? [load.address] : []);
