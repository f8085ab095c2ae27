import { serialize } from 'parse5';
import { longhandsNamed, longhandsOf } from '../css/declaration.js';
import { selectorParts, withoutStates } from '../css/selector.js';
import { attribute, lineageOf, type Element, type PageDocument } from '../page/document.js';
import { compileMatcher, textOf, type Matcher } from '../page/elements.js';
import { pageAddress } from '../page/view.js';
import { targets } from '../rule/target.js';
import type { Action, StylesheetAction, SwapAction } from '../rule/rule.js';
import { noElement, type Elsewhere } from './element-hint.js';
import { elementPath } from '../page/element-path.js';
import { finding, type Finding } from './finding.js';
import type { Look } from './look.js';
import type { CompiledAction, CompiledRule } from './our-rules.js';
import { beatenBy, countPairs, placeOfWinner, type Pair, type PairCount } from './pair.js';
import { swapFindings } from './swap-findings.js';
import type { ActionResult, BeatenPair, Cell, Verdict } from './verdict.js';
import { winningChange } from './winning-change.js';

/** A rule ready to be judged: its selectors compiled once, run on many pages. */
export interface JudgedRule {
  compiled: CompiledRule;
  actions: { compiled: CompiledAction; match: Matcher | null; longhands: string[] }[];
}

/** Makes a rule ready to be judged. */
export function judgedRule(compiled: CompiledRule): JudgedRule {
  return {
    compiled,
    actions: compiled.actions.map((each) => ({
      compiled: each,
      match: elementMatcher(each.action),
      longhands: longhandsSet(each.action),
    })),
  };
}

/** Matches the elements of an action's selectors, pseudo-elements counted as the elements they belong to. */
function elementMatcher(action: Action): Matcher | null {
  if (action.selectors.length === 0) return null;
  return compileMatcher(action.selectors.map(({ text }) => selectorParts(text).element).join(', '));
}

function longhandsSet(action: Action): string[] {
  if (action.kind === 'hide' || action.kind === 'only-here') return ['display'];
  if (action.kind !== 'restyle' && action.kind !== 'mark-current') return [];
  return [
    ...new Set(
      action.declarations.flatMap(({ prop }) => (prop.startsWith('--') ? [prop] : longhandsOf(prop.toLowerCase()))),
    ),
  ];
}

/** Lost pairs that a report lists. */
const mostBeaten = 20;

/** What an action does on one page. */
export interface Judgement {
  result: ActionResult;
  /** Whether anything on the page differs because of it. */
  changes: boolean;
  dependsOn: string[];
  lost: Pair[];
  /** What it does cannot be seen on a captured page. */
  unseen: boolean;
}

/** Judges one rule on one page that it targets. `dependsOn`: what of the page itself was not seen. */
export function judge(
  { compiled: { rule }, actions }: JudgedRule,
  look: Look,
  dependsOn: string[],
  elsewhere: Elsewhere,
): { cell: Cell; findings: Finding[] } {
  const { page, document, view } = look;
  const judgements: Judgement[] = [];
  const findings: Finding[] = [];
  let leftOut = false;
  for (const each of actions) {
    const { action } = each.compiled;
    if (action.kind === 'definition' || !targets(rule, action, page, view.site)) continue;
    if (look.cascade.holds(each.compiled.around) === false) {
      leftOut = true;
      continue;
    }
    const elements = matchedElements(each, look);
    const judgement = judgeAction(each, elements, look);
    judgements.push(judgement);
    // A page without a link to itself is none that @mark-current is for.
    const matched = action.kind === 'mark-current' ? (each.match?.(document) ?? []) : elements;
    if (each.match && matched.length === 0 && !rule.arrivesLate && !waitsForState(action, document))
      findings.push(noElement(rule, action, page, document, elsewhere));
    if (action.kind === 'swap') findings.push(...swapFindings(rule.name, action, elements, look));
  }
  const verdict = verdictOf(judgements, rule.arrivesLate, leftOut);
  const unseen = judgements.some(({ result }) => result.won > 0)
    ? look.sheets.unseen.map((address) => `stylesheet ${shownAddress(address, look)} not captured`)
    : [];
  const unsure = [...new Set([...dependsOn, ...unseen, ...judgements.flatMap((each) => each.dependsOn)])];
  const cell: Cell = {
    rule: rule.name,
    page: page.path,
    verdict,
    sure: unsure.length === 0,
    actions: judgements.map(({ result }) => result),
  };
  if (unsure.length > 0) cell.dependsOn = unsure;
  findings.push(...verdictFinding(cell, judgements, rule, look));
  return { cell, findings };
}

