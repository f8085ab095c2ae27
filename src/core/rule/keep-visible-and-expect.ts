import type { Selector } from '../css/selector.js';
import type { Place } from '../place.js';
import type { Condition } from '../target/condition.js';

/** `@keep-visible`: an element that must stay visible whatever the rules do. */
export interface KeptVisible {
  selector: string;
  selectors: Selector[];
  note: string | null;
  at: Place;
}

/** `@expect`: what elements of some pages must look like. */
export interface Expectation {
  name: string;
  note: string | null;
  at: Place;
  /** Null: all pages. */
  pages: Condition | null;
  except: Condition | null;
  state: string | null;
  visitor: string | null;
  viewport: string | null;
  wants: Want[];
}

/** One thing that an expectation says of the elements of a selector. */
export type Want = { selector: string; selectors: Selector[]; at: Place } & (
  { kind: 'shown' | 'hidden' } | { kind: 'looks'; property: string; value: string }
);
