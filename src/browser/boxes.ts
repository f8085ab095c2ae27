import { around, type BoxNode, type Region } from '../core/before-after/blocks.js';

/** Elements of a page at most; of one with more, pixels alone are compared. */
export const mostElements = 30_000;

/** Elements in the order of the document. */
interface FlatBoxes {
  /** Of the whole page, in pixels. */
  height: number;
  /** There are more elements than are told. */
  isCut: boolean;
  keys: string[];
  /** Number of the element around; -1 for the first. */
  parents: number[];
  /** Left, top, right and bottom on the page; null where there is no box. */
  boxes: ([number, number, number, number] | null)[];
  /** The sum of 1: its place is its own; 2: it cuts off what is inside it; 4: it has words of its own. */
  kinds: number[];
  /** The rules that change it, by number. */
  rules: number[][];
}

/** Runs in the page: where its elements are. Must not use anything from outside itself. */
export function boxesOf({ paths, most }: { paths: string[][]; most: number }): FlatBoxes {
  const acting = new Map<Element, number[]>();
  paths.forEach((list, rule) => {
    for (const path of list) {
      const element = document.querySelector(path);
      if (element) acting.set(element, [...(acting.get(element) ?? []), rule]);
    }
  });
  const height = document.documentElement.scrollHeight;
  const flat: FlatBoxes = { height, isCut: false, keys: [], parents: [], boxes: [], kinds: [], rules: [] };
  const visit = (element: Element, parent: number) => {
    if (flat.keys.length >= most) return;
    const number = flat.keys.length;
    const style = getComputedStyle(element);
    const { left, top, right, bottom } = element.getBoundingClientRect();
    const hasBox = element.getClientRects().length > 0;
    flat.keys.push(element.id ? `${element.localName}#${element.id}` : element.localName);
    flat.parents.push(parent);
    flat.boxes.push(hasBox ? [left + scrollX, top + scrollY, right + scrollX, bottom + scrollY] : null);
    const floats = style.position !== 'static' && style.position !== 'relative';
    const clips = style.overflowX !== 'visible' || style.overflowY !== 'visible';
    const hasText = [...element.childNodes].some(
      ({ nodeType, nodeValue }) => nodeType === 3 && /\S/.test(nodeValue ?? ''),
    );
    flat.kinds.push((floats ? 1 : 0) + (clips ? 2 : 0) + (hasText ? 4 : 0));
    flat.rules.push(acting.get(element) ?? []);
    if (style.display === 'none' || element.localName === 'svg') return;
    for (const child of element.children) visit(child, number);
  };
  visit(document.documentElement, -1);
  flat.isCut = flat.keys.length >= most;
  return flat;
}

/** The tree of a page's boxes; the outermost is the picture. Null where there are too many. */
export function boxTree(flat: FlatBoxes, picture: Region): BoxNode | null {
  if (flat.isCut) return null;
  const nodes = flat.keys.map((key, number): BoxNode & { clips: boolean } => {
    const edges = flat.boxes[number] ?? null;
    const kind = flat.kinds[number] ?? 0;
    const box = number === 0 ? picture : edges && rounded(edges);
    return {
      ...{ key, box, extent: box, first: number, last: number, children: [], rules: flat.rules[number] ?? [] },
      isBetween: edges?.some((edge) => !Number.isInteger(edge)) ?? false,
      floats: (kind & 1) > 0,
      hasText: (kind & 4) > 0,
      clips: (kind & 2) > 0 || number === 0,
    };
  });
  // The last first, so that an element's own children are done when it is.
  for (let number = nodes.length - 1; number > 0; number--) {
    const node = nodes[number];
    const parent = nodes[flat.parents[number] ?? 0];
    if (!node || !parent) continue;
    parent.children.push(node);
    parent.last = Math.max(parent.last, node.last);
    if (node.extent && !(parent.clips && parent.box))
      parent.extent = parent.extent ? around(parent.extent, node.extent) : node.extent;
  }
  for (const node of nodes) node.children.reverse();
  return nodes[0] ?? null;
}

const rounded = ([left, top, right, bottom]: [number, number, number, number]): Region => {
  const [x, y] = [Math.round(left), Math.round(top)];
  return { x, y, width: Math.round(right) - x, height: Math.round(bottom) - y };
};
