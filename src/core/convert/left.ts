import type { Place } from '../place.js';

/** Something that stays where it is. */
export interface Left {
  at: Place;
  what: string;
  /** The paths of the pages that it touches. */
  pages: string[];
  /** `unscoped`: it is for no page of its own. */
  reason: string;
}
