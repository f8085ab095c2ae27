import { ships } from '../rule/ships.js';
import { compareWeights, type Step } from '../css/cascade/weight.js';
import { isInherited } from '../css/declaration.js';
import { specificityText } from '../css/specificity.js';
import { describe } from '../find/describe.js';
import { lineageOf, type Element } from '../page/document.js';
import { compileMatcher } from '../page/elements.js';
import { elementPath } from '../page/element-path.js';
import type { Page } from '../page/page.js';
import type { Rule } from '../rule/rule.js';
import { alternativeHolds, conditionHolds, pageConditions, targets } from '../rule/target.js';
import { startRound, viewFor, wayFor, type CheckInput } from './plan.js';
import { hiddenBy, judge, judgedRule, matchedElements, type JudgedRule } from './judge.js';
import type { Finding } from './finding.js';
import type { Look } from './look.js';
import { compileRule, type Owner } from './our-rules.js';
import { pairsOf, placeOfWinner, type Pair } from './pair.js';
import type { Cell, Verdict } from './verdict.js';
import { winningChange } from './winning-change.js';

/** Why a page is the rule's, or by how little it is not. */
export interface WhyTargeted {
  holds: boolean;
  /** The alternative that picks the page, or the one that is nearest to it. */
  condition: string;
  /** Terms of it that do not hold. */
  missing: string[];
  /** The exception that takes the page out. */
  excepted: string | null;
}

/** One longhand on one element: what wins, by which step of the cascade, and what would. */
export interface WhyPair {
  property: string;
  /** As the rule says it, and what it computes to. */
  ours: string;
  /** What our selector weighs, its scope included. */
  specificity: string;
  line: number;
  /** The computed value on the page with the build, and without. */
  value: string;
  without: string;
  won: boolean;
  winner: {
    file: string;
    line: number;
    selector: string;
    declaration: string;
    specificity: string;
    rule: string | null;
  } | null;
  /** The step of the cascade that decided; null where nothing else sets it. */
  step: Step | null;
  change: string | null;
  /** N33: of the text inside, how much takes an inherited value; null where the property is not inherited. */
  text: { takes: number; of: number; others: { element: string; from: string }[] } | null;
}

export interface WhyElement {
  element: string;
  words: string;
  shown: boolean;
  hiddenBy: string | null;
  pairs: WhyPair[];
}

export interface WhyAction {
  action: string;
  selector: string;
  file: string;
  line: number;
  /** The at-rule around it that does not hold here. */
  leftOut: string | null;
  elements: number;
  shown: WhyElement[];
}

/** One verdict explained. */
export interface WhyReport {
  kind: 'local-needle.why';
  version: 1;
  site: string;
  viewport: string;
  state: string | null;
  visitor: string | null;
  rule: { rule: string; file: string; line: number; note: string | null; paused: boolean };
  page: string;
  targeted: WhyTargeted;
  verdict: Verdict | null;
  sure: boolean;
  dependsOn: string[];
  actions: WhyAction[];
  findings: Finding[];
}

/** Elements told of for each action. */
const mostElements = 5;

/** Explains one verdict. `selector` limits it to the elements that it matches. */
export function explain(input: CheckInput, rule: Rule, page: Page, selector: string | null): WhyReport {
  const { view, dependsOn } = viewFor(rule, input, []);
  const way = wayFor(rule, input);
  const own = view.site.byPath.get(page.path) ?? page;
  const targeted = whyTargeted(rule, own, view.site);
  const report: WhyReport = {
    kind: 'local-needle.why',
    version: 1,
    site: view.site.name,
    viewport: way.viewport.name,
    state: way.state,
    visitor: rule.visitor ?? input.visitor,
    rule: { rule: rule.name, file: rule.at.file, line: rule.at.line, note: rule.note, paused: rule.paused },
    page: own.path,
    targeted,
    verdict: null,
    sure: true,
    dependsOn: [],
    actions: [],
    findings: [],
  };
  if (!targeted.holds) return report;
  // A paused rule is explained as if it were not.
  const rules = input.rules.filter((each) => each === rule || ships(each, input.today));
  const compiled = rules.map((each) => judgedRule(compileRule(each)));
  const ready = compiled[rules.indexOf(rule)];
  if (!ready) return report;
  const round = startRound(view, compiled, input);
  const look = round.look(own, way);
  const { cell, findings } = judge(ready, look, dependsOn, { ...round.elsewhere, state: way.state });
  const wanted = selector === null ? null : new Set(compileMatcher(selector)(look.document));
  return {
    ...report,
    ...verdictOf(cell),
    findings,
    actions: ready.actions.flatMap((each) => {
      const { action } = each.compiled;
      if (action.kind === 'definition' || !targets(rule, action, own, view.site)) return [];
      return [whyAction(each, look, wanted)];
    }),
  };
}

const verdictOf = ({ verdict, sure, dependsOn = [] }: Cell) => ({ verdict, sure, dependsOn });

