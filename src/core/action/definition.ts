import type { Declaration } from 'postcss';
import type { DefinitionAction } from './action.js';
import { probeOf } from './css.js';
import type { ActionKind } from './kind.js';

/** An at-rule that selects nothing: it acts only where another rule uses it, and has no verdict. */
export const definition: ActionKind<DefinitionAction> = {
  atRule: null,
  reaches: 'own-pages',
  scope: 'none',
  written: ({ node }) => {
    const found: Declaration[] = [];
    node.walkDecls((declaration) => void found.push(declaration));
    return found;
  },
  css: ({ node }) => node,
  narrowed: (_action, selector) => selector,
  task: () => null,
  needsScript: () => false,
  loads: () => [],
  elements: () => [],
  isMissing: () => false,
  judge: null,
  findings: () => [],
  outweighsUnseen: false,
  mayHide: () => false,
  flashes: () => null,
  replacesContent: () => false,
  probe: () => probeOf('nothing'),
};
