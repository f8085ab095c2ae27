import type { Action } from '../action/action.js';
import type { Place } from '../place.js';
import type { Condition } from '../target/condition.js';

/** One `@needle` block: which pages, which elements, what to do there, and why. */
export interface Rule {
  name: string;
  at: Place;
  note: string | null;
  /** Null: the union of the `@on` blocks. */
  pages: Condition | null;
  except: Condition | null;
  /** The expected number of pages; null: one for each page-id and literal path. */
  pageCount: { pages: number; at: Place } | null;
  /** Every declaration ships as `!important`. */
  important: boolean;
  /** The state, visitor and viewport in which this rule is judged; does not ship. */
  state: string | null;
  visitor: string | null;
  viewport: string | null;
  /** A script adds its element, so matching nothing on the captured page is not an error. */
  addedByScript: boolean;
  paused: boolean;
  /** The last day on which it ships, `2027-03-31`, or null. */
  until: { day: string; at: Place } | null;
  /** Findings that the author accepts, with the reason. */
  allow: { code: string; reason: string }[];
  /** In the order of the source. */
  actions: Action[];
}
