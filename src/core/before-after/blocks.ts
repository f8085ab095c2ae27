/** A part of a picture, in pixels. */
export interface Region {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** Where an element and what is inside it are on a picture of its page. */
export interface BoxNode {
  /** Tag and ID: elements of two pictures are paired by it, in their order. */
  key: string;
  /** Null where the element has no box: it is hidden, or its children alone are shown. */
  box: Region | null;
  /** Its box with those of all elements inside that it does not cut off; null where there is none. */
  extent: Region | null;
  /** Its number in the order of the document, and that of the last element inside it. */
  first: number;
  last: number;
  /** It was placed at a fraction of a pixel, so that its edges may look a little different elsewhere. */
  isBetween: boolean;
  /** Its place is its own (`fixed`, `absolute`, `sticky`): it may lie above others. */
  floats: boolean;
  /** It has words of its own. */
  hasText: boolean;
  /** The rules that change it, by number. */
  rules: number[];
  children: BoxNode[];
}

/** A part of a page that looks different with the build. */
export interface Block {
  /** `moved`: it is the same, or has another size only because of what is inside or beside it. */
  kind: 'changed' | 'gone' | 'new' | 'moved';
  /** Null where it is not there. */
  before: Region | null;
  after: Region | null;
  /** The rules that made it so, by number; empty if that is not known, and of what moved. */
  rules: number[];
}

/** Parts of two pictures that do not count, each in its coordinates. */
export interface Masks {
  before: Region[];
  after: Region[];
}

/** Pixels of two pictures. */
export interface PicturePixels {
  /** Where two parts of the same size differ, as a part of the first; null where they are the same. */
  difference: (before: Region, after: Region, masks: Masks) => Region | null;
  /** Whether they differ at all. */
  differ: (before: Region, after: Region, masks: Masks) => boolean;
}

/**
 * What differs between two pictures, block by block in the order of the page: an element that is the same elsewhere has
 * moved; of one that is not, what is inside it is compared, and then its own background, border and text.
 */
export function differingBlocks(before: BoxNode, after: BoxNode, pixels: PicturePixels): Block[] {
  const walk = new Walk(pixels, floatsOf(before), floatsOf(after));
  return mergeMoved(walk.compare(before, after, []));
}

/** Elements that may lie above others, each with its box. */
function floatsOf(root: BoxNode): BoxNode[] {
  const found: BoxNode[] = [];
  const visit = (node: BoxNode) => {
    if (node.floats && node.box) found.push(node);
    node.children.forEach(visit);
  };
  visit(root);
  return found;
}

const sameSize = (one: Region, other: Region) =>
  Math.abs(one.width - other.width) <= 1 && Math.abs(one.height - other.height) <= 1;
const sameBox = (one: Region, other: Region) =>
  one.x === other.x && one.y === other.y && one.width === other.width && one.height === other.height;
/** The boxes of elements, and of those inside elements that have none themselves. */
const boxesOf = (nodes: BoxNode[]): Region[] => nodes.flatMap(({ box, children }) => box ?? boxesOf(children));
const hasArea = ({ width, height }: Region) => width > 0 && height > 0;
const isShown = ({ extent }: BoxNode) => extent !== null && hasArea(extent);
const rulesWithin = (node: BoxNode): number[] => [...node.rules, ...node.children.flatMap(rulesWithin)];
const each = (rules: number[]) => [...new Set(rules)].sort((a, b) => a - b);

class Walk {
  constructor(
    private readonly pixels: PicturePixels,
    private readonly floatsBefore: BoxNode[],
    private readonly floatsAfter: BoxNode[],
  ) {}

