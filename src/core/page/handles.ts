import { handleCss } from './page-id.js';
import type { Page } from './page.js';

/** Something on `body` that picks pages out, as CSS, with the pages of the site that carry it. */
export interface Handle {
  kind: 'page-id' | 'body-id' | 'body-class';
  /** `body.page-12`, `body[id="front"]`; always of weight (0,1,1). */
  css: string;
  /** The condition that a rule writes for it: `page-id(12)`. */
  condition: string;
}

/** A text as a condition's argument: in quotes if it is not a plain name. */
const argument = (text: string) => (/^[\w-]+$/.test(text) ? text : `"${text.replace(/["\\]/g, '\\$&')}"`);

/** Classes that say that no script has run yet: a page's own script takes them away at once. */
const beforeScripts = /^(no-?(js|javascript|script)|js-(off|disabled)|preload(ing)?|is-loading)$/i;

/** The handles that a page carries on `body`, best first: page ID, body ID, classes in the order of the source. */
export function handlesOf(page: Page): Handle[] {
  const handles: Handle[] = [];
  if (page.pageId)
    handles.push({ kind: 'page-id', css: page.pageId.css, condition: `page-id(${argument(page.pageId.value)})` });
  if (page.bodyId) {
    handles.push({
      kind: 'body-id',
      css: 'body' + handleCss({ in: 'body-id' }, page.bodyId),
      condition: `body-id(${argument(page.bodyId)})`,
    });
  }
  for (const name of page.bodyClasses.filter((each) => !beforeScripts.test(each))) {
    handles.push({
      kind: 'body-class',
      css: 'body' + handleCss({ in: 'body-class' }, name),
      condition: `body-class(${argument(name)})`,
    });
  }
  const seen = new Set<string>();
  return handles.filter((handle) => !seen.has(handle.css) && seen.add(handle.css));
}
