import { actionKind } from '../action/index.js';
import type { Action } from '../action/action.js';
import type { CompiledAction, CompiledRule } from '../action/compiled.js';
import { judgedByPairs, type Judgement } from '../action/judgement.js';
import { placeOfWinner, placesOn } from '../action/pair.js';
import { isScoped } from '../css/cascade/sheet.js';
import { selectorParts, withoutStates } from '../css/selector.js';
import { finding, type Finding } from '../finding.js';
import { adding, replacing, type Proposal } from '../fix/proposal.js';
import { strongerOn, winningChange, type StrongerSelector, type WinningChange } from '../fix/winning-change.js';
import type { Element, PageDocument } from '../page/document.js';
import { compileMatcher } from '../page/elements.js';
import type { Matcher } from '../page/query.js';
import { pageAddress } from '../page/view.js';
import { ownPages, reachedPages } from '../target/delivery.js';
import type { OpenedPage } from './opened-page.js';
import type { OverriddenPair, Cell, Verdict } from './verdict.js';

/** The result of one action of a rule on a page. */
export interface ActionJudgement<At = Element> extends Judgement<At> {
  action: Action;
}

/** The result of judging a rule on a page. */
export interface RuleJudgement {
  cell: Cell;
  findings: Finding[];
  /** The actions of the rule, by their number, whose element is missing: findings with hints are made of them later. */
  missing: number[];
}

/** Judges one rule on one page that it targets. `dependsOn`: parts of the page that were not captured. */
export function judge({ rule, actions }: CompiledRule, look: OpenedPage, dependsOn: string[]): RuleJudgement {
  const { page, document, view } = look;
  const judgements: ActionJudgement[] = [];
  const findings: Finding[] = [];
  const missing: number[] = [];
  let leftOut = false;
  actions.forEach((compiled, index) => {
    const { action } = compiled;
    const kind = actionKind(action);
    if (kind.judge === null || !ownPages(rule, action, view.site).has(page)) return;
    if (look.cascade.holds(compiled.around) === false) {
      leftOut = true;
      return;
    }
    const elements = elementsOf(compiled, look);
    const judgement =
      kind.judge === 'by-pairs'
        ? judgedByPairs(compiled, elements, look)
        : kind.judge(compiled, action, elements, look);
    judgements.push({ ...judgement, action });
    const matched = () => compiled.match?.(document).length ?? 0;
    const isMissing = kind.isMissing(matched, elements.length) && !rule.addedByScript;
    if (isMissing && !waitsForState(action, document)) missing.push(index);
    findings.push(...kind.findings(action, rule.name, elements, look));
  });
  const cell = cellOf(rule, page.path, judgements, { leftOut, dependsOn, unseen: whatIsUnseen(look) });
  findings.push(
    ...verdictFinding(cell, judgements, rule, { viewport: look.viewport.name, stronger: strongerOn(look) }),
  );
  return { cell, findings, missing };
}

/** The cell that follows from the actions of a rule. `unseen`: see whatIsUnseen. */
export function cellOf(
  { name, addedByScript }: CompiledRule['rule'],
  page: string,
  judgements: Omit<ActionJudgement, 'lost'>[],
  { leftOut, dependsOn, unseen }: { leftOut: boolean; dependsOn: string[]; unseen: string[] },
): Cell {
  const isOpen = judgements.some(({ action, result }) => result.won > 0 && !actionKind(action).outweighsUnseen);
  const unsure = new Set([...dependsOn, ...(isOpen ? unseen : []), ...judgements.flatMap((each) => each.dependsOn)]);
  return {
    rule: name,
    page,
    verdict: verdictOf(judgements, addedByScript, leftOut),
    sure: unsure.size === 0,
    ...(unsure.size > 0 ? { dependsOn: [...unsure] } : {}),
    actions: judgements.map(({ result }) => result),
  };
}

/** The addresses of stylesheets that were not captured, as messages show them. */
export const unseenOn = (look: OpenedPage): string[] =>
  look.sheets.unseen.map((address) => shownAddress(address, look));

