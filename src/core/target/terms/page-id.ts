import { isPageIdShape } from '../../page/page-id.js';
import type { SiteIndex } from '../site-index.js';
import type { NearTerm, TermKind, TermOf } from '../term.js';

/** `page-id(46)`: the ID that the site's system gave the page, as written there. */
export interface PageIdTerm extends TermOf<'page-id'> {
  value: string;
}

const withoutZeros = (id: string) => id.replace(/^0+/, '');

export const pageId: TermKind<PageIdTerm> = {
  form: 'function',
  read: (argument) => ({ value: argument }),
  pages: ({ value }, index) => index.byPageId(value),
  css: ({ value }, _site, index) => {
    const carried = [...index.byPageId(value)].flatMap(({ pageId: id }) => id?.css.slice('body'.length) ?? []);
    return carried.length === 0 ? { says: 'never' } : { says: 'handles', lists: [[...new Set(carried)]] };
  },
  meansOnePage: () => true,
  differsBetweenCopies: () => 'id',
  limitsToSite: false,
  sameForAllVisitors: true,
  near: ({ value }, { pages }, index) => {
    // The prefix typed along with the ID, a body ID taken for a page ID, leading zeros.
    const bare = /\d+$/.exec(value)?.[0] ?? /[0-9a-f]{8,}$/i.exec(value)?.[0];
    const same = ({ pageId: id }: (typeof pages)[number]) =>
      bare !== undefined && id !== null && withoutZeros(id.value) === withoutZeros(bare);
    const byId = pages.find(same);
    if (byId?.pageId) return { text: `page-id(${byId.pageId.value})`, page: byId };
    return (
      index.firstOf(`body-id(${value})`, index.byBodyId(value)) ??
      index.firstOf(`body-class(${value})`, index.byClass(value)) ??
      numberedClass(value, index)
    );
  },
};

/** A body class that ends in the ID, where the site's page IDs are not known to be written so. */
function numberedClass(value: string, index: SiteIndex): NearTerm | null {
  if (!/^\d+$/.test(value)) return null;
  const names = index.classes.filter(
    (each) => each.endsWith(value) && /\D$/.test(each.slice(0, -value.length)) && isPageIdShape(each),
  );
  const name = names.find((each) => /page/i.test(each)) ?? names[0];
  const near = name === undefined ? null : index.firstOf(`body-class(${name})`, index.byClass(name));
  if (!near || name === undefined) return null;
  const like = JSON.stringify(`${name.slice(0, -value.length)}{id}`);
  return { ...near, more: ` For page-id(), write in local-needle.yaml: page-id: { in: body-class, like: ${like} }` };
}
