import { finding, type Finding } from '../finding.js';
import type { CheckReport, Verdict } from './verdict.js';

/** The verdicts of an accepted check: by how it looked, by rule, by page. */
export type Accepted = Record<string, Record<string, Record<string, Verdict>>>;

/**
 * The site, viewport, state and visitor of a check: `live`, or `live phone scrolled member` where they are not the
 * defaults.
 */
export const lookOf = ({ site, viewport, state, visitor }: CheckReport, usual: string) =>
  [site, viewport === usual ? '' : viewport, state ?? '', visitor ?? ''].filter(Boolean).join(' ');

/** The verdicts with those of this report in place of what was known of the same look. */
export function accept(known: Accepted, report: CheckReport, usual: string): Accepted {
  const rules: Accepted[string] = {};
  for (const { rule, page, verdict } of report.cells) rules[rule] = { ...rules[rule], [page]: verdict };
  return { ...known, [lookOf(report, usual)]: rules };
}

/**
 * Cells that were hits at the last accepted check and are not now. A rule that was removed or paused does not count.
 */
export function noLongerHitSince(known: Accepted, report: CheckReport, usual: string): Finding[] {
  const before = known[lookOf(report, usual)] ?? {};
  const now = new Map(report.cells.map((cell) => [JSON.stringify([cell.rule, cell.page]), cell.verdict]));
  return report.rules
    .filter(({ paused }) => !paused)
    .flatMap(({ rule, file, line }) =>
      Object.entries(before[rule] ?? {}).flatMap(([page, verdict]) => {
        const current = now.get(JSON.stringify([rule, page]));
        if (verdict !== 'hit' || current === 'hit') return [];
        const how = current === undefined ? `no longer targets ${page}` : `no longer hits ${page}: it is ${current}`;
        return [
          finding('no-longer-hit', `"${rule}" ${how}`, {
            rule,
            page,
            at: { file, line, column: 1 },
            hint:
              current === undefined
                ? 'The page is gone or its handles changed. If that is intended, run local-needle check --accept.'
                : `local-needle why ${rule} ${page} explains it. If it is intended, run local-needle check --accept.`,
          }),
        ];
      }),
    );
}
