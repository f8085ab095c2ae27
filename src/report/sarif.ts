import { explainedBy, findingCodes, type Finding } from '../core/finding.js';
import type { CheckReport } from '../core/check/verdict.js';

/** The findings of a check as SARIF 2.1.0, so that code review shows each on the line of its rule. */
export function checkSarif(report: CheckReport, version: string): string {
  const codes = [...new Set(report.findings.map(({ code }) => code))].sort();
  const log = {
    $schema: 'https://json.schemastore.org/sarif-2.1.0.json',
    version: '2.1.0',
    runs: [
      {
        tool: {
          driver: {
            name: 'Local Needle',
            semanticVersion: version,
            rules: codes.map((code) => ({
              id: code,
              shortDescription: { text: findingCodes[code].means },
              defaultConfiguration: { level: findingCodes[code].level },
              help: { text: `Run ${explainedBy(code)} for an example and what to do.` },
            })),
          },
        },
        columnKind: 'utf16CodeUnits',
        results: report.findings.map((each) => resultOf(each, codes.indexOf(each.code))),
      },
    ],
  };
  return `${JSON.stringify(log, null, 2)}\n`;
}

function resultOf({ code, level, rule, page, at, message, hint }: Finding, ruleIndex: number) {
  const text = `${message.replace(/\.?$/, '.')}${hint ? ` ${hint}` : ''}`;
  return {
    ruleId: code,
    ruleIndex,
    level,
    message: { text },
    ...(at
      ? {
          locations: [
            {
              physicalLocation: {
                artifactLocation: { uri: at.file.split('/').map(encodeURIComponent).join('/') },
                region: { startLine: at.line, startColumn: at.column },
              },
            },
          ],
        }
      : {}),
    properties: { ...(rule === null ? {} : { rule }), ...(page === null ? {} : { page }) },
  };
}
