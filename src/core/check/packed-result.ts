import type { PageResult } from './result-cache.js';
import type { ActionResult, Cell, OverriddenPair } from './verdict.js';

/** A lost pair with the number of what wins it. */
type PackedPair = [element: string, property: string, by: number];
type PackedCell = Omit<Cell, 'actions'> & {
  actions: (Omit<ActionResult, 'overridden'> & { overridden: PackedPair[] })[];
};

/** A page's result as it is written: what wins pairs once, though most pairs of a page are won by the same few declarations. */
export interface PackedResult extends Omit<PageResult, 'cells'> {
  cells: PackedCell[];
  winners: OverriddenPair['by'][];
}

/** The result as it is written. */
export function packed({ cells, ...result }: PageResult): PackedResult {
  const numbers = new Map<string, number>();
  const winners: OverriddenPair['by'][] = [];
  const numberOf = (by: OverriddenPair['by']): number => {
    const key = JSON.stringify(by);
    let number = numbers.get(key);
    if (number === undefined) {
      numbers.set(key, (number = winners.length));
      winners.push(by);
    }
    return number;
  };
  const withPairs = ({ actions, ...cell }: Cell): PackedCell => ({
    ...cell,
    actions: actions.map(({ overridden, ...action }) => ({
      ...action,
      overridden: overridden.map(({ element, property, by }): PackedPair => [element, property, numberOf(by)]),
    })),
  });
  return { ...result, cells: cells.map(withPairs), winners };
}

/** The result that was packed; pairs share what wins them. Throws TypeError if it is damaged. */
export function unpacked({ cells, winners, ...result }: PackedResult): PageResult {
  const winnerOf = (number: number): OverriddenPair['by'] => {
    const by = winners[number];
    if (!by) throw new TypeError('A kept result names a winner that is not there.');
    return by;
  };
  const withPairs = ({ actions, ...cell }: PackedCell): Cell => ({
    ...cell,
    actions: actions.map(({ overridden, ...action }) => ({
      ...action,
      overridden: overridden.map(([element, property, by]) => ({ element, property, by: winnerOf(by) })),
    })),
  });
  return { ...result, cells: cells.map(withPairs) };
}
