import pixelmatch from 'pixelmatch';
import { PNG } from 'pngjs';

/** A part of a picture, in pixels. */
export interface Region {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** What differs between two pictures. */
export interface PictureDifference {
  width: number;
  /** The height of each picture. */
  heights: { before: number; after: number };
  /** Of all pixels, 0 to 1. */
  share: number;
  regions: Region[];
}

/** Changed pixels that are this close to each other form one region. */
const cell = 24;

/** Compares two PNG pictures; the part of a larger one that lies outside the other counts as different. */
export function comparePictures(before: Buffer, after: Buffer): PictureDifference {
  const [one, other] = [PNG.sync.read(before), PNG.sync.read(after)];
  const [width, height] = [Math.max(one.width, other.width), Math.max(one.height, other.height)];
  const heights = { before: one.height, after: other.height };
  if (before.equals(after)) return { width, heights, share: 0, regions: [] };
  const [left, right] = [onCanvas(one, width, height), onCanvas(other, width, height)];
  const mask = new PNG({ width, height });
  const count = pixelmatch(left.data, right.data, mask.data, width, height, {
    threshold: 0,
    includeAA: true,
    diffMask: true,
  });
  return { width, heights, share: count / (width * height), regions: count > 0 ? regionsOf(mask) : [] };
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
