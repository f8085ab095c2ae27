import { BoundedMap } from '../bounded-map.js';
import tables from './browser-tables.json' with { type: 'json' };

/** How text flows in an element (CSS Writing Modes 4): its lines, and the direction in them. */
export interface Flow {
  writingMode: string;
  rtl: boolean;
}

export const horizontal: Flow = { writingMode: 'horizontal-tb', rtl: false };

/** The old names of writing modes (CSS Writing Modes 4, 3.2). */
const modes: Record<string, string> = { lr: 'horizontal-tb', rl: 'horizontal-tb', tb: 'vertical-rl' };

/** The flow that `writing-mode` and `direction` make. */
export function flowOf(writingMode: string, rtl: boolean): Flow {
  const mode = writingMode.toLowerCase();
  return { writingMode: modes[mode] ?? modes[mode.replace(/-(tb|rl)$/, '')] ?? mode, rtl };
}

const isVertical = ({ writingMode }: Flow) => /^(vertical|sideways)-/.test(writingMode);

/** The physical sides of a flow. */
function sidesOf(flow: Flow): Record<string, string> {
  const { writingMode, rtl } = flow;
  const turned = (forth: string, back: string, isBack: boolean) => (isBack ? [back, forth] : [forth, back]);
  const [blockStart = '', blockEnd = ''] = isVertical(flow)
    ? turned('left', 'right', writingMode.endsWith('-rl'))
    : ['top', 'bottom'];
  const [inlineStart = '', inlineEnd = ''] = isVertical(flow)
    ? turned('top', 'bottom', rtl !== (writingMode === 'sideways-lr'))
    : turned('left', 'right', rtl);
  return { 'block-start': blockStart, 'block-end': blockEnd, 'inline-start': inlineStart, 'inline-end': inlineEnd };
}

interface Names {
  physical: Map<string, string>;
  logical: Map<string, string>;
}

const names = new Map<string, Names>();

/** The names of all longhands in a flow. */
function namesOf(flow: Flow): Names {
  const key = `${flow.writingMode} ${flow.rtl}`;
  let found = names.get(key);
  if (!found) {
    // Modes that no browser has flow as usual, so that there are ten at most.
    if (!/^((horizontal-tb)|(vertical|sideways)-(rl|lr))$/.test(flow.writingMode))
      return namesOf({ ...horizontal, rtl: flow.rtl });
    names.set(key, (found = { physical: new Map(), logical: new Map() }));
    for (const [name, longhands] of Object.entries(tables.properties)) {
      const physical = findPhysical(name, flow);
      if (longhands !== 0 || physical === name) continue;
      found.physical.set(name, physical);
      found.logical.set(physical, name);
    }
  }
  return found;
}

/** The physical longhand that a logical one sets in a flow (CSS Logical Properties 1); others are returned as they are. */
export const physicalOf = (longhand: string, flow: Flow): string => namesOf(flow).physical.get(longhand) ?? longhand;

function findPhysical(longhand: string, flow: Flow): string {
  const sides = sidesOf(flow);
  const inset = /^inset-(.*)$/.exec(longhand);
  if (inset) return sides[inset[1] ?? ''] ?? longhand;
  const corner = /^(.*)-(start|end)-(start|end)-(radius|shape)$/.exec(longhand);
  if (corner) {
    const [, prefix, block, inline, what] = corner;
    const both = [sides[`block-${block}`] ?? '', sides[`inline-${inline}`] ?? ''];
    // The name of a corner begins with top or bottom.
    return `${prefix}-${both.sort((a, b) => Number(/left|right/.test(a)) - Number(/left|right/.test(b))).join('-')}-${what}`;
  }
  const [inlineSize, blockSize] = isVertical(flow) ? ['height', 'width'] : ['width', 'height'];
  const [inlineAxis, blockAxis] = isVertical(flow) ? ['y', 'x'] : ['x', 'y'];
  return longhand
    .replace(/(block|inline)-(start|end)/, (side) => sides[side] ?? side)
    .replace(/(^|-)inline-size$/, `$1${inlineSize}`)
    .replace(/(^|-)block-size$/, `$1${blockSize}`)
    .replace(/^(overflow|overscroll-behavior)-inline$/, `$1-${inlineAxis}`)
    .replace(/^(overflow|overscroll-behavior)-block$/, `$1-${blockAxis}`);
}

/** The logical longhand that sets the same as a physical one; null if there is none. */
export const logicalOf = (longhand: string, flow: Flow): string | null => namesOf(flow).logical.get(longhand) ?? null;

const paired = new BoundedMap<string, boolean>(50_000);

/** Whether a longhand has a logical or physical twin at all. */
export function hasOtherName(longhand: string): boolean {
  let known = paired.get(longhand);
  if (known === undefined) {
    known = physicalOf(longhand, horizontal) !== longhand || logicalOf(longhand, horizontal) !== null;
    paired.set(longhand, known);
  }
  return known;
}
