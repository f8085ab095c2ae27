import bidiFactory, { type Bidi } from 'bidi-js';
import type { DefaultTreeAdapterTypes as Tree } from 'parse5';
import { attributeOf, isElement, type Element } from './form-states.js';

// Its types tell of another form of the module.
const bidi = (bidiFactory as unknown as () => Bidi)();

/** The direction of the first character of a text that has one; null where none has. */
function directionOf(text: string): 'ltr' | 'rtl' | null {
  for (const character of text) {
    const type = bidi.getBidiCharTypeName(character);
    if (type === 'L') return 'ltr';
    if (type === 'R' || type === 'AL') return 'rtl';
  }
  return null;
}

const stated = (element: Element) => attributeOf(element, 'dir')?.toLowerCase();
const isState = (value: string | undefined) => value === 'ltr' || value === 'rtl' || value === 'auto';

/** Input types whose value tells the direction with `dir=auto`. */
const valued = ['', 'hidden', 'text', 'search', 'tel', 'url', 'email', 'password', 'submit', 'reset', 'button'];
const inputTypes =
  `hidden text search tel url email password date month week time datetime-local number range color checkbox
  radio file submit image reset button`.split(/\s+/);

/** The directionality of an element (HTML Standard, 3.2.6.4), as `:dir()` asks. */
export function directionality(element: Element): 'ltr' | 'rtl' {
  let at: Tree.ParentNode | null = element;
  for (; isElement(at); at = at.parentNode) {
    const own = stated(at);
    if (own === 'ltr' || own === 'rtl') return own;
    if (own === 'auto') return automatic(at) ?? 'ltr';
    if (at.tagName === 'bdi') return automatic(at) ?? parentDirection(at);
    if (at.tagName === 'input' && attributeOf(at, 'type')?.toLowerCase() === 'tel') return 'ltr';
  }
  return 'ltr';
}

const parentDirection = ({ parentNode }: Element) => (isElement(parentNode) ? directionality(parentNode) : 'ltr');

/** What the text of an element tells; null where it tells nothing. */
function automatic(element: Element): 'ltr' | 'rtl' | null {
  if (element.tagName === 'textarea')
    return directionOf(element.childNodes.map((node) => ('value' in node ? node.value : '')).join('')) ?? 'ltr';
  if (element.tagName === 'input') {
    const type = attributeOf(element, 'type')?.toLowerCase() ?? '';
    const isText = valued.includes(type) || !inputTypes.includes(type);
    return isText ? (directionOf(attributeOf(element, 'value') ?? '') ?? 'ltr') : 'ltr';
  }
  return contained(element);
}

const skipped = ['bdi', 'script', 'style', 'textarea', 'input'];

function contained(element: Element): 'ltr' | 'rtl' | null {
  for (const node of element.childNodes) {
    const found =
      'value' in node
        ? directionOf(node.value)
        : isElement(node) && !skipped.includes(node.tagName) && !isState(stated(node))
          ? contained(node)
          : null;
    if (found) return found;
  }
  return null;
}
