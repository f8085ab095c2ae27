import { createTwoFilesPatch } from 'diff';
import type { Finding } from '../core/finding.js';
import { mostTried, type Mended } from '../core/fix/fixes.js';
import type { Problem } from '../core/place.js';
import { count, printable, wrapped, type Style } from './text.js';

/** Changes to files, and the findings that they mend or could mend. */
export interface ShownFixes {
  files: ReadonlyMap<string, { before: { text: string }; after: string }>;
  /** What kept files from being read. */
  problems: { problem: Problem; fix: { title: string } }[];
  applied: Mended[];
  choices: Mended[];
  /** Whether there were more changes than are tried in one run. */
  isCut: boolean;
}

/** What a plan changes, as a unified diff. */
export function diffText({ files }: Pick<ShownFixes, 'files'>, { colour }: Style): string {
  return [...files]
    .map(([file, { before, after }]) =>
      createTwoFilesPatch(file, file, before.text, after, undefined, undefined, { context: 2 }),
    )
    .join('\n')
    .split('\n')
    .filter((line) => !/^(=+$|Index: |\\ No newline)/.test(line))
    .map((line) => {
      const shown = printable(line.replace(/\r$/, ''));
      if (/^(---|\+\+\+) /.test(line)) return colour.bold(shown.trimEnd());
      if (line.startsWith('@@')) return colour.cyan(shown);
      return line.startsWith('+') ? colour.green(shown) : line.startsWith('-') ? colour.red(shown) : shown;
    })
    .join('\n')
    .trimEnd();
}

/** What was mended and with which result, and what is left to choose. */
export function fixesText(shown: ShownFixes, style: Style, isTrial: boolean): string {
  const { problems, applied, choices, files, isCut } = shown;
  const { colour } = style;
  const cut = isCut ? [`Only ${mostTried} changes are tried in one run: name rules to try others.`] : [];
  if (problems.length + applied.length + choices.length === 0) return cut[0] ?? 'No finding has a fix that is certain.';
  const unread = problems.map(({ problem: { at, message }, fix }) =>
    wrapped(
      `${colour.green('✔')} ${at ? `${printable(at.file)}:${at.line}  ` : ''}${printable(message)}: ${printable(fix.title)}`,
      style,
      2,
    ),
  );
  const made = grouped(applied).map((some) =>
    wrapped(
      `${colour.green('✔')} ${placeText(some[0])}: ${printable(some[0]?.fixes[0]?.title ?? '')}${resultText(some)}`,
      style,
      2,
    ),
  );
  const lines = [...unread, ...made];
  for (const { finding, fixes } of choices) {
    lines.push(
      wrapped(`${colour.amber('?')} ${placeText({ finding })}: ${printable(finding.message)}. Choose one:`, style, 2),
    );
    for (const fix of fixes)
      lines.push(wrapped(`    ${printable(fix.title)}${resultText([{ finding, fixes: [fix] }])}`, style, 6));
  }
  const counts = [
    ...(problems.length > 0 ? [count(problems.length, 'problem')] : []),
    ...(applied.length > 0 ? [count(applied.length, 'finding')] : []),
  ];
  const mended = `${counts.join(' and ')} in ${count(files.size, 'file')}`;
  if (counts.length > 0)
    lines.push('', isTrial ? `Would mend ${mended}. Nothing was written (--dry-run).` : `Mended ${mended}.`);
  return [...lines, ...cut].join('\n');
}

/** The fixes of findings with what follows from each; a change that mends several of them once. */
export function fixTitles(findings: readonly Finding[]): string[] {
  const all = findings.flatMap((finding) => (finding.fixes ?? []).map((fix): Mended => ({ finding, fixes: [fix] })));
  const changes = new Map<string, Mended[]>();
  for (const each of all) {
    const key = JSON.stringify(each.fixes[0]?.edits);
    changes.set(key, [...(changes.get(key) ?? []), each]);
  }
  return [...changes.values()].map((some) => (some[0]?.fixes[0]?.title ?? '') + resultText(some));
}

/** Findings of one place that one change mends. */
function grouped(applied: Mended[]): Mended[][] {
  const groups = new Map<string, Mended[]>();
  for (const each of applied) {
    const key = JSON.stringify([each.finding.code, each.finding.at, each.fixes[0]?.edits]);
    groups.set(key, [...(groups.get(key) ?? []), each]);
  }
  return [...groups.values()];
}

function placeText(mended: Pick<Mended, 'finding'> | undefined): string {
  if (!mended) return '';
  const { at, rule, code } = mended.finding;
  return [code, at ? `${printable(at.file)}:${at.line}` : '', rule === null ? '' : printable(rule)]
    .filter(Boolean)
    .join('  ');
}

/** The verdicts that follow, on the pages of the findings. */
function resultText(some: Mended[]): string {
  const results = some.flatMap(({ finding: { page }, fixes: [fix] }) =>
    fix?.result && page !== null ? [{ page, ...fix.result }] : [],
  );
  if (results.length === 0) return '';
  const elements = results.reduce((sum, each) => sum + each.elements, 0);
  const verdicts = [...new Set(results.map(({ verdict }) => verdict))].join(', ');
  const where = results.length === 1 ? printable(results[0]?.page ?? '') : count(results.length, 'page');
  return ` (${verdicts} on ${where}, ${count(elements, 'element')})`;
}
