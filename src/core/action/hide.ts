import { flashOfHidden, hiddenDeclaration, probeOf } from './css.js';
import type { HideAction } from './action.js';
import type { ActionKind } from './kind.js';
import { oneForEach } from './reading.js';

/** Hidden means gone, whatever the site's CSS says: `display: none !important`. */
export const hide: ActionKind<HideAction> = {
  atRule: {
    name: 'hide',
    describes: 'Hide what these selectors match: @hide .masthead, .footer;',
    block: 'none',
    descriptors: [],
    read: (given, reader) => oneForEach('hide', given, reader),
  },
  reaches: 'own-pages',
  scope: 'conditions',
  written: () => [],
  css: () => [hiddenDeclaration()],
  narrowed: (_action, selector) => selector,
  task: () => null,
  needsScript: () => false,
  loads: () => [],
  elements: null,
  isMissing: (_matched, elements) => elements === 0,
  judge: 'by-pairs',
  findings: () => [],
  outweighsUnseen: true,
  mayHide: () => true,
  flashes: ({ selectors }) => flashOfHidden(selectors),
  replacesContent: () => false,
  probe: () => probeOf('styles'),
};
