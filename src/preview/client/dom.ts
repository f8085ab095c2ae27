import type { Level } from '../../core/finding.js';
import type { PreviewStatus } from '../protocol.js';

type Child = Node | string | null;

/** Makes an element; texts go in as text, never as HTML. */
export function make<K extends keyof HTMLElementTagNameMap>(
  name: K,
  properties: Partial<HTMLElementTagNameMap[K]> = {},
  ...children: Child[]
): HTMLElementTagNameMap[K] {
  const element = document.createElement(name);
  Object.assign(element, properties);
  element.append(...children.filter((each) => each !== null));
  return element;
}

/** The element with an ID, which our own page always has. */
export const byId = <T extends HTMLElement = HTMLElement>(id: string): T => document.getElementById(id) as T;

/** Asks the preview. Throws Error with its words if it refuses. */
export async function ask<T>(path: string, body?: unknown): Promise<T> {
  const answer = await fetch(
    path,
    body === undefined
      ? {}
      : { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) },
  );
  const value = (await answer.json()) as T & { error?: string };
  if (!answer.ok) throw new Error(value.error ?? answer.statusText);
  return value;
}

/** Switches a rule (null: all of them) in this preview; says so where that fails. */
export const switchRule = (rule: string | null, on: boolean) =>
  ask('switch', { rule, on }).catch((error: unknown) => tell('problem', `Not switched: ${(error as Error).message}`));

/** The switch of a rule in this preview. */
export function ruleBox({ name, status }: { name: string; status: PreviewStatus }): HTMLInputElement {
  const disabled = status === 'paused' || status === 'expired';
  const box = make('input', { type: 'checkbox', checked: status === 'on', disabled });
  box.setAttribute('role', 'switch');
  box.dataset['rule'] = name;
  box.onchange = () => void switchRule(name, box.checked);
  return box;
}

/** What was found of a rule on a page. */
export const hintLines = (hints: { level: Level; text: string }[]) =>
  hints.map(({ level, text }) => make('p', { className: `says ${level === 'error' ? 'bad' : 'odd'}` }, text));

/** A verdict as it is shown everywhere. */
export const badge = (verdict: string) => make('span', { className: `verdict ${verdict}` }, verdict);

/** Shows a text that is there at times. */
export function tell(id: string, text: string | null): void {
  const element = byId(id);
  if (element.textContent !== (text ?? '')) element.textContent = text;
  element.hidden = text === null;
}