  /** `above`: the rules of the elements around, the innermost last. */
  compare(before: BoxNode, after: BoxNode, above: readonly number[][]): Block[] {
    const own = each([...before.rules, ...after.rules]);
    const inner = own.length > 0 ? [...above, own] : above;
    const [from, to] = [before.box, after.box];
    if (!from || !to) {
      const [wasShown, isThere] = [isShown(before), isShown(after)];
      if (from === to || (wasShown && isThere)) return this.children(before, after, inner);
      return wasShown ? vanished(before, 'gone', inner) : isThere ? vanished(after, 'new', inner) : [];
    }
    const [whole, other] = [before.extent ?? from, after.extent ?? to];
    if (sameSize(from, to) && sameSize(whole, other) && !this.differs(before, after, whole, other))
      return sameBox(whole, other) ? [] : [{ kind: 'moved', before: whole, after: other, rules: [] }];
    const isLeaf = boxesOf([...before.children, ...after.children]).length === 0;
    const changed: Block = { kind: 'changed', before: from, after: to, rules: causes(own, inner) };
    // Between pixels it is drawn a little differently elsewhere; no rule acts on it or around it.
    const isMoved = (before.isBetween || after.isBetween) && !sameBox(from, to) && sameSize(from, to);
    if (isLeaf && isMoved && changed.rules.length === 0) return [{ ...changed, kind: 'moved' }];
    if (isLeaf) return [changed];
    const blocks = this.children(before, after, inner);
    const part = this.ownDifference(before, after, from, to);
    // What a rule acts on is shown whole, and so are words.
    const hasText = before.hasText || after.hasText;
    if (part && (own.length > 0 || hasText || sameSize(part.before, from)))
      return [changed, ...blocks.filter((block) => !isPartOf(block, changed))];
    if (part) return [{ kind: 'changed', ...part, rules: causes(own, inner) }, ...blocks];
    if (sameSize(from, to) || blocks.some(({ kind }) => kind !== 'moved')) return blocks;
    // Its size alone is another: by a rule of its own, or for want of room.
    if (own.length > 0) return [changed, ...blocks.filter((block) => !isPartOf(block, changed))];
    return blocks.length > 0 ? blocks : [{ kind: 'moved', before: from, after: to, rules: [] }];
  }

  private children(before: BoxNode, after: BoxNode, above: readonly number[][]): Block[] {
    const blocks: Block[] = [];
    for (const [one, other] of pairsOf(before.children, after.children))
      if (one && other) blocks.push(...this.compare(one, other, above));
      else if (one && isShown(one)) blocks.push(...vanished(one, 'gone', above));
      else if (other && isShown(other)) blocks.push(...vanished(other, 'new', above));
    return blocks;
  }

  /** Whether an element with all inside it looks different, but for what lies above it. */
  private differs(before: BoxNode, after: BoxNode, from: Region, to: Region): boolean {
    const size = { width: Math.min(from.width, to.width), height: Math.min(from.height, to.height) };
    const masks = { before: coverings(this.floatsBefore, before), after: coverings(this.floatsAfter, after) };
    const tries = before.isBetween || after.isBetween ? [0, 1, -1] : [0];
    return tries.every((y) => this.pixels.differ({ ...from, ...size }, { ...to, ...size, y: to.y + y }, masks));
  }

