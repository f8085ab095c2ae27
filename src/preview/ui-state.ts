import type { Cell } from '../core/check/verdict.js';
import { targetOptions } from '../core/target/target-options.js';
import { makeSite, type Page, type Site } from '../core/page/page.js';
import { normalisePath } from '../core/page/path.js';
import { templatesByPath } from '../core/page/templates.js';
import { pageAddress } from '../core/page/view.js';
import type { Rule } from '../core/rule/rule.js';
import { actionKind } from '../core/action/index.js';
import { reachedPages, rulePages } from '../core/target/delivery.js';
import type { Seen } from './pages.js';
import type { DraftedRule, RuleEditor } from '../app/rule-editor.js';
import type { DraftChange, DraftState, OverviewState, PanelState } from './protocol.js';
import type { PreviewSession } from './session.js';

/** Texts and HTML that are made elsewhere. */
export interface Wording {
  problem: (session: PreviewSession) => string | null;
  findings: (session: PreviewSession) => string;
  /** A cell in one line: `1 element, 1 lost`. */
  summary: (cell: Cell) => string;
}

const placeOf = ({ at }: Rule) => `${at.file}:${at.line}`;

/** The address of a page in the preview, relative to its origin. */
const previewAddress = (page: Page) => {
  const { pathname, search } = new URL(pageAddress(page));
  return pathname + search;
};

/** All rules on all pages. */
export function overviewState(session: PreviewSession, wording: Wording): OverviewState {
  const { reading, report } = session;
  const { input, view } = reading;
  const { rules } = input;
  const indexes = new Map(rules.map(({ name }, index) => [name, index]));
  const byPage = new Map<string, OverviewState['pages'][number]['cells']>();
  const shown = rules.map((rule): OverviewState['rules'][number] => ({
    ...{ name: rule.name, place: placeOf(rule), note: rule.note, status: session.statusOf(rule) },
    ...{ pages: rulePages(rule, view.site).size, verdicts: {} },
  }));
  for (const { rule, page, verdict, sure } of report?.cells ?? []) {
    const index = indexes.get(rule) ?? -1;
    const own = shown[index];
    if (!own) continue;
    own.verdicts[verdict] = (own.verdicts[verdict] ?? 0) + 1;
    const cells = byPage.get(page) ?? [];
    byPage.set(page, cells);
    cells.push({ rule: index, verdict, sure });
  }
  const templates = report ? view.templates() : [];
  const byPath = templatesByPath(templates);
  const numbers = new Map(templates.map((template, index) => [template, index]));
  const templateOf = ({ path }: Page) => {
    const template = byPath.get(path);
    return (template && numbers.get(template)) ?? -1;
  };
  return {
    site: view.site.name,
    how: [input.viewport, input.state, input.visitor && `as ${input.visitor}`].filter((each) => each).join(', '),
    problem: wording.problem(session),
    judging: session.judging,
    totals: report && {
      ...{ pages: view.site.pages.length, cells: report.cells.length },
      ...{ errors: report.totals.errors, warnings: report.totals.warnings },
    },
    rules: shown,
    pages: view.site.pages.map((page) => ({
      ...{ path: page.path, address: previewAddress(page), title: page.title, template: templateOf(page) },
      cells: byPage.get(page.path) ?? [],
    })),
    findings: report ? wording.findings(session) : '',
    templates: templates.map(({ name, pages, example }) => ({
      ...{ name, pages: pages.length, path: example.path, address: previewAddress(example) },
    })),
  };
}

/** What is shown, and what is about to be written. */
export interface Shown {
  session: PreviewSession;
  editor: Pick<RuleEditor, 'draft' | 'undoable'>;
}

