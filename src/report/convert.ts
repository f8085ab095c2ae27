import type { ConvertResult } from '../core/convert/convert.js';
import type { Site } from '../core/page/page.js';
import { count, firstFew, printable, shortened, type Style } from './text.js';

/** Files that `convert` wrote, or would write. */
export interface ConvertedFiles {
  rules: string;
  scripts: string[];
  leftovers: string[];
}

/** What was converted, what was left and why, and what proves that nothing changed. */
export function convertText(
  result: ConvertResult,
  files: ConvertedFiles,
  site: Site,
  style: Style,
  isTry: boolean,
): string {
  const { colour } = style;
  const { converted, left, proof } = result;
  const rows = converted.map(({ rule, condition, what, at }) => [
    rule,
    printable(shortened(condition, 48)),
    what,
    `${at.file}:${at.line}`,
  ]);
  const widths = [0, 1, 2].map((column) => Math.max(...rows.map((row) => row[column]?.length ?? 0), 0));
  const lines = [
    converted.length > 0
      ? `${count(converted.length, 'rule')} ${isTry ? 'for' : 'in'} ${files.rules}`
      : 'Nothing in these files is for single pages.',
    ...rows.map(([rule = '', condition = '', what = '', from = '']) => {
      const [first = 0, second = 0, third = 0] = widths;
      return `  ${colour.bold(rule.padEnd(first))}  ${condition.padEnd(second)}  ${what.padEnd(third)}  ${colour.dim(from)}`;
    }),
  ];
  if (left.length > 0) {
    lines.push(
      '',
      `${colour.amber('unscoped')}  ${count(left.length, 'thing')} left${files.leftovers.length > 0 ? ` in ${files.leftovers.join(', ')}` : ''}`,
    );
    for (const { at, what, pages, reason } of left) {
      const touches =
        pages.length === 0
          ? reason === 'unscoped'
            ? 'touches no captured page'
            : reason
          : `${reason === 'unscoped' ? '' : `${reason}; `}touches ${pages.length === site.pages.length ? `all ${count(pages.length, 'page')}` : `${count(pages.length, 'page')}: ${firstFew(pages.map(printable), 3)}`}`;
      lines.push(`  ${at.file}:${at.line}  ${printable(shortened(what, 50))}  ${colour.dim(touches)}`);
    }
  }
  const { differences } = proof;
  lines.push('');
  if (differences.length === 0)
    lines.push(
      `${colour.green('Verified')} on ${count(proof.pages, 'page')} at ${count(proof.viewports, 'viewport')}${proof.states.length > 0 ? ` (${proof.states.join(' ')} too)` : ''}: every element looks as it did with the old files.\n  ${proof.elements} elements, ${proof.values} values compared.`,
    );
  else {
    lines.push(`${colour.red('Not the same')}: ${count(differences.length, 'value')} would change.`);
    for (const { page, element, property, before, after } of differences.slice(0, 10))
      lines.push(`  ${printable(page.path)} ${element} ${property}: ${printable(before)} → ${printable(after)}`);
  }
  if (files.scripts.length > 0) lines.push(`Scripts are not verified. Check ${firstFew(files.scripts, 3)} yourself.`);
  if (!isTry && converted.length > 0)
    lines.push(
      `Next: local-needle check, then put ${files.leftovers.length > 0 ? `${files.leftovers.join(', ')} in place of the old files` : 'the old files away'} and build.`,
    );
  return lines.join('\n');
}