  /**
   * Where an element looks different beside what is inside it. Of one whose size is another, each half is held against the
   * half at the same edges: its borders are where they were.
   */
  private ownDifference(before: BoxNode, after: BoxNode, from: Region, to: Region): Places | null {
    const masks = {
      before: [...boxesOf(before.children), ...coverings(this.floatsBefore, before)],
      after: [...boxesOf(after.children), ...coverings(this.floatsAfter, after)],
    };
    let found: Places | null = null;
    for (const [x, width] of halves(from.width, to.width))
      for (const [y, height] of halves(from.height, to.height)) {
        const within = (whole: Region): Region => ({
          x: x === 'start' ? whole.x : whole.x + whole.width - width,
          y: y === 'start' ? whole.y : whole.y + whole.height - height,
          ...{ width, height },
        });
        const [one, other] = [within(from), within(to)];
        const part = this.pixels.difference(one, other, masks);
        if (!part) continue;
        const moved = { ...part, x: part.x - one.x + other.x, y: part.y - one.y + other.y };
        found = found
          ? { before: around(found.before, part), after: around(found.after, moved) }
          : { before: part, after: moved };
      }
    const isEdge = found !== null && (found.before.width <= 1 || found.before.height <= 1);
    return isEdge && (before.isBetween || after.isBetween) ? null : found;
  }
}

interface Places {
  before: Region;
  after: Region;
}

/** The parts of a length that is another afterwards: all of it, or the half at either end. */
function halves(before: number, after: number): [end: 'start' | 'end', length: number][] {
  const common = Math.min(before, after);
  if (Math.abs(before - after) <= 1) return [['start', common]];
  const half = Math.floor(common / 2);
  return [
    ['start', half],
    ['end', common - half],
  ];
}

/** What may lie above an element: floats that are neither it, nor inside it, nor around it. */
function coverings(floats: BoxNode[], node: BoxNode): Region[] {
  return floats.flatMap((each) => (each.box && !contains(each, node) && !contains(node, each) ? [each.box] : []));
}

const contains = (outer: BoxNode, inner: BoxNode) => outer.first <= inner.first && inner.last <= outer.last;

/** Whether what differs inside a changed element needs no outline of its own: the same rules did it. */
const isPartOf = ({ kind, rules }: Block, whole: Block) =>
  kind !== 'moved' && rules.every((rule) => whole.rules.includes(rule));

/** The rules of an element and of what is inside it; without any, those of the nearest element around that has some. */
const causes = (own: number[], above: readonly number[][]): number[] =>
  each(own.length > 0 ? own : (above.at(-1) ?? []));

function vanished(node: BoxNode, kind: 'gone' | 'new', above: readonly number[][]): Block[] {
  const { box, extent } = node;
  const place = box && hasArea(box) ? box : extent;
  const rules = causes(rulesWithin(node), above);
  return [{ kind, before: kind === 'gone' ? place : null, after: kind === 'new' ? place : null, rules }];
}

/** Pairs children in their order; of two lists with unequal keys, the n-th of a key with the n-th of the same. */
function pairsOf(before: BoxNode[], after: BoxNode[]): [BoxNode | null, BoxNode | null][] {
  if (before.length === after.length && before.every(({ key }, at) => key === after[at]?.key))
    return before.map((node, at) => [node, after[at] ?? null]);
  const left = new Map<string, BoxNode[]>();
  for (const node of after) left.set(node.key, [...(left.get(node.key) ?? []), node]);
  const pairs = before.map((node): [BoxNode, BoxNode | null] => [node, left.get(node.key)?.shift() ?? null]);
  return [...pairs, ...[...left.values()].flat().map((node): [null, BoxNode] => [null, node])];
}

/** Blocks one after the other that moved by the same become one. */
function mergeMoved(blocks: Block[]): Block[] {
  const merged: Block[] = [];
  for (const block of blocks) {
    const last = merged.at(-1);
    if (last?.kind === 'moved' && block.kind === 'moved' && last.before && last.after && block.before && block.after) {
      const alike = shift(last.before, last.after) === shift(block.before, block.after);
      if (alike) {
        merged[merged.length - 1] = {
          ...last,
          before: around(last.before, block.before),
          after: around(last.after, block.after),
        };
        continue;
      }
    }
    merged.push(block);
  }
  return merged;
}

const shift = (from: Region, to: Region) =>
  [to.x - from.x, to.y - from.y, to.width - from.width, to.height - from.height].join();

/** The smallest region that holds both. */
export function around(one: Region, other: Region): Region {
  const [x, y] = [Math.min(one.x, other.x), Math.min(one.y, other.y)];
  return {
    ...{ x, y },
    width: Math.max(one.x + one.width, other.x + other.width) - x,
    height: Math.max(one.y + one.height, other.y + other.height) - y,
  };
}
