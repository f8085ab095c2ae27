import type { Verdict } from './verdict.js';

/**
 * How a verdict stands in a map of rules against pages, from the best to the worst: its sign where there is room for one, else how
 * much of its square is filled; so that none is told by its colour alone.
 */
export const verdictSigns: Record<Verdict, { tone: 'good' | 'sea' | 'odd' | 'bad'; sign: string; fill: number }> = {
  hit: { tone: 'good', sign: '✓', fill: 0.5 },
  pending: { tone: 'sea', sign: '…', fill: 0.5 },
  unjudged: { tone: 'sea', sign: '?', fill: 0.5 },
  'no-effect': { tone: 'odd', sign: '=', fill: 0.75 },
  partial: { tone: 'odd', sign: '~', fill: 0.75 },
  'no-match': { tone: 'bad', sign: '–', fill: 1 },
  overridden: { tone: 'bad', sign: '×', fill: 1 },
};

/** Worst last. */
export const verdictOrder = Object.keys(verdictSigns) as Verdict[];

/** Pages that stand in one column: one of them, or all of a group. */
export interface MapColumn<P> {
  group: string;
  pages: P[];
}

/** `/tickets` for all pages below it; `/` for those at the top. */
export const sectionOf = ({ path }: { path: string }): string => /^\/[^/?]+(?=\/)/.exec(path)?.[0] ?? '/';

/** The columns of a map, group by group: a page each, or a group each where there are more pages than `most`. */
export function mapColumns<P extends { path: string }>(
  pages: readonly P[],
  most: number,
  groupOf: (page: P) => string = sectionOf,
): MapColumn<P>[] {
  const groups = new Map<string, P[]>();
  for (const page of pages) {
    const group = groupOf(page);
    const own = groups.get(group);
    if (own) own.push(page);
    else groups.set(group, [page]);
  }
  return [...groups].flatMap(([group, own]) =>
    pages.length > most ? [{ group, pages: own }] : own.map((page) => ({ group, pages: [page] })),
  );
}

/** The worst verdict of each rule on the pages of a column, with the number of pages that have it. */
export function worstOf<R>(
  cells: readonly { rule: R; verdict: Verdict }[],
): Map<R, { verdict: Verdict; number: number }> {
  const worst = new Map<R, { verdict: Verdict; number: number }>();
  for (const { rule, verdict } of cells) {
    const known = worst.get(rule);
    if (known?.verdict === verdict) known.number++;
    else if (!known || verdictOrder.indexOf(verdict) > verdictOrder.indexOf(known.verdict))
      worst.set(rule, { verdict, number: 1 });
  }
  return worst;
}

/** Where a map has the names of its groups: from their first column to the end of their last one. */
export function mapHeads(
  columns: readonly { group: string; x: number }[],
  width: number,
): { group: string; from: number; to: number }[] {
  const heads: { group: string; from: number; to: number }[] = [];
  for (const { group, x } of columns) {
    const last = heads.at(-1);
    if (last?.group === group) last.to = x + width;
    else heads.push({ group, from: x, to: x + width });
  }
  return heads;
}
