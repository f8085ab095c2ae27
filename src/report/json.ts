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
      yield property(key, value) + end;
      continue;
    }
    yield `  ${JSON.stringify(key)}: [`;
    for (let at = 0; at < value.length; at += itemsInPart) {
      const items = property('', value.slice(at, at + itemsInPart)).slice('  "": [\n'.length, -'\n  ]'.length);
      yield items + (at + itemsInPart < value.length ? ',' : '');
    }
    yield `  ]${end}`;
  }
  yield '}';
}

/** A property of the report's object, with its value. */
const property = (key: string, value: unknown) =>
  JSON.stringify({ [key]: value }, null, 2).slice('{\n'.length, -'\n}'.length);

/** A report as JSON in one text. */
export const reportJson = (report: CheckReport) => [...jsonParts(report)].join('\n');
