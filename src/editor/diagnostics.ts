import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import {
  DiagnosticSeverity,
  DiagnosticTag,
  type Diagnostic,
  type DiagnosticRelatedInformation,
} from 'vscode-languageserver/node';
import { packageFolder } from '../../demo/site.js';
import type { CheckReport } from '../core/check/verdict.js';
import type { Finding, Level } from '../core/finding.js';
import type { Problem } from '../core/place.js';
import type { LiveProject, LiveReading } from '../app/live-project.js';
import { rangeOf, topOfFile, winnerFile } from './places.js';

const severities: Record<Level, DiagnosticSeverity> = {
  error: DiagnosticSeverity.Error,
  warning: DiagnosticSeverity.Warning,
  note: DiagnosticSeverity.Information,
};

let findingsAddress: string | null = null;
const findingsPage = () => (findingsAddress ??= pathToFileURL(join(packageFolder(), 'docs', 'findings.md')).href);

export const source = 'local-needle';
const settingsFile = 'local-needle.yaml';

/**
 * The diagnostics of a report by file, or of one file alone; those without a place stand at the top of
 * local-needle.yaml.
 */
export function diagnosticsOf(
  report: CheckReport,
  { opened, project }: LiveReading,
  live: LiveProject,
  only: string | null = null,
): Map<string, Diagnostic[]> {
  const isAsked = (file: string) => only === null || file === only;
  const found = new Map<string, Diagnostic[]>();
  const add = (file: string, diagnostic: Diagnostic) => found.set(file, [...(found.get(file) ?? []), diagnostic]);
  const all = [...report.findings, ...report.notes].filter(({ at }) => isAsked(at?.file ?? settingsFile));
  for (const group of alike(all)) {
    const [first] = group;
    if (!first) continue;
    const file = first.at?.file ?? settingsFile;
    add(file, {
      range: first.at ? rangeOf(live.textOf(file) ?? '', first.at) : topOfFile,
      severity: severities[first.level],
      code: first.code,
      codeDescription: { href: `${findingsPage()}#${first.code}` },
      source,
      message: messageOf(group),
      ...(first.code === 'expired' ? { tags: [DiagnosticTag.Unnecessary] } : {}),
      relatedInformation: winners(first, report, (name) => winnerFile(name, { opened, project })),
    });
  }
  for (const rule of project.rules.filter(({ paused, at }) => paused && isAsked(at.file))) {
    const text = live.textOf(rule.at.file) ?? '';
    add(rule.at.file, {
      range: rangeOf(text, rule.at),
      severity: DiagnosticSeverity.Hint,
      source,
      message: `"${rule.name}" is paused: it is not checked and does not ship`,
      tags: [DiagnosticTag.Unnecessary],
    });
  }
  for (const [file, problems] of problemDiagnostics(project.problems, live))
    for (const each of problems) add(file, each);
  return found;
}

/** What keeps files from being read, by file. */
export function problemDiagnostics(problems: Problem[], live: LiveProject): Map<string, Diagnostic[]> {
  const found = new Map<string, Diagnostic[]>();
  for (const { message, at, hint } of problems) {
    const file = at?.file ?? settingsFile;
    const diagnostic: Diagnostic = {
      range: at ? rangeOf(live.textOf(file) ?? '', at) : topOfFile,
      severity: DiagnosticSeverity.Error,
      source,
      message: `${message}.${hint ? ` ${hint}` : ''}`,
    };
    found.set(file, [...(found.get(file) ?? []), diagnostic]);
  }
  return found;
}

/** Findings of one place that differ in their page alone. */
function alike(findings: Finding[]): Finding[][] {
  const groups = new Map<string, Finding[]>();
  for (const each of findings) {
    const said = each.page === null ? each.message : each.message.split(each.page).join('…');
    const key = JSON.stringify([each.code, each.rule, each.at, said, each.hint]);
    groups.set(key, [...(groups.get(key) ?? []), each]);
  }
  return [...groups.values()];
}

function messageOf(group: Finding[]): string {
  const [first] = group;
  if (!first) return '';
  const others = group.slice(1).flatMap(({ page }) => page ?? []);
  const more = others.length > 3 ? ` and ${others.length - 3} more` : '';
  const same = others.length === 0 ? '' : ` The same on ${others.slice(0, 3).join(', ')}${more}.`;
  return `${first.message.replace(/\.?$/, '.')}${first.hint ? ` ${first.hint}` : ''}${same}`;
}

/** The declarations that win, in rule files and in the site's pages and stylesheets. */
function winners(
  { rule, page, code }: Finding,
  { cells }: CheckReport,
  fileOf: (name: string) => string | null,
): DiagnosticRelatedInformation[] {
  if (code !== 'overridden' && code !== 'partial') return [];
  const cell = cells.find((each) => each.rule === rule && each.page === page);
  const lost = cell?.actions.flatMap(({ overridden }) => overridden) ?? [];
  const places = new Map(lost.map(({ by, property }) => [`${by.file}:${by.line} ${property}`, { by, property }]));
  return [...places.values()].slice(0, 5).flatMap(({ by, property }) => {
    const file = by.line < 1 ? null : fileOf(by.file);
    if (file === null) return [];
    const start = { line: by.line - 1, character: 0 };
    return [
      {
        location: { uri: pathToFileURL(file).href, range: { start, end: start } },
        message: `${by.selector} wins ${property}`,
      },
    ];
  });
}
