import { selectorTokens } from '../css/selector-tokens.js';
import { putTogether, takeApart, type Compound } from '../css/complex.js';
import { selectorParts } from '../css/selector.js';
import { itemsOf } from '../css/value/items.js';
import type { PageDocument } from '../page/document.js';
import { candidates, compileTest } from '../page/elements.js';
import { selectorKey } from '../page/selector-key.js';

/**
 * Finds which of many selectors can match on a page, by their beginning: if nothing matches `body.page-46`, neither
 * does `body.page-46 .x`. This avoids trying hundreds of rules on thousands of other pages.
 */
export class SelectorStarts<T> {
  private readonly always = new Set<T>();
  private readonly byKey = new Map<string, Map<string, { test: (document: PageDocument) => boolean; values: T[] }>>();

  /** Adds what a selector stands for. */
  add(text: string, value: T): void {
    const start = startOf(text);
    if (start === '') return void this.always.add(value);
    for (const tokens of selectorTokens(start)) {
      const key = selectorKey(tokens);
      const starts =
        this.byKey.get(key) ?? new Map<string, { test: (document: PageDocument) => boolean; values: T[] }>();
      this.byKey.set(key, starts);
      const known = starts.get(start) ?? { test: compileTest(start), values: [] };
      starts.set(start, known);
      known.values.push(value);
    }
  }

  /** Adds something that may match on any page. */
  addAlways(value: T): void {
    this.always.add(value);
  }

  /** What may match on a page. */
  on(document: PageDocument): Set<T> {
    const found = new Set(this.always);
    for (const [key, starts] of this.byKey) {
      if (candidates(document, key).length === 0) continue;
      for (const { test, values } of starts.values()) if (test(document)) for (const value of values) found.add(value);
    }
    return found;
  }
}

/** The scope of `.x:is(S, S *)`, of which an element must be there for it to match; null for all other selectors. */
function scopeOfSubject([first, second]: Compound[]): string | null {
  const inner = second ? undefined : /^:is\(([^]*)\)$/i.exec(first?.simples.at(-1)?.text ?? '')?.[1];
  const items = inner === undefined ? [] : itemsOf(inner);
  const scopes = items.filter((each) => items.includes(`${each} *`));
  return scopes.length > 0 && scopes.length * 2 === items.length
    ? scopes.join(', ').replace(/^:is\(([^()]*)\)$/, '$1')
    : null;
}

/** The compounds up to the one for `body`, or the first, as a selector list; empty if the selector has no more. */
function startOf(text: string): string {
  const compounds = takeApart(selectorParts(text).element);
  const scope = scopeOfSubject(compounds);
  if (scope !== null) return scope;
  const at = compounds.findIndex(({ simples: [first] }) => /^(body$|:is\()/.test(first?.text ?? ''));
  const prefix = compounds.slice(0, Math.max(at, 0) + 1);
  const whole = compounds.length > prefix.length ? putTogether(prefix) : '';
  // A selector list is tried selector by selector, each on the elements that have its key.
  return prefix.length === 1 ? whole.replace(/^:is\(([^()]*)\)$/, '$1') : whole;
}
