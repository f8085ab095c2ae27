import { BoundedMap } from '../bounded-map.js';
import tables from './browser-tables.json' with { type: 'json' };

const sides: Record<string, [ltr: string, rtl: string]> = {
  'block-start': ['top', 'top'],
  'block-end': ['bottom', 'bottom'],
  'inline-start': ['left', 'right'],
  'inline-end': ['right', 'left'],
};
const corners: Record<string, [ltr: string, rtl: string]> = {
  'start-start': ['top-left', 'top-right'],
  'start-end': ['top-right', 'top-left'],
  'end-start': ['bottom-left', 'bottom-right'],
  'end-end': ['bottom-right', 'bottom-left'],
};

/** The physical longhand that a logical one sets in horizontal text (CSS Logical Properties 1); others are returned as they are. */
export function physicalOf(longhand: string, rtl: boolean): string {
  const map = physicals[rtl ? 1 : 0];
  let physical = map.get(longhand);
  if (physical === undefined) map.set(longhand, (physical = findPhysical(longhand, rtl)));
  return physical;
}

const physicals: [ltr: Map<string, string>, rtl: Map<string, string>] = [new Map(), new Map()];

function findPhysical(longhand: string, rtl: boolean): string {
  const pick = ([ltr, other]: [string, string]) => (rtl ? other : ltr);
  const inset = /^inset-(.*)$/.exec(longhand);
  if (inset) return sides[inset[1] ?? ''] ? pick(sides[inset[1] ?? ''] as [string, string]) : longhand;
  const corner = /^(.*)-(start|end)-(start|end)-radius$/.exec(longhand);
  if (corner) return `${corner[1]}-${pick(corners[`${corner[2]}-${corner[3]}`] as [string, string])}-radius`;
  return longhand
    .replace(/(block|inline)-(start|end)/, (side) => (sides[side] ? pick(sides[side]) : side))
    .replace(/(^|-)inline-size$/, '$1width')
    .replace(/(^|-)block-size$/, '$1height')
    .replace(/^(overflow|overscroll-behavior)-inline$/, '$1-x')
    .replace(/^(overflow|overscroll-behavior)-block$/, '$1-y');
}

const known: [ltr: Map<string, string>, rtl: Map<string, string>] = [new Map(), new Map()];

/** The logical longhand that sets the same as a physical one; null if there is none. */
export function logicalOf(longhand: string, rtl: boolean): string | null {
  const map = known[rtl ? 1 : 0];
  if (map.size === 0) {
    for (const [name, longhands] of Object.entries(tables.properties)) {
      const physical = physicalOf(name, rtl);
      if (longhands === 0 && physical !== name) map.set(physical, name);
    }
  }
  return map.get(longhand) ?? null;
}

const paired = new BoundedMap<string, boolean>(50_000);

/** Whether a longhand has a logical or physical twin at all. */
export function hasOtherName(longhand: string): boolean {
  let known = paired.get(longhand);
  if (known === undefined) {
    known = physicalOf(longhand, false) !== longhand || logicalOf(longhand, false) !== null;
    paired.set(longhand, known);
  }
  return known;
}
