import { lineageOf, type Element } from './document.js';
import { standingOf } from './family.js';

/** A selector that an element alone has on its page: `body > footer > div:nth-of-type(2)`. */
export function elementPath(element: Element): string {
  const steps = lineageOf(element).map((each) => {
    const { indexOfType, sizeOfType } = standingOf(each);
    return sizeOfType > 1 ? `${each.tagName}:nth-of-type(${indexOfType})` : each.tagName;
  });
  return (steps.length > 1 ? steps.slice(0, -1) : steps).reverse().join(' > ');
}