function whyTargeted(rule: Rule, page: Page, site: Parameters<typeof conditionHolds>[2]): WhyTargeted {
  const alternatives = pageConditions(rule).flatMap((condition) => condition.alternatives);
  const told = alternatives.map((terms) => ({
    condition: terms.map(({ text }) => text).join(' '),
    missing: terms.filter((term) => !alternativeHolds([term], page, site)).map(({ text }) => text),
  }));
  const [nearest] = told.sort((a, b) => a.missing.length - b.missing.length);
  const except = rule.except?.alternatives.find((terms) => alternativeHolds(terms, page, site));
  const excepted = except ? except.map(({ text }) => text).join(' ') : null;
  return {
    holds: nearest?.missing.length === 0 && excepted === null,
    condition: nearest?.condition ?? '',
    missing: nearest?.missing ?? [],
    excepted,
  };
}

/** How many elements a `@stylesheet` says something of. */
const styledBy = (address: string, look: Look) =>
  look.document.elements.filter((element) =>
    look.cascade.blocks(element, '').some(({ use }) => use !== null && look.external.get(address)?.includes(use)),
  ).length;

function whyAction(judged: JudgedRule['actions'][number], look: Look, wanted: Set<Element> | null): WhyAction {
  const { compiled, longhands } = judged;
  const { action } = compiled;
  const holds = look.cascade.holds(compiled.around);
  const failing = compiled.around.find((each) => look.cascade.holds([each]) === false);
  const elements = holds === false ? [] : matchedElements(judged, look).filter((each) => wanted?.has(each) ?? true);
  return {
    action: action.kind,
    selector: action.kind === 'stylesheet' ? action.address : action.selector,
    file: action.at.file,
    line: action.at.line,
    leftOut: failing && 'condition' in failing ? `@${failing.kind} ${failing.condition}` : null,
    elements: action.kind === 'stylesheet' ? styledBy(action.address, look) : elements.length,
    shown: elements.slice(0, wanted ? elements.length : mostElements).map((element) => {
      const shown = look.built.isDisplayed(element);
      const by = shown ? null : hiddenBy(element, look);
      const pairs = action.kind === 'only-here' ? [] : pairsOf(compiled, [element], longhands, look);
      return {
        element: elementPath(element),
        words: describe(element).words,
        shown,
        hiddenBy: by ? `${by.by.file}:${by.by.line} ${by.by.selector}` : null,
        pairs: pairs.map((pair) => whyPair(pair, look)),
      };
    }),
  };
}

function whyPair(pair: Pair, look: Look): WhyPair {
  const { element, pseudo, longhand, ours, winner } = pair;
  const rival = pair.isOurs ? strongestRival(pair, look) : winner;
  const place = rival && placeOfWinner(rival, element, look);
  return {
    property: longhand + (pseudo ? ` of ${pseudo}` : ''),
    ours: `${ours.declaration.name}: ${ours.declaration.value}${ours.declaration.important ? ' !important' : ''}`,
    specificity: specificityText(ours.weight.specificity),
    line: (ours.block.owner as Owner).placeOf(ours.declaration).line,
    value: look.built.value(element, pseudo, longhand),
    without: look.bare.value(element, pseudo, longhand),
    won: pair.won,
    winner:
      rival && place
        ? {
            ...place,
            declaration: `${rival.declaration.name}: ${rival.declaration.value}${rival.declaration.important ? ' !important' : ''}`,
            specificity: specificityText(rival.weight.specificity),
            rule: (rival.block.owner as Owner | null)?.rule.name ?? null,
          }
        : null,
    step: rival
      ? compareWeights(pair.isOurs ? winner.weight : rival.weight, pair.isOurs ? rival.weight : ours.weight).step
      : null,
    change: winningChange(pair, look)?.text ?? null,
    text: pseudo === '' && isInherited(longhand) ? textShare(element, longhand, look) : null,
  };
}

/** What would win without this rule, the browser's own aside. */
function strongestRival({ element, pseudo, longhand, winner }: Pair, look: Look) {
  const own = (winner.block.owner as Owner | null)?.rule;
  const rival = look.cascade.winner(
    element,
    pseudo,
    longhand,
    ({ owner, origin }) => origin !== 'browser' && (owner as Owner | null)?.rule !== own,
  );
  return rival;
}

/** Of the elements inside that hold text of their own, how many take the value of this one. */
function textShare(container: Element, longhand: string, look: Look): WhyPair['text'] {
  const others: { element: string; from: string }[] = [];
  let [takes, of] = [0, 0];
  for (const element of look.document.elements) {
    if (!holdsText(element) || !look.built.isDisplayed(element)) continue;
    const lineage = lineageOf(element);
    const depth = lineage.indexOf(container);
    if (depth < 0) continue;
    of++;
    const setter = lineage.slice(0, depth).find((each) => {
      const winner = look.cascade.winner(each, '', longhand);
      return winner !== null && !/^(inherit|unset)$/i.test(winner.declaration.value);
    });
    if (!setter) {
      takes++;
      continue;
    }
    const winner = look.cascade.winner(setter, '', longhand);
    if (others.length < 5 && winner) {
      const { file, line, selector } = placeOfWinner(winner, setter, look);
      others.push({
        element: elementPath(element),
        from: line > 0 ? `${file}:${line} ${selector}` : `${file}: ${selector}`,
      });
    }
  }
  return { takes, of, others };
}

const holdsText = (element: Element) =>
  !['script', 'style', 'template', 'noscript'].includes(element.tagName) &&
  element.childNodes.some((node) => 'value' in node && node.nodeName === '#text' && node.value.trim() !== '');
