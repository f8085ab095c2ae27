import type { OnlyHereAction } from './action.js';
import { flashOfHidden, hiddenDeclaration, probeOf } from './css.js';
import { hiddenBy } from './hidden-by.js';
import { judgedByEffect, mostOverridden } from './judgement.js';
import type { ActionKind } from './kind.js';
import { oneForEach } from './reading.js';

/** Hides elements on every page but the rule's own, where they must be displayed. */
export const onlyHere: ActionKind<OnlyHereAction> = {
  atRule: {
    name: 'only-here',
    describes: 'Hide it on all other pages: @only-here .camera;',
    block: 'none',
    descriptors: [],
    read: (given, reader) => oneForEach('only-here', given, reader),
  },
  reaches: 'other-pages',
  scope: 'conditions',
  written: () => [],
  css: () => [hiddenDeclaration()],
  narrowed: (_action, selector) => selector,
  task: () => null,
  needsScript: () => false,
  loads: () => [],
  elements: null,
  isMissing: (_matched, elements) => elements === 0,
  judge: (compiled, _action, elements, look) => {
    const hidden = elements.filter((element) => !look.built.isDisplayed(element));
    const won = elements.length - hidden.length;
    const judgement = judgedByEffect(compiled, elements, { changes: won > 0 });
    const overridden = hidden.slice(0, mostOverridden).flatMap((element) => hiddenBy(element, look) ?? []);
    return { ...judgement, result: { ...judgement.result, pairs: elements.length, won, overridden } };
  },
  findings: () => [],
  outweighsUnseen: false,
  mayHide: () => true,
  flashes: ({ selectors }) => flashOfHidden(selectors),
  replacesContent: () => false,
  probe: () => probeOf('displayed'),
};
