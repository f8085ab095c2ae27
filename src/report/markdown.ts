import type { Finding } from '../core/finding.js';
import type { CheckReport } from '../core/check/verdict.js';
import { groupFindings } from './check-text.js';
import { count, printable } from './text.js';

/** Findings that a summary names; a comment is read, not searched. */
const mostFindings = 20;
/** Letters of a message that a cell of a table takes. */
const mostLetters = 300;

/** Text of pages and rules as it stands in a table of Markdown: no link, no HTML, no other cell (GitHub Flavored Markdown). */
function safe(text: string): string {
  const one = printable(text).replace(/\s+/g, ' ').trim();
  const short = one.length > mostLetters ? `${one.slice(0, mostLetters)}…` : one;
  // Addresses become no links, and nobody is called by an @.
  return short.replace(/[\\`*_[\]#!|<>~&]|:(?=\/\/)/g, '\\$&').replace(/@(?=\w)/g, '@\u200b');
}

/** Text as code, whatever stands in it. */
function code(text: string): string {
  const one = printable(text).replace(/\s+/g, ' ').replace(/\|/g, '\\|');
  const fence = one.includes('`') ? '``' : '`';
  return one === '' ? '' : `${fence}${fence === '``' ? ' ' : ''}${one}${fence === '``' ? ' ' : ''}${fence}`;
}

/** A check in a few lines of Markdown, for a comment in a review. `base`: see FileContext. */
export function checkMarkdown(report: CheckReport, base: string): string {
  const { site, viewport, state, visitor, cells, totals, findings, accepted } = report;
  const how = [viewport, state, visitor && `as ${visitor}`].filter((each) => each).join(', ');
  const verdicts = [...new Set(cells.map(({ verdict }) => verdict))].map(
    (verdict) => `${cells.filter((cell) => cell.verdict === verdict).length} ${verdict}`,
  );
  const groups = groupFindings(findings);
  const named = groups.slice(0, mostFindings).map((group) => rowOf(group, base));
  const lines = [
    `**${safe(site)}** at ${safe(how)}: **${count(totals.errors, 'error')}**, ${count(totals.warnings, 'warning')}${accepted > 0 ? `, ${accepted} accepted` : ''}`,
    '',
    `${count(totals.rules, 'rule')}, ${count(totals.pages, 'page')}, ${count(cells.length, 'cell')}${verdicts.length > 0 ? `: ${verdicts.join(', ')}` : ''}.`,
    ...(named.length > 0 ? ['', '| | Rule | What is wrong, and what to do |', '| --- | --- | --- |', ...named] : []),
    ...(groups.length > mostFindings ? ['', `And ${groups.length - mostFindings} more.`] : []),
  ];
  return `${lines.join('\n')}\n`;
}

function rowOf(group: Finding[], base: string): string {
  const [first] = group;
  if (!first) return '';
  const { level, code: name, rule, at, message, hint } = first;
  const others = group.length > 1 ? ` (${group.length} times)` : '';
  const place = at ? `<br>${code(`${base}${at.file}:${at.line}`)}` : '';
  return `| ${level}<br>${code(name)} | ${rule ? code(rule) : ''}${place} | ${safe(message)}${others}${hint ? `<br>→ ${safe(hint)}` : ''} |`;
}
