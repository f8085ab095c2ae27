import type { Declaration } from 'postcss';
import { currentPathOf } from '../page/location.js';
import type { FileUse, MarkCurrentAction } from './action.js';
import { mayHideBy, probeOf } from './css.js';
import type { ActionKind } from './kind.js';
import { valueOffset, type ActionReader, type GivenAtRule } from './reading.js';

function read({ node, params, offset, on }: GivenAtRule, reader: ActionReader): MarkCurrentAction[] {
  const selectors = reader.selectors(node, params, offset);
  const declarations: Declaration[] = [];
  const files: FileUse[] = [];
  let sections = false;
  for (const child of node.nodes ?? []) {
    if (child.type === 'comment') continue;
    if (child.type !== 'decl') {
      reader.problem(child, 0, '@mark-current takes declarations and sections, but no nested rules');
    } else if (child.prop === 'sections') {
      sections = child.value.trim() === 'yes';
      if (!/^(yes|no)$/.test(child.value.trim()))
        reader.problem(child, valueOffset(child), '"sections" must be yes or no');
    } else if (reader.isTaken(child)) {
      declarations.push(child);
      files.push(...reader.filesOf(child));
    }
  }
  if (!selectors) return [];
  return [
    {
      kind: 'mark-current',
      selector: selectors.map(({ text }) => text).join(', '),
      selectors,
      at: reader.place(node, offset),
      source: node.source,
      ...{ on, within: [], files, declarations, sections },
    },
  ];
}

/** Styles the links to the page that they are on. */
export const markCurrent: ActionKind<MarkCurrentAction> = {
  atRule: {
    name: 'mark-current',
    describes: 'Style the links to the current page: @mark-current .menu a { sections: yes; font-weight: bold; }',
    block: 'needed',
    descriptors: ['sections'],
    read,
  },
  reaches: 'own-pages',
  scope: 'links',
  written: ({ declarations }) => declarations,
  css: ({ declarations }) => declarations,
  narrowed: ({ sections }, selector) => ({
    ...selector,
    matches: (document, element) =>
      selector.matches(document, element) && currentPathOf(document, element, sections) !== null,
  }),
  task: (_action, selectors) => ({ selector: selectors.join(', '), current: true }),
  needsScript: () => false,
  loads: () => [],
  elements: null,
  // It does not concern a page without a link to itself.
  isMissing: (matched) => matched() === 0,
  judge: 'by-pairs',
  findings: () => [],
  outweighsUnseen: false,
  mayHide: ({ declarations }) => mayHideBy(declarations),
  flashes: () => null,
  replacesContent: () => false,
  probe: () => probeOf('styles'),
};