/** An address as messages show it: the path alone on the site's own host. */
export function shownAddress(address: string, { page }: Pick<Look, 'page'>): string {
  const url = new URL(address);
  const own = new URL(pageAddress(page)).origin;
  return url.origin === own ? url.pathname + url.search : address;
}

/** The elements that an action is about on a page. */
export function matchedElements({ compiled, match }: JudgedRule['actions'][number], look: Look): Element[] {
  if (!match) return [];
  const { selectors } = compiled;
  if (selectors) {
    const [only] = selectors;
    if (only && selectors.length === 1) return only.elements(look.document);
    const all = new Set(selectors.flatMap((each) => each.elements(look.document)));
    return look.document.elements.filter((element) => all.has(element));
  }
  const elements = match(look.document);
  if (!compiled.around.some(({ kind }) => kind === 'scope')) return elements;
  const pseudos = new Set(compiled.rules.flatMap(({ selectors }) => selectors.map(({ pseudo }) => pseudo)));
  return look.document.elements.filter((element) =>
    [...pseudos].some((pseudo) => look.cascade.blocks(element, pseudo).some(({ owner }) => owner === compiled.owner)),
  );
}

function judgeAction(
  { compiled, longhands }: JudgedRule['actions'][number],
  elements: Element[],
  look: Look,
): Judgement {
  const { action } = compiled;
  const result: ActionResult = {
    action: action.kind,
    selector: action.selector,
    elements: elements.length,
    pairs: 0,
    won: 0,
    beaten: [],
  };
  const unseen = action.kind === 'script';
  const judgement: Judgement = { result, changes: false, dependsOn: [], lost: [], unseen };
  if (action.kind === 'only-here') judgeOnlyHere(elements, look, result);
  else if (action.kind === 'swap') judgement.changes = elements.some((element) => swapChanges(action, element));
  else if (action.kind === 'stylesheet') judgeStylesheet(action, look, judgement);
  else if (action.kind === 'hide' || action.kind === 'restyle' || action.kind === 'mark-current')
    judgeStyles(countPairs(compiled, elements, longhands, look), look, judgement);
  if (action.kind === 'only-here') judgement.changes = result.won > 0;
  return judgement;
}

function judgeStyles({ pairs, won, changes, dependsOn, lost }: PairCount, look: Look, judgement: Judgement): void {
  Object.assign(judgement.result, {
    pairs,
    won,
    beaten: lost.slice(0, mostBeaten).map((pair) => beatenBy(pair, look)),
  });
  Object.assign(judgement, { changes, dependsOn: [...dependsOn], lost });
}

/** What a stylesheet of another host does, if it was captured. */
function judgeStylesheet({ address }: StylesheetAction, look: Look, judgement: Judgement): void {
  const uses = look.external.get(address) ?? [];
  judgement.unseen = uses.length === 0;
  for (const element of judgement.unseen ? [] : look.document.elements) {
    const own = look.cascade.blocks(element, '').filter(({ use }) => use && uses.includes(use));
    if (own.length > 0) judgement.result.elements++;
    judgement.changes ||= own
      .flatMap(({ declarations }) => longhandsNamed(declarations))
      .some((longhand) => look.built.value(element, '', longhand) !== look.bare.value(element, '', longhand));
  }
}

/** On its own pages `@only-here` must be displayed: a pair is won where it is. */
function judgeOnlyHere(elements: Element[], look: Look, result: ActionResult): void {
  const hidden = elements.filter((element) => !look.built.isDisplayed(element));
  result.pairs = elements.length;
  result.won = elements.length - hidden.length;
  result.beaten = hidden.slice(0, mostBeaten).flatMap((element) => hiddenBy(element, look) ?? []);
}

/** What hides an element that ought to be displayed. */
export function hiddenBy(element: Element, look: Look): BeatenPair | null {
  const at = lineageOf(element).find((each) => look.built.value(each, '', 'display') === 'none');
  const winner = at && look.cascade.winner(at, '', 'display');
  if (!at || !winner) return null;
  const reason = winner.declaration.important ? 'important' : winner.block.weight.inline ? 'inline' : 'specificity';
  return { element: elementPath(element), property: 'display', by: { ...placeOfWinner(winner, at, look), reason } };
}

/** Whether a swap puts anything else there than there is. */
function swapChanges({ image, alt, text, html }: SwapAction, element: Element): boolean {
  if (alt !== null && attribute(element, 'alt') !== alt) return true;
  // A file of the project ships under a name of its own.
  if (image) return image.path !== null || attribute(element, 'src') !== image.url;
  if (text !== null) return textOf(element) !== text || element.childNodes.some((node) => 'tagName' in node);
  if (html?.content) return serialize(element).trim() !== new TextDecoder().decode(html.content).trim();
  return false;
}

