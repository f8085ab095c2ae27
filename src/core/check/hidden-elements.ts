import type { Element } from '../page/document.js';
import { lineageOf } from '../page/document.js';
import { compileMatcher } from '../page/elements.js';
import type { Matcher } from '../page/query.js';
import { elementPath } from '../page/element-path.js';
import type { Computed } from '../css/value/computed.js';
import type { KeptVisible } from '../rule/keep-visible-and-expect.js';
import { finding, type Finding } from '../finding.js';
import type { OpenedPage } from './opened-page.js';
import { actionKind } from '../action/index.js';
import type { CompiledAction, Owner } from '../action/compiled.js';

/** A `@keep-visible` element with its compiled selectors. */
export interface JudgedKeptVisible {
  kept: KeptVisible;
  match: Matcher;
}

export const judgedKeptVisible = (kept: KeptVisible): JudgedKeptVisible => ({
  kept,
  match: compileMatcher(kept.selectors.map(({ text }) => text).join(', ')),
});

/** Kept-visible elements of a page that our rules hide: one finding for each element and rule. */
export function hiddenByRules(
  keptVisible: JudgedKeptVisible[],
  shipped: CompiledAction[],
  look: OpenedPage,
): Finding[] {
  const swaps = shipped.filter(({ action }) => actionKind(action).replacesContent(action));
  return keptVisible.flatMap(({ kept, match }) => {
    const told = new Map<string, Finding>();
    for (const element of match(look.document)) {
      const owner = whatHides(element, swaps, look);
      if (!owner || told.has(owner.rule.name)) continue;
      const hidden = lineageOf(element).find((at) => look.built.value(at, '', 'display') === 'none');
      const how = actionKind(owner.action).replacesContent(owner.action)
        ? 'replaces it'
        : hidden === undefined || hidden === element
          ? 'hides it'
          : `hides ${elementPath(hidden)} around it`;
      told.set(
        owner.rule.name,
        finding(
          'hidden-by-rule',
          `${kept.selector} must stay visible, and "${owner.rule.name}" ${how} on ${look.page.path}`,
          {
            rule: owner.rule.name,
            page: look.page.path,
            at: owner.action.at,
            hint: `${(kept.note ?? 'It must stay visible').replace(/\.$/, '')} (${kept.at.file}:${kept.at.line}). Narrow ${owner.action.selector || 'the rule'}, or exclude the page with except.`,
          },
        ),
      );
    }
    return [...told.values()];
  });
}

/** The action that hides an element which would be displayed without our build. */
function whatHides(
  element: Element,
  swaps: CompiledAction[],
  { cascade, built, bare, document }: OpenedPage,
): Owner | null {
  if (!bare.isDisplayed(element) || isInvisible(element, bare)) return null;
  for (const { owner, match } of swaps) {
    const containers = new Set(match?.(document));
    const around = lineageOf(element).slice(1);
    if (around.some((each) => containers.has(each))) return owner;
  }
  for (const at of lineageOf(element)) {
    if (built.value(at, '', 'display') !== 'none') continue;
    return cascade.winner(at, '', 'display')?.block.owner ?? null;
  }
  if (!isInvisible(element, built)) return null;
  const setter = lineageOf(element)
    .map((at) => cascade.winner(at, '', 'visibility'))
    .find((winner) => winner !== null);
  return setter?.block.owner ?? null;
}

const isInvisible = (element: Element, computed: Computed<Owner>) =>
  computed.value(element, '', 'visibility') !== 'visible';
