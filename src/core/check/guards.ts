import type { Element } from '../page/document.js';
import { lineageOf } from '../page/document.js';
import { compileMatcher, type Matcher } from '../page/elements.js';
import { elementPath } from '../page/element-path.js';
import type { Computed } from '../css/value/computed.js';
import type { Guard } from '../rule/guard.js';
import { targets } from '../rule/target.js';
import { finding, type Finding } from './finding.js';
import type { Look } from './look.js';
import type { CompiledAction, Owner } from './our-rules.js';

/** A guard ready to be tried on pages. */
export interface JudgedGuard {
  guard: Guard;
  match: Matcher;
}

export const judgedGuard = (guard: Guard): JudgedGuard => ({
  guard,
  match: compileMatcher(guard.selectors.map(({ text }) => text).join(', ')),
});

/** Whether an action may take an element out of sight, so that guards have to be looked at where it reaches. */
export function mayHide({ action }: CompiledAction): boolean {
  if (action.kind === 'restyle' || action.kind === 'mark-current')
    return action.declarations.some(({ prop }) => /^(display|visibility|content-visibility|all)$/i.test(prop));
  if (action.kind === 'swap') return action.text !== null || action.html !== null;
  return action.kind === 'hide' || action.kind === 'only-here';
}

/** Guarded elements of a page that our rules take out of sight, one finding for each guard and rule. */
export function brokenGuards(guards: JudgedGuard[], shipped: CompiledAction[], look: Look): Finding[] {
  const swaps = shipped.filter(
    ({ action }) => action.kind === 'swap' && (action.text !== null || action.html !== null),
  );
  return guards.flatMap(({ guard, match }) => {
    const told = new Map<string, Finding>();
    for (const element of match(look.document)) {
      const owner = whatHides(element, swaps, look);
      if (!owner || told.has(owner.rule.name)) continue;
      const hidden = lineageOf(element).find((at) => look.built.value(at, '', 'display') === 'none');
      const how =
        owner.action.kind === 'swap'
          ? 'swaps it away'
          : hidden === undefined || hidden === element
            ? 'hides it'
            : `hides ${elementPath(hidden)} around it`;
      told.set(
        owner.rule.name,
        finding('guard', `${guard.selector} is guarded, and "${owner.rule.name}" ${how} on ${look.page.path}`, {
          rule: owner.rule.name,
          page: look.page.path,
          at: owner.action.at,
          hint: `${guard.note ?? 'It must stay visible'} (${guard.at.file}:${guard.at.line}). Point ${owner.action.selector || 'the rule'} at less, or leave the page out with except.`,
        }),
      );
    }
    return [...told.values()];
  });
}

/** The action because of which an element is out of sight that would be in sight without our build. */
function whatHides(
  element: Element,
  swaps: CompiledAction[],
  { built, bare, page, view, document }: Look,
): Owner | null {
  if (!bare.isDisplayed(element) || isInvisible(element, bare)) return null;
  for (const { owner, action } of swaps) {
    const hit = action.kind === 'swap' && targets(owner.rule, action, page, view.site);
    if (!hit) continue;
    const containers = new Set(compileMatcher(action.selectors.map(({ text }) => text).join(', '))(document));
    if (
      lineageOf(element)
        .slice(1)
        .some((each) => containers.has(each))
    )
      return owner;
  }
  for (const at of lineageOf(element)) {
    if (built.value(at, '', 'display') !== 'none') continue;
    return (built.winner(at, '', 'display')?.block.owner as Owner | null) ?? null;
  }
  if (!isInvisible(element, built)) return null;
  const setter = lineageOf(element)
    .map((at) => built.winner(at, '', 'visibility'))
    .find((winner) => winner !== null);
  return (setter?.block.owner as Owner | null | undefined) ?? null;
}

const isInvisible = (element: Element, computed: Computed) => computed.value(element, '', 'visibility') !== 'visible';