/** Whether the action would match if the page were in a state that its selectors name, such as `:hover`. */
function waitsForState(action: Action, document: PageDocument): boolean {
  return action.selectors.some(({ text }) => {
    const { element } = selectorParts(text);
    const atRest = withoutStates(element);
    return atRest !== element && compileMatcher(atRest)(document).length > 0;
  });
}

/** The verdict that what its actions do comes to (docs/verdicts.md). */
export function verdictOf(
  judgements: Pick<Judgement, 'result' | 'changes' | 'unseen'>[],
  arrivesLate: boolean,
  leftOut: boolean,
): Verdict {
  const hasUnseen = judgements.some(({ unseen }) => unseen);
  if (!judgements.some(({ result }) => result.elements > 0)) {
    if (hasUnseen) return 'unseen';
    // What its at-rules leave out at this viewport is no fault of the page.
    if (leftOut && judgements.length === 0) return 'idle';
    return arrivesLate ? 'late' : 'empty';
  }
  const pairs = judgements.reduce((sum, { result }) => sum + result.pairs, 0);
  const won = judgements.reduce((sum, { result }) => sum + result.won, 0);
  if (pairs > 0 && won === 0) return 'beaten';
  if (won < pairs) return 'partly';
  return judgements.some(({ changes }) => changes) ? 'hit' : hasUnseen ? 'unseen' : 'idle';
}

const reasons: Record<BeatenPair['by']['reason'], string> = {
  important: 'it is !important',
  layer: 'its layer comes before',
  inline: 'it stands in the style attribute',
  specificity: 'its selector is more specific',
  order: 'it comes later',
  scope: 'its scope is nearer',
  animation: 'an animation runs',
};

/** What wins over a lost pair, in a sentence's end: `theme.css:34 body .menu .camera wins: its selector is more specific`. */
export const reasonText = ({ file, line, selector, reason }: BeatenPair['by']) =>
  `${file}${line > 0 ? `:${line}` : ''} ${selector} wins: ${reasons[reason]}`;

/** The finding that a verdict is, with the change that would mend it. */
function verdictFinding(cell: Cell, judgements: Judgement[], rule: CompiledRule['rule'], look: Look): Finding[] {
  const { verdict, page } = cell;
  if (verdict === 'idle') {
    const within = cell.actions.length === 0;
    return [
      finding(
        'idle',
        within
          ? `Nothing of "${rule.name}" applies at ${look.viewport.name} on ${page}`
          : `"${rule.name}" changes nothing on ${page}`,
        {
          rule: rule.name,
          page,
          at: rule.at,
          hint: within
            ? 'Look with --viewport, or --all-viewports.'
            : 'All of it is so already: take it out, or see local-needle why.',
        },
      ),
    ];
  }
  if (verdict !== 'beaten' && verdict !== 'partly') return [];
  const worst = judgements.find(({ result }) => result.won < result.pairs);
  const [first] = worst?.result.beaten ?? [];
  if (!worst || !first) return [];
  const { selector, pairs, won } = worst.result;
  const [pair] = worst.lost;
  const action = rule.actions.find((each) => each.selector === selector);
  const share = verdict === 'partly' ? ` (${pairs - won} of ${pairs} pairs lost)` : '';
  return [
    finding(verdict, `${selector} loses ${first.property} on ${page}${share}: ${reasonText(first.by)}`, {
      rule: rule.name,
      page,
      at: action?.at ?? rule.at,
      hint: pair ? (winningChange(pair, look)?.text ?? null) : null,
    }),
  ];
}

/** `@only-here` hides its element on all other pages: where that loses. */
export function onlyHereElsewhere({ compiled: { rule }, actions }: JudgedRule, look: Look): Finding[] {
  return actions.flatMap((each): Finding[] => {
    const { action } = each.compiled;
    if (action.kind !== 'only-here' || targets(rule, action, look.page, look.view.site)) return [];
    const shown = matchedElements(each, look).filter((element) => look.built.isDisplayed(element));
    const [element] = shown;
    const winner = element && look.cascade.winner(element, '', 'display');
    if (!winner) return [];
    const { file, line, selector } = placeOfWinner(winner, element, look);
    return [
      finding(
        'beaten',
        `${action.selector} shows on ${look.page.path} too: ${file}:${line} ${selector} wins over the hiding`,
        {
          rule: rule.name,
          page: look.page.path,
          at: action.at,
          hint: `Take the !important from ${file}:${line}, or hide a container of it.`,
        },
      ),
    ];
  });
}
