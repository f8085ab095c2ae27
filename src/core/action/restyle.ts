import type { RestyleAction } from './action.js';
import { flashOfHidden, mayHideBy, probeOf } from './css.js';
import type { ActionKind } from './kind.js';

/** A style rule on the rule's own pages. */
export const restyle: ActionKind<RestyleAction> = {
  atRule: null,
  reaches: 'own-pages',
  scope: 'conditions',
  written: ({ declarations }) => declarations,
  css: ({ declarations }) => declarations,
  narrowed: (_action, selector) => selector,
  task: () => null,
  needsScript: () => false,
  loads: () => [],
  elements: null,
  isMissing: (_matched, elements) => elements === 0,
  judge: 'by-pairs',
  findings: () => [],
  outweighsUnseen: false,
  mayHide: ({ declarations }) => mayHideBy(declarations),
  flashes: ({ declarations, selectors }) => (mayHideBy(declarations) ? flashOfHidden(selectors) : null),
  replacesContent: () => false,
  probe: () => probeOf('styles'),
};
