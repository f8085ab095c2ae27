import type { CodeLens } from 'vscode-languageserver/node';
import type { CheckReport, Verdict } from '../core/check/verdict.js';
import { rangeOf } from './places.js';

/** What each rule of a file does, above it. */
export function lensesOf(report: CheckReport, file: string, text: string): CodeLens[] {
  return report.rules
    .filter((each) => each.file === file)
    .map(({ rule, line, pages, status }) => {
      const range = rangeOf(text, { file, line, column: 1 });
      const verdicts = report.cells.filter((cell) => cell.rule === rule).map(({ verdict }) => verdict);
      const title = status === 'active' ? verdictText(verdicts, pages.length) : status;
      return { range: { start: range.start, end: range.start }, command: { title, command: '' } };
    });
}

/** `hits 3 of 3 pages`, and what it is on the others. */
export function verdictText(verdicts: Verdict[], pages: number): string {
  if (pages === 0) return 'no page';
  const counts = new Map<Verdict, number>();
  for (const verdict of verdicts) counts.set(verdict, (counts.get(verdict) ?? 0) + 1);
  const others = [...counts]
    .filter(([verdict]) => verdict !== 'hit')
    .map(([verdict, count]) => `${verdict} on ${count}`);
  return [`hits ${counts.get('hit') ?? 0} of ${pages} ${pages === 1 ? 'page' : 'pages'}`, ...others].join(', ');
}