/** One page: its handles and the rules that touch it. `address`: as the browser has it, without its host. */
export function panelState(
  { session, editor }: Shown,
  seen: Seen | undefined,
  address: string,
  wording: Wording,
): PanelState {
  const { view, pathOptions } = session.reading;
  const { site } = view;
  const path = normalisePath(address, pathOptions);
  const captured = site.byPath.get(path) ?? null;
  const page = seen?.page ?? captured;
  // A page that was not captured shares its handles with all pages that were.
  const around = page === null || page === captured ? site : siteWith(session, page);
  const rules = page ? rulesOn(session, page, around, captured, wording) : [];
  const touched = rules.some(({ status }) => status === 'on');
  return {
    site: site.name,
    path: captured?.path ?? null,
    shownPath: path,
    problem: wording.problem(session),
    handles: page
      ? targetOptions(page, around)
          // A rule made in the panel takes one condition.
          .filter(({ condition }) => !condition.includes('; except: '))
          .map(({ condition, sole, sharedWith, why }) => ({
            ...{ condition, sole, why },
            pages: sharedWith.length + 1,
          }))
      : [],
    rules,
    states: Object.keys(session.reading.input.states),
    visitors: session.reading.visitors,
    now: { state: session.reading.input.state, visitor: session.reading.input.visitor },
    notices: touched ? (seen?.notices ?? []) : [],
    draft: editor.draft && draftState(session, editor.draft),
    undo: editor.undoable,
  };
}

/** A draft with what it does on its pages, all rules together. */
function draftState({ report, judging }: PreviewSession, { name, file, block }: DraftedRule): DraftState {
  const isOwn = ({ rule }: { rule: string | null }) => rule === name;
  return {
    ...{ name, file, block },
    judged: !judging && report?.rules.some(isOwn) === true,
    cells: (report?.cells ?? []).filter(isOwn).map(({ page, verdict, actions }) => ({
      ...{ page, verdict },
      elements: actions.reduce((sum, { elements }) => sum + elements, 0),
    })),
    findings: (report?.findings ?? []).filter(isOwn).map(({ level, message, hint, proposals = [] }) => ({
      ...{ level, message, hint },
      changes: proposals.flatMap(({ title, changes: [change] }): DraftChange[] => {
        if (change?.kind === 'descriptor' && change.text === 'important: yes')
          return [{ title, selector: null, important: true }];
        return change?.kind === 'text' ? [{ title, selector: change, important: false }] : [];
      }),
    })),
  };
}

/** The site with a page as it was just served instead of as captured. */
function siteWith({ reading }: PreviewSession, page: Page) {
  const { site } = reading.view;
  return makeSite(site.name, [...site.pages.filter(({ path }) => path !== page.path), page], site.forms);
}

/** The rules that touch a page; `site`: with the page as it came. */
function rulesOn(
  session: PreviewSession,
  page: Page,
  site: Site,
  captured: Page | null,
  wording: Wording,
): PanelState['rules'] {
  const { reading, report } = session;
  return reading.input.rules.flatMap((rule): PanelState['rules'] => {
    const isFor = rulePages(rule, site).has(page);
    const hidesHere =
      !isFor &&
      rule.actions.some(
        (action) => actionKind(action).reaches === 'other-pages' && reachedPages(rule, action, site).has(page),
      );
    if (!isFor && !hidesHere) return [];
    const status = session.statusOf(rule);
    const cell = report?.cells.find((each) => each.rule === rule.name && each.page === page.path);
    const hints = report?.findings.filter((each) => each.rule === rule.name && each.page === page.path) ?? [];
    const says = {
      on: cell
        ? wording.summary(cell)
        : hidesHere
          ? 'hides an element here that belongs to other pages'
          : captured
            ? 'is being checked'
            : 'this page was not captured, so it has no verdict',
      off: 'turned off in this preview',
      paused: 'paused in its file',
      expired: `ran until ${rule.until?.day ?? ''}`,
    }[status];
    return [
      {
        ...{ name: rule.name, note: rule.note, place: placeOf(rule), status },
        ...{ verdict: status === 'on' ? (cell?.verdict ?? null) : null, says },
        hints:
          status === 'on'
            ? hints.map(({ level, message, hint }) => ({ level, text: hint ? `${message} → ${hint}` : message }))
            : [],
      },
    ];
  });
}
