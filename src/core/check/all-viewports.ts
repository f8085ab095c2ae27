import { byLevel, levelCounts, type Finding } from '../finding.js';
import { checkEach } from './check.js';
import type { CheckInput } from './input.js';
import type { CheckReport, Variation, Verdict } from './verdict.js';

/** Checks at every viewport: the report at the first, where verdicts vary, and what is found at the others alone. */
export function checkAllViewports(input: CheckInput): CheckReport & { variations: Variation[] } {
  const others = input.viewports.filter(({ name }) => name !== input.viewport);
  const [main, ...reports] = checkEach([input, ...others.map(({ name }) => ({ ...input, viewport: name }))]);
  if (!main) throw new Error('A check gave no report');
  const at = new Map<string, Record<string, Verdict>>();
  for (const { viewport, cells } of [main, ...reports])
    for (const { rule, page, verdict } of cells) {
      const key = JSON.stringify([rule, page]);
      at.set(key, { ...at.get(key), [viewport]: verdict });
    }
  const variations = [...at].flatMap(([key, verdicts]) => {
    const [rule = '', page = ''] = JSON.parse(key) as string[];
    return new Set(Object.values(verdicts)).size > 1 ? [{ rule, page, verdicts }] : [];
  });
  // A rule for one viewport does nothing at the others; that is not a fault.
  const works = ({ rule, page }: Finding) =>
    variations.some((each) => each.rule === rule && each.page === page && Object.values(each.verdicts).includes('hit'));
  const kept = (finding: Finding) => finding.code !== 'no-effect' || !works(finding);
  const same = ({ code, rule, page, at: place }: Finding) => JSON.stringify([code, rule, page, place]);
  const known = new Set(main.findings.map(same));
  const more = reports.flatMap(({ viewport, findings }) =>
    findings
      .filter((each) => kept(each) && !known.has(same(each)) && known.add(same(each)))
      .map((each) => ({ ...each, message: `at ${viewport}: ${each.message}` })),
  );
  const findings = [...main.findings.filter(kept), ...more].sort(byLevel);
  return {
    ...main,
    findings,
    totals: { ...main.totals, ...levelCounts(findings) },
    variations,
  };
}
