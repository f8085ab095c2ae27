import cssesc from 'cssesc';
import { parentOf, type Element } from './document.js';
import { standingOf } from './family.js';

/** An element with its path, once it was asked for. */
type Named = Element & { path?: string };

/**
 * A selector that an element alone has on its page: `body > footer > div:nth-of-type(2)`. Elements must not be moved after the
 * first call.
 */
export function elementPath(element: Named): string {
  const open: Named[] = [];
  let at: Named | null = element;
  for (; at && at.path === undefined; at = parentOf(at)) open.push(at);
  let outer = at?.path;
  for (const each of open.reverse()) {
    const parent = parentOf(each);
    // The root is in no other path.
    each.path = parent && parentOf(parent) ? `${outer ?? ''} > ${stepTo(each)}` : stepTo(each);
    outer = each.path;
  }
  return element.path ?? '';
}

function stepTo(element: Element): string {
  const { indexOfType, type } = standingOf(element);
  const { tagName } = element;
  // HTML takes almost any character in a name: `<a[>`.
  const tag = /^[a-z][\w-]*$/i.test(tagName) ? tagName : cssesc(tagName, { isIdentifier: true });
  return type.size > 1 ? `${tag}:nth-of-type(${indexOfType})` : tag;
}
