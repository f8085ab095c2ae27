import { lineageOf, type Element, type PageDocument } from '../../page/document.js';
import { withScopingRoot } from '../../page/query.js';
import type { EnclosingRule, SheetSelector } from './sheet.js';

/** The roots of the innermost scope that an element is in, nearest first (CSS Cascading 6, 2.5), with their distance; `owner`: the parent of a `<style>`. */
export function scopingRoots(
  document: PageDocument,
  element: Element,
  scopes: Extract<EnclosingRule, { kind: 'scope' }>[],
  owner: Element | null,
): [Element, number][] {
  const [scope, ...outer] = [...scopes].reverse();
  if (!scope) return [];
  const roots: [Element, number][] = [];
  const lineage = lineageOf(element);
  const any = (selectors: SheetSelector[], at: Element, root: Element | null) =>
    withScopingRoot(root, () => selectors.some((each) => each.matches(document, at)));
  const outerRoots =
    outer.length === 0 ? [null] : scopingRoots(document, element, [...outer].reverse(), owner).map(([each]) => each);
  lineage.forEach((root, distance) => {
    const isRoot =
      scope.start === null
        ? root === (owner ?? lineage[lineage.length - 1])
        : outerRoots.some((each) => any(scope.start ?? [], root, each));
    if (!isRoot || outerRoots.length === 0) return;
    const limited = lineage.slice(0, distance).some((at) => any(scope.end, at, root));
    if (!limited) roots.push([root, distance]);
  });
  return roots;
}
