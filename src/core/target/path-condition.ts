import { writeString } from '../css/strings.js';
import { isPathPattern } from '../page/path.js';

/** A literal path as a condition; characters that would make it a pattern are escaped. */
export const pathCondition = (path: string) => {
  const [bare = '', query] = path.split('?');
  const literal = isPathPattern(bare) ? bare.replace(/[*{}()+?:\\]/g, '\\$&') : bare;
  const written = (text: string) => writeString(text.replace(/"/g, '%22'));
  const queries = query === undefined ? [] : [...new URLSearchParams(query)];
  const pairs = queries.map(([key, value]) => ` query(${written(new URLSearchParams([[key, value]]).toString())})`);
  return `path(${written(literal)})${pairs.join('')}`;
};
