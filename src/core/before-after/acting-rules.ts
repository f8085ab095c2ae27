import type { CompiledAction } from '../action/compiled.js';
import { actionKind } from '../action/index.js';
import { elementsOf } from '../check/judge.js';
import type { OpenedPage } from '../check/opened-page.js';
import { longhandsNamed } from '../css/declaration.js';
import type { Element } from '../page/document.js';

/** A rule that changes something on a page. */
export interface ActingRule {
  rule: string;
  /** The elements that it changes; none for a script, whose effect cannot be seen on a captured page. */
  elements: Element[];
}

/** The rules that change something on a page, `@only-here` rules of other pages too, in shipping order. */
export function actingRules(look: OpenedPage, shipped: readonly CompiledAction[]): ActingRule[] {
  const acting = new Map<string, Set<Element>>();
  for (const compiled of shipped) {
    const { action, owner, around } = compiled;
    const { judge, reaches } = actionKind(action);
    if (judge === null || look.cascade.holds(around) === false) continue;
    const matched = elementsOf(compiled, look);
    const styled = matched.filter((element) => isRestyled(compiled, element, look));
    const effect =
      judge === 'by-pairs' || reaches === 'other-pages' ? null : judge(compiled, action as never, matched, look);
    if (styled.length === 0 && !effect?.changes && !effect?.unseen) continue;
    const all = acting.get(owner.rule.name) ?? new Set<Element>();
    for (const element of effect?.changes ? matched : styled) all.add(element);
    acting.set(owner.rule.name, all);
  }
  return [...acting].map(([rule, elements]) => ({ rule, elements: [...elements] }));
}

/** Whether an action wins a longhand on an element, or on a pseudo-element of it, and changes its computed value. */
function isRestyled({ rules, owner }: CompiledAction, element: Element, { cascade, built, bare }: OpenedPage): boolean {
  const longhands = [...new Set(rules.flatMap(({ declarations }) => longhandsNamed(declarations)))];
  const pseudos = [...new Set(rules.flatMap(({ selectors }) => selectors.map(({ pseudo }) => pseudo)))];
  return pseudos.some((pseudo) =>
    longhands.some(
      (longhand) =>
        cascade.winner(element, pseudo, longhand)?.block.owner === owner &&
        built.value(element, pseudo, longhand) !== bare.value(element, pseudo, longhand),
    ),
  );
}
