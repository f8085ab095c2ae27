import { putTogether, takeApart } from '../css/complex.js';
import type { SheetSelector } from '../css/cascade/sheet.js';
import { selectorParts } from '../css/selector.js';
import type { PageDocument } from '../page/document.js';
import { compileTest } from '../page/elements.js';

const known = new Map<string, (document: PageDocument) => boolean>();

/**
 * Whether a selector can match anything on a page at all, told by how it begins: where nothing matches `body.page-46`, no
 * `body.page-46 .x` does. Spares to try hundreds of rules on thousands of pages that they are not for.
 */
export function mayMatch({ text }: SheetSelector, document: PageDocument): boolean {
  const start = startOf(text);
  let test = known.get(start);
  if (!test) known.set(start, (test = start === '' ? () => true : compileTest(start)));
  return test(document);
}

const starts = new Map<string, string>();

/** The compounds up to the one about `body`, or the first; empty where there is no more to the selector. */
function startOf(text: string): string {
  const remembered = starts.get(text);
  if (remembered !== undefined) return remembered;
  const compounds = takeApart(selectorParts(text).element);
  const at = compounds.findIndex(({ simples: [first] }) => /^(body$|:is\()/.test(first?.text ?? ''));
  const prefix = compounds.slice(0, Math.max(at, 0) + 1);
  const whole = compounds.length > prefix.length ? putTogether(prefix) : '';
  // A list of its own is tried arm by arm, each on the elements that carry its tag.
  const start = prefix.length === 1 ? whole.replace(/^:is\(([^()]*)\)$/, '$1') : whole;
  starts.set(text, start);
  return start;
}
