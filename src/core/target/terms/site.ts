import type { TermKind, TermOf } from '../term.js';

/** `site(live)`: every page of one site of the project. */
export interface SiteTerm extends TermOf<'site'> {
  value: string;
}

export const site: TermKind<SiteTerm> = {
  form: 'function',
  read: (argument) => ({ value: argument }),
  pages: ({ value }, index) => (index.siteName === value ? index.all : index.none),
  css: ({ value }, { name }) => ({ says: name === value ? 'always' : 'never' }),
  meansOnePage: () => false,
  differsBetweenCopies: () => null,
  limitsToSite: true,
  sameForAllVisitors: true,
  near: () => null,
};
