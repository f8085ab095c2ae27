import type { TermKind, TermOf } from '../term.js';

/** `all`: every page. */
export type AllTerm = TermOf<'all'>;

export const all: TermKind<AllTerm> = {
  form: 'word',
  read: () => ({}),
  pages: (_term, index) => index.all,
  css: () => ({ says: 'always' }),
  meansOnePage: () => false,
  differsBetweenCopies: () => null,
  limitsToSite: false,
  sameForAllVisitors: true,
  near: () => null,
};
