import { actionKind } from '../action/index.js';
import type { Action } from '../action/action.js';
import { finding, type Finding } from '../finding.js';
import type { Page } from '../page/page.js';
import type { Rule } from '../rule/rule.js';
import { needsAddress } from '../target/scope.js';
import type { CheckInput } from './input.js';
import { needsScript } from './rule-findings.js';
import type { Cell } from './verdict.js';

/** Whether an action finds its pages by the links on each. */
const findsLinks = (action: Action) => actionKind(action).scope === 'links';

/** The cells of each rule that marks links. */
function markingCells(rules: Rule[], cells: Cell[]): { rule: Rule; first: Action; cells: Cell[] }[] {
  return rules.flatMap((rule) => {
    const first = rule.actions.find(findsLinks);
    return first ? [{ rule, first, cells: cells.filter((cell) => cell.rule === rule.name) }] : [];
  });
}

/** Rules that mark links and find none on any page. */
export function nothingMarked(rules: Rule[], all: Cell[]): Finding[] {
  return markingCells(rules, all).flatMap(({ rule, first, cells }) => {
    const results = cells.flatMap(({ actions }) => actions.filter(({ action }) => action === first.kind));
    if (results.length === 0 || results.some(({ elements }) => elements > 0)) return [];
    return [
      finding(
        'missing-element',
        `"${rule.name}" marks no link: ${results[0]?.selector} matches no link to its own page`,
        {
          rule: rule.name,
          at: first.at,
          hint: 'Select the links themselves, such as .menu a. sections: yes also marks links to parent sections.',
        },
      ),
    ];
  });
}

/** Rules that mark links on pages that only local-needle.js can recognise. */
export function markedAtRunTime({ rules, view, paths }: CheckInput, all: Cell[]): Finding[] {
  const site = view(null)?.site;
  if (!site) return [];
  return markingCells(rules, all).flatMap(({ rule, first, cells }) => {
    const pages = cells.flatMap(({ page: path, actions }) => {
      const page = site.byPath.get(path);
      const marks = actions.some(({ action, elements }) => action === first.kind && elements > 0);
      return page && marks && needsAddress(page, site, paths) ? [path] : [];
    });
    return pages.length > 0 ? [needsScript(rule, pages, paths)] : [];
  });
}

/** Stylesheets that pages load and that were not captured, each told once with its pages. */
export function uncapturedSheets(byAddress: Map<string, Page[]>, input: CheckInput): Finding[] {
  const site = input.view(null)?.site;
  return [...byAddress].map(([address, pages]) => {
    const [first] = pages;
    const others = pages.length > 1 ? ` and ${pages.length - 1} more` : '';
    return finding(
      'uncaptured-stylesheet',
      `${first?.path}${others} ${others === '' ? 'loads' : 'load'} ${address}, which was not captured: its verdicts are less certain`,
      {
        page: first?.path,
        hint: address.startsWith('/')
          ? `Check that the file exists. local-needle capture ${site?.name ?? ''} fetches it.`
          : 'Only a browser loads it: local-needle check --browser.',
      },
    );
  });
}
