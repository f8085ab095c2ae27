import { Cascade, type OurSheet } from '../css/cascade/cascade.js';
import type { PageSheets, SheetStore, SheetUse } from '../css/cascade/page-sheets.js';
import { Computed } from '../css/value/computed.js';
import type { PageDocument } from '../page/document.js';
import type { Page } from '../page/page.js';
import { applyState } from '../page/state.js';
import type { CheckInput, ViewSettings } from './input.js';
import type { View } from '../page/view.js';
import type { CompiledAction, Owner } from '../action/compiled.js';
import { actionKind } from '../action/index.js';
import type { Load } from '../action/kind.js';

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

/** The actions of ours that reach a page, in the order in which they ship, and the sheet that they make. */
export interface Shipped {
  actions: readonly CompiledAction[];
  sheet: OurSheet<Owner> | null;
}

/** Opens a page and prepares its cascade. */
export function openPage(
  page: Page,
  view: View,
  store: SheetStore<Owner>,
  { viewport, state }: ViewSettings,
  input: Pick<CheckInput, 'states' | 'delivered' | 'open' | 'onOpen'>,
  { actions, sheet }: Shipped,
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
    actions.flatMap(({ action }) => actionKind(action).loads(action).flatMap(sheetAddress)),
  );
  const ours = input.delivered ? input.delivered(page, document) : sheet;
  const cascade = new Cascade(document, sheets, ours, viewport, store.styleSets);
  const bare = new Computed(new Cascade<Owner>(document, own, null, viewport, store.styleSets));
  return { page, view, viewport, state, document, sheets, external, cascade, built: new Computed(cascade), bare };
}

/** The address of a stylesheet that an action loads before our own. */
const sheetAddress = (load: Load): string[] => (load.kind === 'style' && load.address !== null ? [load.address] : []);
