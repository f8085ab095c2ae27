import { actionKind } from '../action/index.js';
import type { Action, FileUse } from '../action/action.js';
import type { ActionTask } from '../action/kind.js';
import { bodyScope } from '../css/scope.js';
import type { ShippedRule } from './shipment.js';

/** A task of local-needle.js; its script, if it has one, is written into the file by script.ts. */
export interface Task extends ActionTask {
  rule: string;
  /** Picks the body of the rule's pages. */
  scope: string;
}

/** What local-needle.js has to do for a rule. `served`: the address of a file that ships beside the build. */
export function tasksOf({ rule, actions }: ShippedRule, served: (file: FileUse) => string): Task[] {
  const all = actions.flatMap(({ action, scope, selectors }): Task[] => {
    const task = actionKind(action).task(action, selectors, served);
    return task ? [{ rule: rule.name, scope: bodyScope(scope), ...task }] : [];
  });
  const marking = all.filter(({ current }) => current);
  const tasks = all.filter(({ current }) => !current);
  if (marking.length === 0) return tasks;
  // One task sets aria-current on all links of the rule.
  const selector = marking.map((task) => task.selector).join(', ');
  return [...tasks, { rule: rule.name, scope: 'body', selector, current: true }];
}

/** The actions that act by a task of their own, in the order of their tasks. */
export const actingBy = (actions: readonly Action[]) =>
  actions.filter((action) => {
    const task = actionKind(action).task(action, [], ({ url }) => url);
    return task !== null && !task.current;
  });
