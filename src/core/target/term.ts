import type { Page, Site } from '../page/page.js';
import type { SiteIndex } from './site-index.js';

/** What every term of a condition has. */
export interface TermOf<Kind extends string> {
  kind: Kind;
  /** Counts from 0 in the condition's text. */
  offset: number;
  /** As written. */
  text: string;
}

/** How a term is written in CSS on one site. */
export type TermCss =
  /** Every page of the site fulfils it. */
  | { says: 'always' }
  /** No page of the site does. */
  | { says: 'never' }
  /** `body` carries one handle of each of these lists; each handle is a simple selector of weight (0,1,0). */
  | { says: 'handles'; lists: string[][] }
  /** Only the page's address decides: what it must be for local-needle.js to match it. */
  | { says: 'address'; part: AddressPart };

/** What an address must be: one path, a pattern that its path fulfils, or a parameter of its query. */
export type AddressPart = { path: string } | { pattern: string } | { query: [key: string, value: string] };

/** A similar condition that picks a page. */
export interface NearTerm {
  text: string;
  page: Page;
  /** A further sentence for the hint. */
  more?: string;
}

/** Everything that differs from one kind of term to the next. */
export interface TermKind<T extends TermOf<string>> {
  /** Whether it is written with an argument in parentheses, or is a word alone. */
  form: 'function' | 'word';
  /** Reads the text between the parentheses. Throws TextError. */
  read: (argument: string) => Omit<T, keyof TermOf<string>>;
  /** The pages that fulfil it. `beside`: all terms of its alternative. */
  pages: (term: T, index: SiteIndex, beside: readonly TermOf<string>[]) => ReadonlySet<Page>;
  css: (term: T, site: Site, index: SiteIndex) => TermCss;
  /** Whether it means one page: picking more than one is then a finding. */
  meansOnePage: (term: T) => boolean;
  /** Whether another copy of the site may give its pages other ones: IDs that a system assigns, or names that people choose. */
  differsBetweenCopies: (term: T) => 'id' | 'name' | null;
  /** Whether it names a site: on any other site it picks nothing by design. */
  limitsToSite: boolean;
  /** Whether a page fulfils it for every visitor alike. */
  sameForAllVisitors: boolean;
  /** A term like it that picks a page of the site; null if none is near. */
  near: (term: T, site: Site, index: SiteIndex) => NearTerm | null;
}
