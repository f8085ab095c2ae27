import type { ActionResult } from '../check/verdict.js';
import type { OpenedPage } from '../check/opened-page.js';
import type { Element } from '../page/document.js';
import type { CompiledAction } from './compiled.js';
import { countPairs, overriddenBy, placesOn, type LostPair } from './pair.js';

/** Maximum number of lost pairs in a report. */
export const mostOverridden = 20;

/** What an action does on one page. `At`: see LostPair. */
export interface Judgement<At = Element> {
  result: ActionResult;
  /** Whether it changes anything on the page. */
  changes: boolean;
  dependsOn: string[];
  /** Those of the lost pairs that are reported. */
  lost: LostPair<At>[];
  /** Its effect cannot be seen on a captured page. */
  unseen: boolean;
}

/** The judgement of an action that sets no property, by whether it changes anything; pending if that cannot be seen. */
export const judgedByEffect = (
  { action: { kind, selector } }: Pick<CompiledAction, 'action'>,
  elements: { length: number },
  { changes = false, unseen = false }: { changes?: boolean; unseen?: boolean },
): Judgement<never> => ({
  result: { action: kind, selector, elements: elements.length, pairs: 0, won: 0, overridden: [] },
  ...{ changes, unseen, dependsOn: [], lost: [] },
});

/** The judgement of an action by the pairs that its declarations win or lose. */
export function judgedByPairs(compiled: CompiledAction, elements: Element[], look: OpenedPage): Judgement {
  const { pairs, won, changes, dependsOn, lost } = countPairs(compiled, elements, look, mostOverridden);
  const judgement = judgedByEffect(compiled, elements, { changes });
  const result = { ...judgement.result, pairs, won, overridden: overriddenBy(lost, placesOn(look)) };
  return { ...judgement, result, dependsOn: [...dependsOn], lost };
}
