import { nearest } from '../../nearest.js';
import { handleCss } from '../../page/page-id.js';
import type { TermKind, TermOf } from '../term.js';

/** `body-id(pay)`: the ID of `body`. */
export interface BodyIdTerm extends TermOf<'body-id'> {
  value: string;
}

export const bodyId: TermKind<BodyIdTerm> = {
  form: 'function',
  read: (argument) => ({ value: argument.replace(/^#/, '') }),
  pages: ({ value }, index) => index.byBodyId(value),
  css: ({ value }) => ({ says: 'handles', lists: [[handleCss({ in: 'body-id' }, value)]] }),
  meansOnePage: () => false,
  differsBetweenCopies: () => 'id',
  limitsToSite: false,
  sameForAllVisitors: false,
  near: ({ value }, _site, index) => {
    const near = nearest(value, index.bodyIds);
    return near === null
      ? index.firstOf(`body-class(${value})`, index.byClass(value))
      : index.firstOf(`body-id(${near})`, index.byBodyId(near));
  },
};
