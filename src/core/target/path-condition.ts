import { isPathPattern } from '../page/path.js';

/** A literal path as a condition; characters that would make it a pattern are escaped. */
export const pathCondition = (path: string) => {
  const [bare = '', query] = path.split('?');
  const literal = isPathPattern(bare) ? bare.replace(/[*{}()+?:\\]/g, '\\$&') : bare;
  return `path("${literal.replace(/"/g, '%22')}")${query === undefined ? '' : ` query("${query.replace(/"/g, '%22')}")`}`;
};