/** What of the page's stylesheets is not known, and could change a verdict. */
export const whatIsUnseen = (look: OpenedPage): string[] => unseenBy(unseenOn(look), look.sheets.unread);

/** The same by what a result keeps. */
export const unseenBy = (uncaptured: string[], unread: string[]): string[] => [
  ...uncaptured.map((address) => `stylesheet ${address} not captured`),
  ...unread,
];

/** An address as messages show it: the path alone on the site's own host. */
export function shownAddress(address: string, { page }: Pick<OpenedPage, 'page'>): string {
  const url = new URL(address);
  const own = new URL(pageAddress(page)).origin;
  return url.origin === own ? url.pathname + url.search : address;
}

/** The elements that an action acts on. */
export function elementsOf(compiled: CompiledAction, look: OpenedPage): Element[] {
  const kind = actionKind(compiled.action);
  return kind.elements ? kind.elements(compiled.action, look) : matchedElements(compiled, look);
}

function matchedElements({ match, selectors, around, rules, owner }: CompiledAction, look: OpenedPage): Element[] {
  if (!match) return [];
  if (selectors) {
    const [only] = selectors;
    if (only && selectors.length === 1) return only.elements(look.document);
    const all = new Set(selectors.flatMap((each) => each.elements(look.document)));
    return look.document.elements.filter((element) => all.has(element));
  }
  if (!isScoped(around)) return match(look.document);
  const pseudos = new Set(rules.flatMap((rule) => rule.selectors.map(({ pseudo }) => pseudo)));
  return look.document.elements.filter((element) =>
    [...pseudos].some((pseudo) => look.cascade.blocks(element, pseudo).some((block) => block.owner === owner)),
  );
}

/** Whether a selector of an action names a state, such as `:hover`. */
export const mayWaitForState = (action: Action): boolean => atRest(action).length > 0;

const atRestKnown = new WeakMap<Action, Matcher[]>();

/** What the selectors of an action that name a state would match without it. */
function atRest(action: Action): Matcher[] {
  let matchers = atRestKnown.get(action);
  if (!matchers) {
    const elements = action.selectors.map(({ text }) => selectorParts(text).element);
    matchers = elements.flatMap((element) => {
      const plain = withoutStates(element);
      return plain === element ? [] : [compileMatcher(plain)];
    });
    atRestKnown.set(action, matchers);
  }
  return matchers;
}

/** Whether the action would match if the page were in a state that its selectors name, such as `:hover`. */
export function waitsForState(action: Action, document: PageDocument): boolean {
  return atRest(action).some((match) => match(document).length > 0);
}

/** The verdict that follows from its actions (docs/verdicts.md). */
export function verdictOf(
  judgements: Pick<Judgement, 'result' | 'changes' | 'unseen'>[],
  addedByScript: boolean,
  leftOut: boolean,
): Verdict {
  const hasUnseen = judgements.some(({ unseen }) => unseen);
  if (!judgements.some(({ result }) => result.elements > 0)) {
    if (hasUnseen) return 'unjudged';
    // Actions whose at-rules do not apply at this viewport do not count.
    if (leftOut && judgements.length === 0) return 'no-effect';
    return addedByScript ? 'pending' : 'no-match';
  }
  const pairs = judgements.reduce((sum, { result }) => sum + result.pairs, 0);
  const won = judgements.reduce((sum, { result }) => sum + result.won, 0);
  if (pairs > 0 && won === 0) return 'overridden';
  if (won < pairs) return 'partial';
  return judgements.some(({ changes }) => changes) ? 'hit' : hasUnseen ? 'unjudged' : 'no-effect';
}

const reasons: Record<NonNullable<OverriddenPair['by']['reason']>, string> = {
  important: 'it is !important',
  layer: 'its layer has priority',
  inline: 'it is in the style attribute',
  shadow: 'it is !important in the shadow tree of the element',
  specificity: 'its selector is more specific',
  order: 'it comes later',
  scope: 'its scope is nearer',
  animation: 'an animation runs',
};

