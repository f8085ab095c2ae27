import pixelmatch from 'pixelmatch';
import { PNG } from 'pngjs';
import {
  around,
  differingBlocks,
  type Block,
  type BoxNode,
  type Masks,
  type PicturePixels,
  type Region,
} from '../core/before-after/blocks.js';

/** What differs between two pictures. */
export interface PictureDifference {
  width: number;
  /** The height of each picture. */
  heights: { before: number; after: number };
  /** How much of the page changed, 0 to 1; what only moved does not count. */
  share: number;
  /** In the order of the page. */
  blocks: Block[];
}

/** Changed pixels that are this close to each other form one region, where no element tells more. */
const cell = 24;

/** Compares two PNG pictures of a page by the elements on them. `boxes`: the page's elements on each. */
export function comparePictures(
  before: Buffer,
  after: Buffer,
  boxes: { before: BoxNode; after: BoxNode } | null,
): PictureDifference {
  const one = PNG.sync.read(before);
  const isSame = before.equals(after);
  const other = isSame ? one : PNG.sync.read(after);
  const [width, height] = [Math.max(one.width, other.width), Math.max(one.height, other.height)];
  const heights = { before: one.height, after: other.height };
  if (isSame || (one.height === other.height && one.width === other.width && one.data.equals(other.data)))
    return { width, heights, share: 0, blocks: [] };
  const byElement = boxes ? differingBlocks(boxes.before, boxes.after, pixelsOf(one, other)) : [];
  // Pixels that no element accounts for differ all the same.
  const blocks = byElement.length > 0 ? byElement : byPixels(one, other, width, height);
  return { width, heights, share: shareOf(blocks, width, height), blocks };
}

/** Compares parts of two pictures, row by row. What lies outside of either picture is not compared. */
function pixelsOf(one: PNG, other: PNG): PicturePixels {
  const [left, right] = [one, other].map(({ data }) => new Uint32Array(new Uint8Array(data).buffer));
  /** Calls back for each row that differs, with its first and last pixel that does, until it returns true. */
  const rows = (
    before: Region,
    after: Region,
    masks: Masks,
    found: (y: number, from: number, to: number) => boolean,
  ) => {
    if (!left || !right) return;
    const start = { x: Math.max(0, -before.x, -after.x), y: Math.max(0, -before.y, -after.y) };
    const width = Math.min(before.width, one.width - before.x, other.width - after.x);
    const height = Math.min(before.height, one.height - before.y, other.height - after.y);
    if (width <= start.x) return;
    const bytes = (width - start.x) * 4;
    for (let y = start.y; y < height; y++) {
      const a = (before.y + y) * one.width + before.x;
      const b = (after.y + y) * other.width + after.x;
      const [rowA, rowB] = [(a + start.x) * 4, (b + start.x) * 4];
      if (one.data.compare(other.data, rowB, rowB + bytes, rowA, rowA + bytes) === 0) continue;
      const masked = new Uint8Array(width);
      cover(masked, masks.before, before, y);
      cover(masked, masks.after, after, y);
      const isDifferent = (x: number) => left[a + x] !== right[b + x] && !masked[x];
      let [from, to] = [start.x, width - 1];
      while (from < width && !isDifferent(from)) from++;
      if (from === width) continue;
      while (!isDifferent(to)) to--;
      if (found(y, from, to)) return;
    }
  };
  return {
    differ(before, after, masks) {
      let differs = false;
      rows(before, after, masks, () => (differs = true));
      return differs;
    },
    difference(before, after, masks) {
      let part: Region | null = null;
      rows(before, after, masks, (y, from, to) => {
        const row = { x: before.x + from, y: before.y + y, width: to - from + 1, height: 1 };
        part = part ? around(part, row) : row;
        return false;
      });
      return part;
    },
  };
}

/** Marks the pixels of a row of a part that masks cover. */
function cover(row: Uint8Array, masks: Region[], part: Region, y: number): void {
  for (const mask of masks)
    if (part.y + y >= mask.y && part.y + y < mask.y + mask.height)
      row.fill(1, Math.max(0, mask.x - part.x), Math.max(0, mask.x + mask.width - part.x));
}

/** How much of a page the blocks that did not just move cover, in squares of eight pixels. */
function shareOf(blocks: Block[], width: number, height: number): number {
  const square = 8;
  const [columns, rows] = [Math.ceil(width / square), Math.ceil(height / square)];
  const covered = new Uint8Array(columns * rows);
  for (const { kind, before, after } of blocks) {
    if (kind === 'moved') continue;
    for (const region of [before, after]) {
      if (!region) continue;
      const [from, to] = [Math.max(0, Math.floor(region.x / square)), Math.ceil((region.x + region.width) / square)];
      const end = Math.min(rows, Math.ceil((region.y + region.height) / square));
      for (let row = Math.max(0, Math.floor(region.y / square)); row < end; row++)
        covered.fill(1, row * columns + from, row * columns + Math.min(columns, to));
    }
  }
  return covered.reduce((sum, each) => sum + each, 0) / covered.length;
}

/** What differs, by pixels alone; the part of a larger picture that lies outside the other counts as different. */
function byPixels(one: PNG, other: PNG, width: number, height: number): Block[] {
  const [left, right] = [onCanvas(one, width, height), onCanvas(other, width, height)];
  const mask = new PNG({ width, height });
  pixelmatch(left.data, right.data, mask.data, width, height, { threshold: 0, includeAA: true, diffMask: true });
  return regionsOf(mask).map((region) => ({ kind: 'changed', before: region, after: region, rules: [] }));
}

/** A picture enlarged with transparent pixels. */
function onCanvas(picture: PNG, width: number, height: number): PNG {
  if (picture.width === width && picture.height === height) return picture;
  const canvas = new PNG({ width, height });
  PNG.bitblt(picture, canvas, 0, 0, picture.width, picture.height, 0, 0);
  return canvas;
}

/** The bounding boxes of marked pixels; neighbouring cells of a grid are merged. */
function regionsOf({ data, width, height }: PNG): Region[] {
  const [columns, rows] = [Math.ceil(width / cell), Math.ceil(height / cell)];
  const marked = new Uint8Array(columns * rows);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++)
      if (data[(y * width + x) * 4 + 3]) marked[Math.floor(y / cell) * columns + Math.floor(x / cell)] = 1;
  const regions: Region[] = [];
  for (let start = 0; start < marked.length; start++) {
    if (!marked[start]) continue;
    let [left, top, right, bottom] = [columns, rows, 0, 0];
    const queue = [start];
    marked[start] = 0;
    for (let at = queue.pop(); at !== undefined; at = queue.pop()) {
      const [column, row] = [at % columns, Math.floor(at / columns)];
      [left, right] = [Math.min(left, column), Math.max(right, column)];
      [top, bottom] = [Math.min(top, row), Math.max(bottom, row)];
      for (let y = Math.max(0, row - 1); y <= Math.min(rows - 1, row + 1); y++)
        for (let x = Math.max(0, column - 1); x <= Math.min(columns - 1, column + 1); x++)
          if (marked[y * columns + x]) {
            marked[y * columns + x] = 0;
            queue.push(y * columns + x);
          }
    }
    const [x, y] = [left * cell, top * cell];
    regions.push({
      x,
      y,
      width: Math.min((right + 1) * cell, width) - x,
      height: Math.min((bottom + 1) * cell, height) - y,
    });
  }
  return regions;
}
