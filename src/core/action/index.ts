import type { Action } from './action.js';
import { definition } from './definition.js';
import { hide } from './hide.js';
import type { ActionKind } from './kind.js';
import { markCurrent } from './mark-current.js';
import { onlyHere } from './only-here.js';
import { restyle } from './restyle.js';
import { script } from './script.js';
import { stylesheet } from './stylesheet.js';
import { swap } from './swap.js';

/** Every kind of action, in the order in which messages list their at-rules. */
export const actionKinds = {
  hide,
  'only-here': onlyHere,
  swap,
  'mark-current': markCurrent,
  script,
  stylesheet,
  restyle,
  definition,
} satisfies { [Kind in Action['kind']]: ActionKind<Extract<Action, { kind: Kind }>> };

/** The entry of an action's kind. Throws Error for a kind that is not in the table, so that nothing ships for it. */
export function actionKind<A extends Action>(action: A): ActionKind<A> {
  if (!Object.hasOwn(actionKinds, action.kind)) throw new Error(`Unknown kind of action: ${action.kind}`);
  return actionKinds[action.kind] as unknown as ActionKind<A>;
}

/** The kinds that an at-rule makes, by its name. */
export const actionAtRules = new Map(
  Object.values(actionKinds as unknown as Record<string, ActionKind<Action>>).flatMap(({ atRule }) =>
    atRule ? [[atRule.name, atRule]] : [],
  ),
);