/**
 * The winner of a lost pair, as the end of a sentence: `theme.css:34 body .menu .camera wins: its selector is more
 * specific`.
 */
export function reasonText({ file, line, selector, reason }: OverriddenPair['by']): string {
  const where = `${file}${line > 0 ? `:${line}` : ''} ${selector}`;
  return reason === null ? `${where} hides it` : `${where} wins: ${reasons[reason]}`;
}

/** The finding for a verdict, with the change that would fix it. */
export function verdictFinding<At>(
  { verdict, page, actions }: Cell,
  judgements: ActionJudgement<At>[],
  rule: CompiledRule['rule'],
  { viewport, stronger }: { viewport: string; stronger: StrongerSelector<At> },
): Finding[] {
  if (verdict === 'no-effect') return [noEffectFinding(rule, page, actions.length === 0 ? viewport : null)];
  if (verdict !== 'overridden' && verdict !== 'partial') return [];
  const worst = judgements.find(({ result }) => result.won < result.pairs);
  const [first] = worst?.result.overridden ?? [];
  if (!worst || !first) return [];
  const { selector, pairs, won } = worst.result;
  const [pair] = worst.lost;
  const share = verdict === 'partial' ? ` (${pairs - won} of ${pairs} pairs lost)` : '';
  const said =
    first.by.reason === null
      ? `${selector} does not show on ${page}${share}`
      : `${selector} loses ${first.property} on ${page}${share}`;
  const isAccepted = rule.allow.some(({ code }) => code === verdict);
  const change = pair && !isAccepted ? winningChange(pair, stronger) : null;
  return [
    finding(verdict, `${said}: ${reasonText(first.by)}`, {
      rule: rule.name,
      page,
      at: worst.action.at,
      hint: change?.text ?? null,
      proposals: change && pair ? changing(change, worst.action, rule, pair.ours.block.selector) : undefined,
    }),
  ];
}

/** A change that wins, as one to the rule's file; `important: yes` too where another selector is meant to. */
function changing(
  { selector, important }: WinningChange,
  { at }: Action,
  { at: ruleAt }: CompiledRule['rule'],
  own: string,
): Proposal[] {
  const whole = adding(ruleAt, 'important: yes', 1);
  if (selector === undefined) return important ? [whole] : [];
  const other = replacing(at, own, selector);
  if (!important) return [other, whole];
  return [{ ...other, title: `${other.title}, with important: yes`, changes: [...other.changes, ...whole.changes] }];
}

/** `leftOut`: the viewport at which none of its actions applies. */
function noEffectFinding({ name, at }: CompiledRule['rule'], page: string, leftOut: string | null): Finding {
  const message =
    leftOut === null
      ? `"${name}" changes nothing on ${page}`
      : `"${name}" has nothing that applies at ${leftOut} on ${page}`;
  const hint =
    leftOut === null
      ? 'These values are already set here. Remove the rule, or run local-needle why for details.'
      : 'Try another --viewport, or --all-viewports.';
  return finding('no-effect', message, { rule: name, page, at, hint });
}

/** The finding for actions on pages other than the rule's own (`@only-here`), where their hiding loses. */
export function shownElsewhere({ rule, actions }: CompiledRule, look: OpenedPage): Finding[] {
  const { page, view } = look;
  return actions.flatMap((compiled): Finding[] => {
    const { action } = compiled;
    if (actionKind(action).reaches !== 'other-pages' || !reachedPages(rule, action, view.site).has(page)) return [];
    const shown = elementsOf(compiled, look).filter((element) => look.built.isDisplayed(element));
    const [element] = shown;
    const winner = element && look.cascade.winner(element, '', 'display');
    if (!winner) return [];
    const { file, line, selector } = placeOfWinner(winner, element, placesOn(look));
    return [
      finding(
        'overridden',
        `${action.selector} is also visible on ${page.path}: ${file}:${line} ${selector} overrides the hiding`,
        {
          rule: rule.name,
          page: page.path,
          at: action.at,
          hint: `Remove the !important in ${file}:${line}, or hide an ancestor.`,
        },
      ),
    ];
  });
}
