import type { Owner } from './compiled.js';
import type { OverriddenPair } from '../check/verdict.js';
import type { OpenedPage } from '../check/opened-page.js';
import type { DeclarationBlock, Winner } from '../css/cascade/cascade.js';
import { compareWeights, type CascadeStep } from '../css/cascade/weight.js';
import { lineageOf, type Element } from '../page/document.js';
import { elementPath } from '../page/element-path.js';
import { placeOfWinner } from './pair.js';

/** What hides an element that ought to be displayed; the reason is null where nothing else is said of it. */
export function hiddenBy(element: Element, look: OpenedPage): OverriddenPair | null {
  const at = lineageOf(element).find((each) => look.built.value(each, '', 'display') === 'none');
  const winner = at && look.cascade.winner(at, '', 'display');
  if (!at || !winner) return null;
  const by = { ...placeOfWinner(winner, at, look), reason: reasonOf(winner, at, look) };
  return { element: elementPath(element), property: 'display', by };
}

/** Why what hides an element wins over what else a stylesheet says of it: no declaration of ours is there. */
function reasonOf(winner: Winner<Owner>, element: Element, { cascade }: OpenedPage): CascadeStep | null {
  if (winner.declaration.important) return 'important';
  if (winner.block.weight.inline) return 'inline';
  const others = (block: DeclarationBlock<Owner>) => block.origin === 'author' && block !== winner.block;
  const rival = cascade.winner(element, '', 'display', others);
  return rival && compareWeights(winner.weight, rival.weight).step;
}
