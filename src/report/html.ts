import escape from 'escape-html';
import { findingCodes, type Finding } from '../core/finding.js';
import { reasonText } from '../core/check/judge.js';
import type { ActionResult, Cell, CheckReport, Verdict } from '../core/check/verdict.js';
import { groupCells, groupFindings } from './check-text.js';
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
  const rows = groupCells(cells).map(({ pages, cell }) => {
    const listed =
      pages.length <= fewPages
        ? pageList(pages)
        : `<details><summary>${count(pages.length, 'page')}</summary>${pageList(pages)}</details>`;
    const own = pages.flatMap((page) => hints.get(`${cell.rule} ${page}`) ?? []);
    return `<tr data-verdict="${cell.verdict}" data-cells="${pages.length}"><td>${listed}</td><td><details><summary>${badge(cell.verdict)} ${summaryOf(cell)}</summary>${cellHtml(cell, own)}</details></td></tr>`;
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
      const told = own
        .map(({ rule, verdict }) => `<span class="${verdict}">${verdict}</span> ${safe(rule)}`)
        .join(', ');
      return `<li><code>${safe(page)}</code>: ${told}</li>`;
    });
  return rows.length === 0
    ? ''
    : `<section aria-labelledby="by-page"><h2 id="by-page">By page</h2><details><summary>${count(rows.length, 'page')}</summary><ul>${rows.join('\n')}</ul></details></section>`;
}

/** A cell in one line. */
export function summaryOf({ actions, sure }: Cell): string {
  const elements = actions.reduce((sum, each) => sum + each.elements, 0);
  const lost = actions.reduce((sum, { pairs, won }) => sum + pairs - won, 0);
  return `${count(elements, 'element')}${lost > 0 ? `, ${lost} lost` : ''}${sure ? '' : ', not sure'}`;
}

/** A rule's verdict on a page: its actions, the winners, the hints. */
export function cellHtml({ actions, dependsOn = [] }: Cell, findings: Finding[]): string {
  const hints = [...new Set(findings.flatMap(({ hint }) => hint ?? []))];
  return `<ul>${actions.map(actionHtml).join('')}</ul>${dependsOn.length > 0 ? `<p>Depends on ${safe(dependsOn.join(', '))}.</p>` : ''}${hints.map((hint) => `<p class="hint">${safe(hint)}</p>`).join('')}`;
}

function actionHtml({ action, selector, elements, pairs, won, overridden }: ActionResult): string {
  const lost = overridden
    .map(
      ({ element, property, by }) =>
        `<li><code>${safe(element)}</code> ${safe(property)}: ${safe(reasonText(by))}</li>`,
    )
    .join('');
  const pairText = pairs > 0 ? `, ${won} of ${count(pairs, 'pair')} won` : '';
  return `<li>${safe(action)} <code>${safe(selector)}</code>: ${count(elements, 'element')}${pairText}${lost ? `<ul>${lost}</ul>` : ''}</li>`;
}
