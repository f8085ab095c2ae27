import type { Owner } from './compiled.js';
import type { OverriddenPair } from '../check/verdict.js';
import type { OpenedPage } from '../check/opened-page.js';
import type { DeclarationBlock, Winner } from '../css/cascade/cascade.js';
import { compareWeights, type CascadeStep } from '../css/cascade/weight.js';
import { lineageOf, type Element } from '../page/document.js';
import { elementPath } from '../page/element-path.js';
import { placeOfWinner, placesOn } from './pair.js';

/**
 * The declaration that hides an element that should be displayed; the reason is null if no other declaration applies.
 */
export function hiddenBy(element: Element, look: OpenedPage): OverriddenPair | null {
  const at = lineageOf(element).find((each) => look.built.value(each, '', 'display') === 'none');
  const winner = at && look.cascade.winner(at, '', 'display');
  if (!at || !winner) return null;
  const by = { ...placeOfWinner(winner, at, placesOn(look)), reason: reasonOf(winner, at, look) };
  return { element: elementPath(element), property: 'display', by };
}

/** Why the hiding declaration wins over the site's other declarations; we have no declaration there. */
function reasonOf(winner: Winner<Owner>, element: Element, { cascade }: OpenedPage): CascadeStep | null {
  if (winner.declaration.important) return 'important';
  if (winner.block.weight.inline) return 'inline';
  const others = (block: DeclarationBlock<Owner>) => block.origin === 'author' && block !== winner.block;
  const rival = cascade.winner(element, '', 'display', others);
  return rival && compareWeights(winner.weight, rival.weight).step;
}
