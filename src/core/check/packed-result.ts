import type { PageResult } from './result-cache.js';
import type { ActionResult, Cell, OverriddenPair } from './verdict.js';

/** A lost pair with the numbers of its element and of what wins it. */
type PackedPair = [element: number, property: string, by: number];
type PackedCell = Omit<Cell, 'actions'> & {
  actions: (Omit<ActionResult, 'overridden'> & { overridden: PackedPair[] })[];
};

/** A page's result as it is written: what wins pairs once, and each element that loses, since most pairs of a page share them. */
export interface PackedResult extends Omit<PageResult, 'cells'> {
  cells: PackedCell[];
  winners: OverriddenPair['by'][];
  elements: string[];
}

/** The result as it is written. */
export function packed({ cells, ...result }: PageResult): PackedResult {
  const winners = numbered<OverriddenPair['by']>((by) => JSON.stringify(by));
  const elements = numbered<string>((element) => element);
  const withPairs = ({ actions, ...cell }: Cell): PackedCell => ({
    ...cell,
    actions: actions.map(({ overridden, ...action }) => ({
      ...action,
      overridden: overridden.map(({ element, property, by }): PackedPair => [
        elements.of(element),
        property,
        winners.of(by),
      ]),
    })),
  });
  return { ...result, cells: cells.map(withPairs), winners: winners.all, elements: elements.all };
}

/** Numbers values, those with the same key once. */
function numbered<T>(keyOf: (value: T) => string): { all: T[]; of: (value: T) => number } {
  const [known, numbers] = [new Map<T, number>(), new Map<string, number>()];
  const all: T[] = [];
  const of = (value: T) => {
    let number = known.get(value);
    if (number !== undefined) return number;
    const key = keyOf(value);
    number = numbers.get(key) ?? all.push(value) - 1;
    numbers.set(key, number);
    known.set(value, number);
    return number;
  };
  return { all, of };
}

/** The result that was packed; pairs share what wins them. Throws TypeError if it is damaged. */
export function unpacked({ cells, winners, elements, ...result }: PackedResult): PageResult {
  const told = <T>(all: T[], number: number): T => {
    const one = all[number];
    if (one === undefined) throw new TypeError('A kept result names what is not in it.');
    return one;
  };
  const withPairs = ({ actions, ...cell }: PackedCell): Cell => ({
    ...cell,
    actions: actions.map(({ overridden, ...action }) => ({
      ...action,
      overridden: overridden.map(([element, property, by]) => ({
        ...{ element: told(elements, element), property, by: told(winners, by) },
      })),
    })),
  });
  return { ...result, cells: cells.map(withPairs) };
}
