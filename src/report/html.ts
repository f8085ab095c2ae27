import escape from 'escape-html';
import { findingCodes, type Finding } from '../core/finding.js';
import { reasonText } from '../core/check/judge.js';
import type { ActionResult, Cell, CheckReport, Verdict } from '../core/check/verdict.js';
import { groupFindings } from './check-text.js';
import { count, printable } from './text.js';
import { fixTitles } from './fixes.js';
import { mapHtml } from './map.js';
import { reportScript, reportStyle } from './html-parts.js';

/** Escapes text from pages and rules. */
const safe = (text: string) => escape(printable(text));

/** How a report came to be. */
export interface Making {
  command: string;
  version: string;
  /** `2026-11-26`. */
  day: string;
}

/** A check as one self-contained page: findings first, then each rule with its verdicts, then each page. */
export function checkHtml(report: CheckReport, { command, version, day }: Making): string {
  const { site, viewport, totals, cells, findings, notes } = report;
  const verdicts = [...new Set(cells.map(({ verdict }) => verdict))];
  const how = [viewport, report.state, report.visitor && `as ${report.visitor}`].filter((each) => each).join(', ');
  const byRule = new Map<string, Cell[]>();
  for (const cell of cells) byRule.set(cell.rule, [...(byRule.get(cell.rule) ?? []), cell]);
  const hints = new Map<string, Finding[]>();
  for (const each of findings) {
    const key = `${each.rule} ${each.page}`;
    hints.set(key, [...(hints.get(key) ?? []), each]);
  }
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${safe(site)}: ${count(totals.errors, 'error')}, ${count(totals.warnings, 'warning')}</title>
<style>${reportStyle}</style>
</head>
<body>
<header>
<h1>${safe(site)} <small>at ${safe(how)}</small></h1>
<p>${count(totals.rules, 'rule')}, ${count(totals.pages, 'page')}, ${count(cells.length, 'cell')}. <strong class="error">${count(totals.errors, 'error')}</strong>, <strong class="warning">${count(totals.warnings, 'warning')}</strong>.</p>
<p class="place">${safe(`${day}, ${command}, Local Needle ${version}`)}</p>
</header>
<form id="tools" role="search" hidden>
<label>Search <input type="search" id="search" placeholder="rule, page, selector"></label>
<fieldset><legend>Show</legend>
${verdicts.map((verdict) => `<label><input type="checkbox" name="verdict" value="${verdict}" checked> ${badge(verdict)} ${cells.filter((cell) => cell.verdict === verdict).length}</label>`).join('\n')}
</fieldset>
<p id="shown" role="status"></p>
</form>
<main>
${mapHtml(report)}
<section aria-labelledby="findings"><h2 id="findings">Findings</h2>
${findingsHtml([...findings, ...notes])}
</section>
<section aria-labelledby="rules"><h2 id="rules">Rules and pages</h2>
${report.rules.map((rule) => ruleHtml(rule, byRule.get(rule.rule) ?? [], hints)).join('\n')}
</section>
${pagesHtml(cells)}
</main>
<script>${reportScript}</script>
</body>
</html>
`;
}

const badge = (verdict: Verdict) => `<span class="verdict ${verdict}">${verdict}</span>`;

/** Findings; equal ones are merged. */
export const findingsHtml = (findings: Finding[]): string =>
  findings.length === 0 ? '<p>None.</p>' : groupFindings(findings).map(findingHtml).join('\n');

function findingHtml(group: Finding[]): string {
  const [first] = group;
  if (!first) return '';
  const { code, level, rule, page, at, message } = first;
  const pages = group.slice(1).flatMap(({ page }) => page ?? []);
  const hints = [...new Set(group.flatMap(({ hint }) => hint ?? []))].slice(0, 2);
  return `<article class="finding ${level}"${page ? ` data-page="${safe(page)}"` : ''}><h3><span class="level">${level}</span> <code title="${escape(findingCodes[code].means)}">${code}</code>${rule ? ` ${safe(rule)}` : ''}</h3>
<p>${safe(message)}</p>${at ? `<p class="place">${safe(`${at.file}:${at.line}:${at.column}`)}</p>` : ''}${hints.map((hint) => `<p class="hint">${safe(hint)}</p>`).join('')}${fixesHtml(group)}${pages.length > 0 ? `<details><summary>The same on ${count(pages.length, 'more page')}</summary>${pageList(pages)}</details>` : ''}</article>`;
}

function fixesHtml(group: Finding[]): string {
  const told = fixTitles(group).map((title) => `<li>${safe(title)}</li>`);
  return told.length > 0 ? `<p class="fixes">Tried, and mends it:</p><ul>${told.join('')}</ul>` : '';
}

const pageList = (pages: string[]) =>
  `<ul class="pages">${pages.map((page) => `<li>${safe(page)}</li>`).join('')}</ul>`;

/** Maximum number of pages named in a row; the rest is folded. */
const fewPages = 3;

function ruleHtml(rule: CheckReport['rules'][number], cells: Cell[], hints: Map<string, Finding[]>): string {
  const rows = groupAlike(cells).map(({ pages, cell, others }) => {
    const listed =
      pages.length <= fewPages
        ? pageList(pages)
        : `<details><summary>${count(pages.length, 'page')}</summary>${pageList(pages)}</details>`;
    const own = pages.flatMap((page) => hints.get(`${cell.rule} ${page}`) ?? []);
    return `<tr data-verdict="${cell.verdict}" data-cells="${pages.length}"><td>${listed}</td><td><details><summary>${badge(cell.verdict)} ${summaryOf(cell, others)}</summary>${cellHtml(cell, own, others)}</details></td></tr>`;
  });
  const body =
    rows.length > 0
      ? `<table><colgroup><col class="where"><col></colgroup><thead><tr><th scope="col">Pages</th><th scope="col">What it does there</th></tr></thead><tbody>${rows.join('')}</tbody></table>`
      : `<p>${rule.status === 'paused' ? 'Paused.' : rule.status === 'expired' ? 'Expired.' : 'Targets no page.'}</p>`;
  return `<section class="rule"><h3>${safe(rule.rule)} <small>${safe(`${rule.file}:${rule.line}`)}</small></h3>${rule.note === null ? '' : `<p>${safe(rule.note)}</p>`}${body}</section>`;
}

/** Each page with what the rules do there; a report is mostly read by rule, so it is folded. */
function pagesHtml(cells: Cell[]): string {
  const byPage = new Map<string, Cell[]>();
  for (const cell of cells) byPage.set(cell.page, [...(byPage.get(cell.page) ?? []), cell]);
  const rows = [...byPage]
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([page, own]) => {
      const byVerdict = new Map<Verdict, string[]>();
      for (const { rule, verdict } of own) byVerdict.set(verdict, [...(byVerdict.get(verdict) ?? []), safe(rule)]);
      const told = [...byVerdict].map(
        ([verdict, rules]) => `<span class="${verdict}">${verdict}</span> ${rules.join(', ')}`,
      );
      return `<li><code>${safe(page)}</code>: ${told.join('; ')}</li>`;
    });
  return rows.length === 0
    ? ''
    : `<section aria-labelledby="by-page"><h2 id="by-page">By page</h2><details><summary>${count(rows.length, 'page')}</summary><ul>${rows.join('\n')}</ul></details></section>`;
}

/** Cells with the same result as one row: the same actions won or lost, to the same declarations, on however many elements. */
function groupAlike(cells: Cell[]): { pages: string[]; cell: Cell; others: Cell[] }[] {
  const groups = new Map<string, { pages: string[]; cell: Cell; others: Cell[] }>();
  for (const cell of cells) {
    const { verdict, sure, dependsOn, actions, page } = cell;
    const told = actions.map((each) => {
      const { action, selector, elements, pairs, won } = each;
      return [action, selector, elements > 0, won > 0, won === pairs, lossesOf(each).map(({ told: loss }) => loss)];
    });
    const key = JSON.stringify([verdict, told, sure, dependsOn]);
    const group = groups.get(key);
    if (group) {
      group.pages.push(page);
      group.others.push(cell);
    } else groups.set(key, { pages: [page], cell, others: [] });
  }
  return [...groups.values()];
}

const elementsIn = ({ actions }: Pick<Cell, 'actions'>) => actions.reduce((sum, each) => sum + each.elements, 0);

/** A number of things, or from the least to the most. */
function range(numbers: number[], noun: string | null): string {
  const [least, most] = [Math.min(...numbers), Math.max(...numbers)];
  const told = noun === null ? String(most) : count(most, noun);
  return least === most ? told : `${least} to ${told}`;
}

/** What an action loses to, each winner and property once, with an element that it is so on, and whether it is the only one. */
function lossesOf({ overridden }: ActionResult): { told: string; element: string; isOnly: boolean }[] {
  const losses = new Map<string, { element: string; isOnly: boolean }>();
  for (const { element, property, by } of overridden) {
    const told = `${property}: ${reasonText(by)}`;
    losses.set(told, { element: losses.get(told)?.element ?? element, isOnly: !losses.has(told) });
  }
  return [...losses].map(([told, of]) => ({ told, ...of }));
}

/** A cell in one line, or several that differ in their numbers alone. */
export function summaryOf(cell: Cell, others: Cell[] = []): string {
  const { sure } = cell;
  const lost = [cell, ...others].map(({ actions }) => actions.reduce((sum, { pairs, won }) => sum + pairs - won, 0));
  return `${range([cell, ...others].map(elementsIn), 'element')}${Math.max(...lost) > 0 ? `, ${range(lost, null)} lost` : ''}${sure ? '' : ', not sure'}`;
}

/** A rule's verdict on a page: its actions, the winners, the hints. */
export function cellHtml({ actions, dependsOn = [] }: Cell, findings: Finding[], others: Cell[] = []): string {
  const hints = [...new Set(findings.flatMap(({ hint }) => hint ?? []))];
  const told = actions.map((action, at) =>
    actionHtml(
      action,
      others.flatMap((other) => other.actions[at] ?? []),
    ),
  );
  return `<ul>${told.join('')}</ul>${dependsOn.length > 0 ? `<p>Depends on ${safe(dependsOn.join(', '))}.</p>` : ''}${hints.map((hint) => `<p class="hint">${safe(hint)}</p>`).join('')}`;
}

function actionHtml(result: ActionResult, others: ActionResult[]): string {
  const { action, selector, elements, pairs, won } = result;
  const lost = lossesOf(result)
    .map(
      ({ told, element, isOnly }) =>
        `<li>${safe(told)}, ${isOnly ? '' : 'such as '}on <code>${safe(element)}</code></li>`,
    )
    .join('');
  const isSame = others.every((other) => other.elements === elements && other.pairs === pairs && other.won === won);
  const share = won === pairs ? 'all' : won === 0 ? 'none' : 'some';
  const pairText =
    pairs === 0 ? '' : isSame ? `, ${won} of ${count(pairs, 'pair')} won` : `, ${share} of the pairs won`;
  const number = range(
    [result, ...others].map((each) => each.elements),
    'element',
  );
  return `<li>${safe(action)} <code>${safe(selector)}</code>: ${number}${pairText}${lost ? `<ul>${lost}</ul>` : ''}</li>`;
}
