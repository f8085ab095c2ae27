import cssesc from 'cssesc';
import { lineageOf, type Element } from './document.js';
import { standingOf } from './family.js';

/** A selector that an element alone has on its page: `body > footer > div:nth-of-type(2)`. */
export function elementPath(element: Element): string {
  const steps = lineageOf(element).map((each) => {
    const { indexOfType, type } = standingOf(each);
    // HTML takes almost any character in a name: `<a[>`.
    const tag = /^[a-z][\w-]*$/i.test(each.tagName) ? each.tagName : cssesc(each.tagName, { isIdentifier: true });
    return type.size > 1 ? `${tag}:nth-of-type(${indexOfType})` : tag;
  });
  return (steps.length > 1 ? steps.slice(0, -1) : steps).reverse().join(' > ');
}
