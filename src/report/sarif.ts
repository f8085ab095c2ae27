import { createHash } from 'node:crypto';
import { explainedBy, findingCodes, type Finding, type FindingCode } from '../core/finding.js';
import type { Fix } from '../core/fix/fixes.js';
import type { CheckReport } from '../core/check/verdict.js';
import { explanationOf } from './explanation.js';

/** What a report of files says besides the check: the docs of its findings, and where the project is in its repository. */
export interface FileContext {
  version: string;
  /** The text of docs/findings.md. */
  docs: string;
  /** The folder of the project in its repository, with a slash at its end; empty where they are the same. */
  base: string;
  /** The text of a file of the project, for the lines of its edits. */
  textOf: (file: string) => string;
}

/** The findings of a check as SARIF 2.1.0, so that code review shows each on the line of its rule. */
export function checkSarif(report: CheckReport, { version, docs, base, textOf }: FileContext): string {
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
              help: helpOf(code, docs),
            })),
          },
        },
        columnKind: 'utf16CodeUnits',
        results: report.findings.map((each, index, all) =>
          resultOf(each, codes.indexOf(each.code), { base, textOf }, fingerprint(each, all.slice(0, index))),
        ),
      },
    ],
  };
  return `${JSON.stringify(log, null, 2)}\n`;
}

function helpOf(code: FindingCode, docs: string) {
  const markdown = explanationOf(code, docs)?.finding ?? '';
  return { text: `${markdown}\n\nThe same in a terminal: ${explainedBy(code)}`, markdown };
}

/** Tells findings apart by what they are about, so that a moved line is the same finding; equal ones are numbered. */
function fingerprint(each: Finding, before: Finding[]): string {
  const about = ({ code, rule, page, at, message }: Finding) =>
    JSON.stringify([code, rule, page, at?.file, message.replace(/:\d+\b/g, '')]);
  const own = about(each);
  const same = before.filter((other) => about(other) === own).length;
  return createHash('sha256').update(`${own} ${same}`).digest('hex').slice(0, 32);
}

function resultOf(
  { code, level, rule, page, at, message, hint, fixes }: Finding,
  ruleIndex: number,
  { base, textOf }: Pick<FileContext, 'base' | 'textOf'>,
  identity: string,
) {
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
                artifactLocation: { uri: uriOf(base + at.file) },
                region: { startLine: at.line, startColumn: at.column },
              },
            },
          ],
        }
      : {}),
    ...(fixes ? { fixes: fixes.map((fix) => fixOf(fix, { base, textOf })) } : {}),
    partialFingerprints: { 'localNeedle/v1': identity },
    properties: { ...(rule === null ? {} : { rule }), ...(page === null ? {} : { page }) },
  };
}

const uriOf = (file: string) => file.split('/').map(encodeURIComponent).join('/');

/** A fix with its edits by file (SARIF 2.1.0, 3.55). */
function fixOf({ title, edits }: Fix, { base, textOf }: Pick<FileContext, 'base' | 'textOf'>) {
  const files = [...new Set(edits.map(({ file }) => file))];
  return {
    description: { text: title },
    artifactChanges: files.map((file) => ({
      artifactLocation: { uri: uriOf(base + file) },
      replacements: edits
        .filter((edit) => edit.file === file)
        .map(({ start, end, newText }) => {
          const [from, to] = [start, end].map((offset) => positionIn(textOf(file), offset));
          return {
            deletedRegion: {
              startLine: from?.line,
              startColumn: from?.column,
              endLine: to?.line,
              endColumn: to?.column,
            },
            insertedContent: { text: newText },
          };
        }),
    })),
  };
}

/** Line and column of an offset, counted from 1. */
function positionIn(text: string, offset: number): { line: number; column: number } {
  const before = text.slice(0, offset);
  return { line: before.split('\n').length, column: offset - before.lastIndexOf('\n') };
}
