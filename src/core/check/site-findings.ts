import { actionKind } from '../action/index.js';
import type { Action } from '../action/action.js';
import { loadsBuild } from '../deployment/deployment.js';
import { finding, type Finding } from '../finding.js';
import type { Page } from '../page/page.js';
import type { View } from '../page/view.js';
import type { Rule } from '../rule/rule.js';
import { ships } from '../rule/status.js';
import { expressionFor } from '../target/expression.js';
import { addressText } from '../target/run-time-addresses.js';
import { addressesOf, needsAddress } from '../target/scope.js';
import type { CheckInput } from './input.js';
import type { Judged } from './plan.js';
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

/** The addresses of pages that only local-needle.js can recognise, for a rule that marks links. */
function markedAddresses(rule: Rule, { view, paths }: CheckInput, all: Cell[]): string[] {
  const site = view(null)?.site;
  return markingCells([rule], all).flatMap(({ first, cells }) =>
    cells.flatMap(({ page: path, actions }) => {
      const page = site?.byPath.get(path);
      const marks = actions.some(({ action, elements }) => action === first.kind && elements > 0);
      return site && page && marks && needsAddress(page, site, paths) ? [path] : [];
    }),
  );
}

/** Conditions for the pages of a rule that need no script, as descriptors; null if there are none. */
function withoutScript({ rule, pages, view: { site } }: Judged): string | null {
  if (!rule.pages || rule.actions.some(({ on }) => on.length > 0)) return null;
  const found = expressionFor([...pages], site, 'body');
  return found && `pages: ${found.pages};${found.except === null ? '' : ` except: ${found.except};`}`;
}

/**
 * `needs-script`, once for a site: the pages that only local-needle.js can match, while no captured page of these rules
 * loads it. With a bundle-address it is checked how each page loads the script (`not-loaded`).
 */
/** Whether a page of these rules loads the script; few are asked, whatever the number of rules. */
function isLoaded(needing: Pick<Judged, 'pages' | 'view'>[]): boolean {
  const byView = new Map<View, Set<Page>>();
  for (const { pages, view } of needing) {
    const all = byView.get(view) ?? new Set();
    byView.set(view, all);
    for (const page of pages) all.add(page);
  }
  return [...byView].some(([view, pages]) => loadsBuild(pages, view, 'js'));
}

export function needsScript(input: CheckInput, judged: Judged[], cells: Cell[]): Finding[] {
  const { paths, loading, today } = input;
  if (loading) return [];
  const needing = judged.flatMap((each) => {
    const { rule, pages, view } = each;
    const { site } = view;
    if (!ships(rule, today) || rule.allow.some(({ code }) => code === 'needs-script')) return [];
    const addresses = [...addressesOf(rule, site, paths).map(addressText), ...markedAddresses(rule, input, cells)];
    return addresses.length > 0 ? [{ each, rule, addresses, pages, view }] : [];
  });
  const [first, ...others] = needing;
  if (!first || isLoaded(needing)) return [];
  const all = [...new Set(needing.flatMap(({ addresses }) => addresses))];
  const shown =
    all.length <= mostAddresses
      ? all.join(', ')
      : `${all.slice(0, mostAddresses).join(', ')} and ${all.length - mostAddresses} more`;
  const atRunTime = paths === 'run-time';
  const have = all.length === 1 ? 'it has' : 'they have';
  const why = atRunTime ? 'local-needle.yaml says `paths: run-time`' : `${have} no unique page ID, body ID or class`;
  const rules =
    others.length > 0 ? ` for ${needing.length} rules (${needing.map(({ rule }) => rule.name).join(', ')})` : '';
  const other = withoutScript(first.each);
  return [
    finding('needs-script', `local-needle.js matches ${shown} by path${rules}: ${why}`, {
      ...{ rule: others.length > 0 ? undefined : first.rule.name, at: first.rule.at },
      hint: other
        ? `${other} in "${first.rule.name}" targets the same pages without a script. Or load local-needle.js in the head.`
        : atRunTime
          ? 'Load local-needle.js in the head, and add bundle-address to the site so that check can see it.'
          : "Load local-needle.js in the head and add bundle-address to the site, or add a unique class to the page's <body>.",
    }),
  ];
}

/** Addresses that a finding names. */
const mostAddresses = 5;

/** Stylesheets that pages load and that were not captured, each with its pages. */
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
        address,
        hint: address.startsWith('/')
          ? `Check that the file exists. local-needle capture ${site?.name ?? ''} fetches it.`
          : 'Only a browser loads it: local-needle check --browser.',
      },
    );
  });
}

/** `flash`: rules whose effect may come after the page is first drawn, by the reason. */
export function flashes(judged: Judged[], { today, place }: CheckInput): Finding[] {
  return judged.flatMap(({ rule, pages }) => {
    if (!ships(rule, today) || pages.size === 0) return [];
    const late = place === 'body-end' ? 'pages load the build at the end of body, once the rest may be drawn' : null;
    const reasonOf = (each: Action) => late ?? actionKind(each).flashes(each);
    const action = rule.actions.find((each) => reasonOf(each) !== null);
    if (!action) return [];
    return [
      finding('flash', `"${rule.name}" may act a moment late on a slow connection: ${reasonOf(action)}`, {
        rule: rule.name,
        at: action.at,
        hint: 'If that moment is acceptable, write allow: flash "reason";',
      }),
    ];
  });
}

/** Days between two captures after which they may show different states of a site. */
const mostDaysApart = 7;

/** `old-capture`: visitors in use whose pages were captured long before or after the site's. */
export function capturesApart(judged: Judged[], input: CheckInput): Finding[] {
  const site = input.view(null);
  const visitors = new Set(judged.map(({ rule }) => rule.visitor ?? input.visitor));
  return [...visitors].flatMap((visitor) => {
    const view = visitor === null ? null : input.view(visitor);
    if (!site?.day || !view?.day || daysBetween(site.day, view.day) <= mostDaysApart) return [];
    const { name } = site.site;
    const call = view.day < site.day ? `${name} --visitor ${visitor}` : name;
    return [
      finding('old-capture', `${name} was captured on ${site.day}, and as ${visitor} on ${view.day}`, {
        hint: `Run local-needle capture ${call}.`,
      }),
    ];
  });
}

const daysBetween = (a: string, b: string) => Math.abs(Date.parse(a) - Date.parse(b)) / 86_400_000;

/** `assumed-fonts`: stylesheets that were not captured and do not count, since their host serves web fonts. */
export const assumedFonts = (addresses: Iterable<string>): Finding[] =>
  [...addresses].map((address) =>
    finding('assumed-fonts', `${address} was not captured; by its host it holds nothing but web fonts`, {
      address,
      hint: 'If it holds anything else, capture the site again, or use local-needle check --browser.',
    }),
  );
