import { nearest } from '../../nearest.js';
import { handleCss } from '../../page/page-id.js';
import type { TermKind, TermOf } from '../term.js';

/** `body-class(season-winter sale)`: all of these classes on `body`. */
export interface BodyClassTerm extends TermOf<'body-class'> {
  classes: string[];
}

export const bodyClass: TermKind<BodyClassTerm> = {
  form: 'function',
  read: (argument) => ({ classes: argument.split(/\s+/) }),
  pages: ({ classes }, index) => index.inAll(classes.map((name) => index.byClass(name))),
  css: ({ classes }) => ({ says: 'handles', lists: classes.map((name) => [handleCss({ in: 'body-class' }, name)]) }),
  meansOnePage: () => false,
  differsBetweenCopies: () => 'name',
  limitsToSite: false,
  sameForAllVisitors: false,
  near: ({ classes }, _site, index) => {
    const near = classes.map((name) => nearest(name, index.classes) ?? name);
    return index.firstOf(`body-class(${near.join(' ')})`, index.inAll(near.map((name) => index.byClass(name))));
  },
};
