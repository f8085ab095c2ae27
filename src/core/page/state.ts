import type { Element, PageDocument } from './document.js';
import { compileMatcher, elementsChanged } from './elements.js';
import { setPseudoClass } from './pseudo-classes.js';

/** What a state changes on a captured page: classes or pseudo-classes, by selector. */
export interface PageState {
  addClass: [selector: string, name: string][];
  removeClass: [selector: string, name: string][];
  pseudoClass: [selector: string, name: string][];
}

/** Puts a page into a state; changes the document. Pseudo-classes that reach upwards (`:hover`, `:focus-within`) do so. */
export function applyState(document: PageDocument, state: PageState): void {
  const each = (selector: string, act: (element: Element) => void) => {
    compileMatcher(selector)(document).forEach(act);
    elementsChanged(document);
  };
  for (const [selector, name] of state.removeClass)
    each(selector, (element) => setClasses(element, (names) => names.filter((other) => other !== name)));
  for (const [selector, name] of state.addClass)
    each(selector, (element) => setClasses(element, (names) => (names.includes(name) ? names : [...names, name])));
  if (state.pseudoClass.length > 0) document.isInState = true;
  for (const [selector, name] of state.pseudoClass)
    each(selector, (element) => setWithAncestors(element, name.replace(/^:/, '').toLowerCase()));
}

function setClasses(element: Element, change: (names: string[]) => string[]): void {
  const attribute = element.attrs.find(({ name }) => name === 'class');
  const value = change(attribute?.value.split(/\s+/).filter(Boolean) ?? []).join(' ');
  if (attribute) attribute.value = value;
  else element.attrs.push({ name: 'class', value });
}

/** Selectors 4, 9.2 to 9.4: an element is hovered or active if a descendant is; focus makes `:focus-within` on the way up. */
function setWithAncestors(element: Element, name: string): void {
  setPseudoClass(element, name);
  const upwards = name === 'hover' || name === 'active' ? name : name.startsWith('focus') ? 'focus-within' : null;
  for (
    let at: unknown = element;
    upwards && typeof at === 'object' && at !== null && 'tagName' in at;
    at = (at as Element).parentNode
  )
    setPseudoClass(at as Element, upwards);
  if (name === 'focus-visible') setPseudoClass(element, 'focus');
}
