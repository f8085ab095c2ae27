import { bodyScope } from '../css/scope.js';
import type { Action, FileUse, Rule } from '../rule/rule.js';
import type { ShippedTask } from './runtime.js';
import type { ShippedRule } from './shipment.js';

/** A task of needle.js; its script, if it has one, is written into the file by script.ts. */
export interface Task extends Omit<ShippedTask, 'run'> {
  script?: FileUse;
}

/** Whether an action does nothing without needle.js; a swapped picture shows by CSS as well. */
export const mustRun = (action: Action) =>
  action.kind === 'script' || action.kind === 'stylesheet' || (action.kind === 'swap' && action.image === null);

/** What needle.js has to do for a rule. `served`: the address of a file that ships beside the build. */
export function tasksOf({ rule, actions }: ShippedRule, served: (file: FileUse) => string): Task[] {
  const tasks = actions.flatMap((each) => taskOf(rule, each, served));
  const links = actions.filter(({ action }) => action.kind === 'mark-current').flatMap(({ selectors }) => selectors);
  // One task tells all links of the rule to those who do not see their style.
  return links.length > 0
    ? [...tasks, { rule: rule.name, scope: 'body', selector: links.join(', '), current: true }]
    : tasks;
}

function taskOf(
  rule: Rule,
  { action, scope, selectors }: ShippedRule['actions'][number],
  served: (file: FileUse) => string,
): Task[] {
  const common = { rule: rule.name, scope: bodyScope(scope) };
  if (action.kind === 'script') return [{ ...common, selector: action.waitFor ?? '', script: action.file }];
  if (action.kind === 'stylesheet') return [{ ...common, selector: '', sheet: action.address }];
  if (action.kind !== 'swap') return [];
  const html = action.html?.content ? new TextDecoder().decode(action.html.content).trim() : undefined;
  const looksAhead = selectors.some((text) => /:(last|only|nth-last|has|empty)\b/i.test(text)) || undefined;
  const image = action.image ? served(action.image) : undefined;
  const [alt, text] = [action.alt ?? undefined, action.text ?? undefined];
  return [{ ...common, selector: selectors.join(', '), image, alt, text, html, looksAhead }];
}
