import { compareSpecificity, type Specificity } from '../specificity.js';

/**
 * Origins and importance from the weakest (CSS Cascading Level 5, 6.1), presentational hints as an origin of their own
 * (6.3). A page at rest has no transitions under way.
 */
export const level = { browser: 0, hint: 1, author: 2, animation: 3, authorImportant: 4, browserImportant: 5 } as const;
export type Level = (typeof level)[keyof typeof level];

/** The sort keys of the cascade, in their order (CSS Cascading 5, 6.1; proximity: Level 6). */
export interface Weight {
  level: Level;
  /** In the stylesheet of a shadow tree, for its host or for what is slotted into it: what is outside comes first. */
  shadow: boolean;
  /** In a `style` attribute. */
  inline: boolean;
  /** The rank of its layer, the highest wins; infinite outside of layers. Not yet reversed for `!important`. */
  layer: number;
  specificity: Specificity;
  /** Generations from the scoping root; infinite without `@scope`. The lowest wins. */
  proximity: number;
  /** Order of appearance, the sheet first. */
  order: [sheet: number, rule: number];
}

/** The step of the cascade at which one declaration beats another. */
export type CascadeStep = 'important' | 'animation' | 'shadow' | 'inline' | 'layer' | 'specificity' | 'scope' | 'order';

/** Compares two weights: positive if the first wins, and the deciding step. */
export function compareWeights(a: Weight, b: Weight): { sign: number; step: CascadeStep } {
  if (a.level !== b.level) {
    const higher = Math.max(a.level, b.level);
    return { sign: a.level - b.level, step: higher === level.animation ? 'animation' : 'important' };
  }
  const sign = compareWithin(a.level, a, b);
  if (a.shadow !== b.shadow) return { sign, step: 'shadow' };
  if (a.inline !== b.inline) return { sign, step: 'inline' };
  if (a.layer !== b.layer) return { sign, step: 'layer' };
  if (compareSpecificity(a.specificity, b.specificity) !== 0) return { sign, step: 'specificity' };
  return { sign, step: a.proximity !== b.proximity ? 'scope' : 'order' };
}

/** The same for two of one level: above zero if the first wins. */
export function compareWithin(own: Level, a: Omit<Weight, 'level'>, b: Omit<Weight, 'level'>): number {
  if (a.shadow !== b.shadow) return a.shadow === own >= level.authorImportant ? 1 : -1;
  if (a.inline !== b.inline) return a.inline ? 1 : -1;
  if (a.layer !== b.layer) return a.layer > b.layer !== own >= level.authorImportant ? 1 : -1;
  const heavier = compareSpecificity(a.specificity, b.specificity);
  if (heavier !== 0) return heavier;
  if (a.proximity !== b.proximity) return b.proximity > a.proximity ? 1 : -1;
  return a.order[0] - b.order[0] || a.order[1] - b.order[1];
}
