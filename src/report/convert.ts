import type { ConvertResult } from '../core/convert/convert.js';
import type { Site } from '../core/page/page.js';
import { count, firstFew, printable, shortened, table, wrapped, type Style } from './text.js';

/** Files that `convert` wrote, or would write. */
export interface ConvertedFiles {
  rules: string;
  scripts: string[];
  leftovers: string[];
}

/** What was converted, what was left and why, and the proof that nothing changed. */
export function convertText(
  result: ConvertResult,
  files: ConvertedFiles,
  site: Site,
  style: Style,
  isTry: boolean,
): string {
  const { colour } = style;
  const { converted, left, proof } = result;
  const columns = [{ title: 'rule' }, { title: 'pages', shorten: 24 }, { title: 'what' }, { title: 'from' }];
  const rows = converted.map(({ rule, condition, what, at }) => [
    colour.bold(rule),
    printable(condition),
    what,
    colour.dim(`${printable(at.file)}:${at.line}`),
  ]);
  const lines =
    converted.length > 0
      ? [`${count(converted.length, 'rule')} ${isTry ? 'for' : 'in'} ${files.rules}`, '', table(columns, rows, style)]
      : ['Nothing in these files is for single pages.'];
  if (left.length > 0) {
    lines.push(
      '',
      `${colour.amber('unscoped')}  ${count(left.length, 'thing')} left${files.leftovers.length > 0 ? ` in ${files.leftovers.join(', ')}` : ''}`,
    );
    for (const { at, what, pages, reason } of left) {
      const touches =
        pages.length === 0
          ? reason === 'unscoped'
            ? 'affects no captured page'
            : reason
          : `${reason === 'unscoped' ? '' : `${reason}; `}affects ${pages.length === site.pages.length ? `all ${count(pages.length, 'page')}` : `${count(pages.length, 'page')}: ${firstFew(pages.map(printable), 3)}`}`;
      lines.push(
        wrapped(
          `  ${printable(at.file)}:${at.line}  ${printable(shortened(what, 50))}  ${colour.dim(touches)}`,
          style,
          2,
        ),
      );
    }
  }
  const { differences } = proof;
  lines.push('');
  if (differences.length === 0)
    lines.push(
      `${colour.green('Verified')} on ${count(proof.pages, 'page')} at ${count(proof.viewports, 'viewport')}${proof.states.length > 0 ? ` (${proof.states.join(' ')} too)` : ''}: every element looks as it did with the old files.\n  ${proof.touched} of ${proof.elements} elements are matched by the converted CSS or the rules; the ${proof.values} values that these set there were compared.\n  All other values follow from the same declarations as before.`,
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
