import type { DeclarationBlock } from '../css/cascade/cascade.js';
import type { SheetUse } from '../css/cascade/page-sheets.js';
import { longhandsNamed } from '../css/declaration.js';
import type { OpenedPage } from '../check/opened-page.js';
import type { StylesheetAction } from './action.js';
import { probeOf } from './css.js';
import { judgedByEffect } from './judgement.js';
import type { ActionKind } from './kind.js';
import type { ActionReader, GivenAtRule } from './reading.js';

function read({ node, params, offset, on }: GivenAtRule, reader: ActionReader): StylesheetAction[] {
  const use = reader.fileUse(node, params, offset, false);
  if (!use) return [];
  if (use.path === null) {
    const at = reader.place(node, 0);
    const none = { selector: '', selectors: [], within: [], files: [] };
    return [{ kind: 'stylesheet', ...none, at, source: node.source, on, address: use.url }];
  }
  reader.problem(
    node,
    offset,
    `${use.url} is not an address that a page can load`,
    'Write @style-file url("…"); for a file of the project, or the address that serves it: "https://…" or "/…".',
  );
  return [];
}

/** The stylesheets that it adds to a page. */
const usesOf = ({ address }: StylesheetAction, look: OpenedPage) => look.external.get(address) ?? [];

function isOf(uses: SheetUse[], block: DeclarationBlock, { cascade }: OpenedPage): boolean {
  const use = cascade.useOf(block);
  return use !== null && uses.includes(use);
}

/** Loads a stylesheet that the site or another host serves, before our own. */
export const stylesheet: ActionKind<StylesheetAction> = {
  atRule: {
    name: 'stylesheet',
    describes: 'A stylesheet for these pages only: @stylesheet url("https://…");',
    block: 'none',
    descriptors: [],
    read,
  },
  reaches: 'own-pages',
  scope: 'conditions',
  written: () => [],
  css: () => null,
  narrowed: (_action, selector) => selector,
  task: ({ address }) => ({ selector: '', sheet: address }),
  needsScript: () => true,
  loads: ({ address }) => [{ kind: 'style', address, shown: address }],
  elements: (action, look) => {
    const uses = usesOf(action, look);
    if (uses.length === 0) return [];
    return look.document.elements.filter((element) =>
      look.cascade.blocks(element, '').some((block) => isOf(uses, block, look)),
    );
  },
  isMissing: () => false,
  judge: (compiled, action, elements, look) => {
    const uses = usesOf(action, look);
    const changes = elements.some((element) =>
      look.cascade
        .blocks(element, '')
        .filter((block) => isOf(uses, block, look))
        .flatMap(({ declarations }) => longhandsNamed(declarations))
        .some((longhand) => look.built.value(element, '', longhand) !== look.bare.value(element, '', longhand)),
    );
    return judgedByEffect(compiled, elements, { changes, unseen: uses.length === 0 });
  },
  findings: () => [],
  outweighsUnseen: false,
  mayHide: () => false,
  flashes: () => null,
  replacesContent: () => false,
  probe: () => probeOf('nothing', { selector: 'html' }),
};
