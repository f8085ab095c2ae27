import type { Finding } from '../core/finding.js';
import type { CheckReport } from '../core/check/verdict.js';

/** How many items of a list are in a part. */
const itemsInPart = 200;

/** A report without what was not tried. */
export function plainReport(report: CheckReport): CheckReport {
  const plain = ({ proposals: _untried, ...finding }: Finding): Finding => finding;
  return { ...report, findings: report.findings.map(plain), notes: report.notes.map(plain) };
}

/** A report as JSON, in parts of whole lines: one of a large site is longer than a text can be. */
export function* jsonParts(report: CheckReport): Iterable<string> {
  const entries = Object.entries(plainReport(report)).filter(([, value]) => value !== undefined);
  yield '{';
  for (const [index, [key, value]] of entries.entries()) {
    const end = index === entries.length - 1 ? '' : ',';
    if (!Array.isArray(value) || value.length === 0) {
      yield `  ${JSON.stringify(key)}: ${indented(value, '  ')}${end}`;
      continue;
    }
    yield `  ${JSON.stringify(key)}: [`;
    for (let at = 0; at < value.length; at += itemsInPart) {
      const items = value.slice(at, at + itemsInPart).map((each) => `    ${indented(each, '    ')}`);
      yield items.join(',\n') + (at + itemsInPart < value.length ? ',' : '');
    }
    yield `  ]${end}`;
  }
  yield '}';
}

const indented = (value: unknown, by: string) => JSON.stringify(value, null, 2).replaceAll('\n', `\n${by}`);

/** A report as JSON in one text. */
export const reportJson = (report: CheckReport) => [...jsonParts(report)].join('\n');
