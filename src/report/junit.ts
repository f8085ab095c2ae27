import { XMLBuilder } from 'fast-xml-parser';
import { fixTitles } from './fixes.js';
import type { Finding } from '../core/finding.js';
import type { Cell, CheckReport } from '../core/check/verdict.js';
import { printable } from './text.js';

/** A check as JUnit's XML: a case for each rule and page, and one for each finding that belongs to no page. `base`: see FileContext. */
export function checkJunit(report: CheckReport, base: string): string {
  const rules = new Map(report.rules.map((each) => [each.rule, each]));
  const ofCell = new Map<string, Finding[]>();
  const cellKey = ({ rule, page }: { rule: string | null; page: string | null }) => JSON.stringify([rule, page]);
  const cells = new Set(report.cells.map(cellKey));
  const others: Finding[] = [];
  for (const finding of report.findings) {
    const key = cellKey(finding);
    if (!cells.has(key)) others.push(finding);
    else ofCell.set(key, [...(ofCell.get(key) ?? []), finding]);
  }
  const cases = [
    ...report.cells.map((cell) => {
      const { file = '', line = 1 } = rules.get(cell.rule) ?? {};
      return caseOf(cell, ofCell.get(cellKey(cell)) ?? [], base + file, line, base);
    }),
    ...others.map((finding) => ({
      '@name': xml(
        `${finding.code}${finding.rule ? `: ${finding.rule}` : ''}${finding.page ? ` on ${finding.page}` : ''}`,
      ),
      '@classname': xml(finding.at ? base + finding.at.file : report.site),
      ...told([finding], base),
    })),
  ];
  const failures = cases.filter((each) => 'failure' in each).length;
  const skipped = cases.filter((each) => 'skipped' in each).length;
  const counts = { '@tests': cases.length, '@failures': failures, '@errors': 0, '@skipped': skipped };
  const builder = new XMLBuilder({ ignoreAttributes: false, attributeNamePrefix: '@', format: true });
  const suite = { '@name': xml(`local-needle ${report.site} at ${report.viewport}`), ...counts, testcase: cases };
  return builder.build({
    '?xml': { '@version': '1.0', '@encoding': 'UTF-8' },
    testsuites: { '@name': 'local-needle', ...counts, testsuite: suite },
  });
}

function caseOf(cell: Cell, findings: Finding[], file: string, line: number, base: string) {
  const skipped = cell.verdict === 'unjudged' || cell.verdict === 'pending';
  return {
    '@name': xml(`${cell.rule} on ${cell.page}`),
    '@classname': xml(file),
    '@file': xml(file),
    '@line': line,
    ...told(findings, base),
    ...(skipped && !findings.some(({ level }) => level === 'error')
      ? { skipped: { '@message': 'Only a browser can tell: local-needle check --browser' } }
      : {}),
  };
}

/** Errors fail a case; warnings are its output. */
function told(findings: Finding[], base: string) {
  const text = (finding: Finding) => {
    const { code, message, hint, at } = finding;
    const fixes = fixTitles([finding]).map((title) => `\nFix: ${title}`);
    return xml(
      `${code}${at ? ` ${base}${at.file}:${at.line}:${at.column}` : ''}\n${message}${hint ? `\n${hint}` : ''}${fixes.join('')}`,
    );
  };
  const errors = findings.filter(({ level }) => level === 'error');
  const warnings = findings.filter(({ level }) => level === 'warning');
  return {
    ...(errors.length > 0
      ? { failure: errors.map((each) => ({ '@message': xml(each.message), '@type': each.code, '#text': text(each) })) }
      : {}),
    ...(warnings.length > 0 ? { 'system-out': warnings.map(text).join('\n\n') } : {}),
  };
}

/** XML 1.0 knows no control characters, however they are written. */
const xml = (text: string) =>
  text
    .split('\n')
    .map(printable)
    .join('\n')
    .replace(/[\ud800-\udfff\ufffe\uffff]/gu, '?');
