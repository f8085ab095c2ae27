import { KeptWithPage, parentOf, type Element, type PageDocument } from '../../page/document.js';
import { textOf } from '../../page/query.js';
import { compileSelector, compileSheet, type SheetRule, type SheetSelector } from './sheet.js';

/** A rule of a shadow tree's own stylesheet that reaches out of the tree: to its host, or to what is slotted into it. */
export interface ShadowRule {
  rule: SheetRule;
  selector: SheetSelector;
  reaches: 'host' | 'slotted';
}

const known = new KeptWithPage<ShadowRule[]>();

/** The rules of a shadow tree for its host and its host's children (CSS Scoping 1, 3.2 and 3.3), in their order. */
function rulesOf(shadow: PageDocument): ShadowRule[] {
  let rules = known.get(shadow);
  if (!rules) {
    rules = shadow.elements
      .filter(({ tagName }) => tagName === 'style')
      .flatMap((style) => compileSheet(textOf(style)).rules)
      .flatMap((rule) => rule.selectors.flatMap((selector) => outwards(rule, selector) ?? []));
    known.set(shadow, rules);
  }
  return rules;
}

/** A selector with `:host` or `::slotted()` as a test of elements outside; null for all others. */
function outwards(rule: SheetRule, { text, pseudo, specificity }: SheetSelector): ShadowRule | null {
  const [, kind, argument, rest = ''] =
    /^:host(-context)?(?:\((.*?)\))?((?:::?(?:before|after|first-l\w+|marker|part\([^)]*\)))?)$/is.exec(text) ?? [];
  const slotted = /^::slotted\((.*)\)((?:::?(?:before|after))?)$/is.exec(pseudo);
  if (slotted) {
    const inner = compileSelector(slotted[1] ?? '*');
    const [a, b, c] = inner?.specificity ?? [0, 0, 0];
    const own: SheetSelector['specificity'] = [specificity[0] + a, specificity[1] + b, specificity[2] + c];
    return (
      inner && { rule, selector: { ...inner, text, pseudo: slotted[2] ?? '', specificity: own }, reaches: 'slotted' }
    );
  }
  if (!/^:host/i.test(text) || (argument === undefined && text.trim() !== `:host${rest}`)) return null;
  const inner = compileSelector(kind ? `:is(${argument}, ${argument} *)` : (argument ?? '*'));
  if (!inner) return null;
  const [a, b, c] = argument === undefined ? [0, 0, 0] : inner.specificity;
  const own: SheetSelector['specificity'] = [a, b + 1, c + (rest === '' ? 0 : 1)];
  return {
    rule,
    selector: { ...inner, text, pseudo: rest.replace(/^:(?!:)/, '::'), specificity: own },
    reaches: 'host',
  };
}

/** The rules of shadow trees that match an element outside of them, or a pseudo-element of it. */
export function rulesFromShadows(document: PageDocument, element: Element, pseudo: string): ShadowRule[] {
  if (document.shadows.size === 0) return [];
  const parent = parentOf(element);
  const [own, outer] = [document.shadows.get(element), parent ? document.shadows.get(parent) : undefined];
  const from = (shadow: PageDocument | undefined, reaches: ShadowRule['reaches']) =>
    shadow ? rulesOf(shadow).filter((each) => each.reaches === reaches) : [];
  return [...from(outer, 'slotted'), ...from(own, 'host')].filter(
    ({ selector }) => selector.pseudo === pseudo && selector.matches(document, element),
  );
}
