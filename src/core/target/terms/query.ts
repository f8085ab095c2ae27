import { TextError } from '../../place.js';
import type { TermKind, TermOf } from '../term.js';

/** `query("p=12")`: a parameter that is part of the path (`query-keys`). */
export interface QueryTerm extends TermOf<'query'> {
  key: string;
  value: string;
}

export const query: TermKind<QueryTerm> = {
  form: 'function',
  read: (argument) => {
    const [[key, value] = ['', ''], ...others] = [...new URLSearchParams(argument)];
    if (others.length > 0) {
      const each = argument.split('&').map((pair) => `query("${pair}")`);
      throw new TextError('query(…) takes one parameter', 0, `Write ${each.join(' ')}.`);
    }
    if (!key) throw new TextError('query(…) needs a parameter and its value', 0, 'Write query("p=12").');
    return { key, value };
  },
  pages: ({ key, value }, index) => index.byQuery(key, value),
  css: ({ key, value }) => ({ says: 'address', part: { query: [key, value] } }),
  meansOnePage: () => false,
  // `page_id=13`: a content system numbers its pages anew on each copy.
  differsBetweenCopies: ({ value }) => (/^(\d+|[0-9a-f]{8,})$/i.test(value) ? 'id' : null),
  limitsToSite: false,
  sameForAllVisitors: true,
  near: () => null,
};
