import { bodyClass, type BodyClassTerm } from './body-class.js';
import { bodyId, type BodyIdTerm } from './body-id.js';
import { all, type AllTerm } from './all.js';
import { pageId, type PageIdTerm } from './page-id.js';
import { path, type PathTerm } from './path.js';
import { query, type QueryTerm } from './query.js';
import { site, type SiteTerm } from './site.js';
import type { TermKind } from '../term.js';

/** One term of a condition. */
export type Term = PathTerm | PageIdTerm | BodyIdTerm | BodyClassTerm | QueryTerm | SiteTerm | AllTerm;

/** Every kind of term, in the order in which messages list them. */
export const termKinds = {
  path,
  'page-id': pageId,
  'body-id': bodyId,
  'body-class': bodyClass,
  query,
  site,
  all,
} satisfies { [Kind in Term['kind']]: TermKind<Extract<Term, { kind: Kind }>> };

/** The entry of a term's kind. Throws Error for a kind that is not in the table, so that nothing ships for it. */
export function termKind<T extends Term>(term: T): TermKind<T> {
  if (!Object.hasOwn(termKinds, term.kind)) throw new Error(`Unknown term of a condition: ${term.text}`);
  return termKinds[term.kind] as unknown as TermKind<T>;
}
