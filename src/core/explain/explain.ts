import { ships } from '../rule/status.js';
import { compareWeights, type CascadeStep } from '../css/cascade/weight.js';
import { isInherited } from '../css/declaration.js';
import { specificityText } from '../css/specificity.js';
import { describe } from '../find/describe.js';
import { lineageOf, type Element } from '../page/document.js';
import { compileMatcher } from '../page/elements.js';
import { elementPath } from '../page/element-path.js';
import type { Page, Site } from '../page/page.js';
import type { Rule } from '../rule/rule.js';
import { ownPages, pageConditions } from '../target/delivery.js';
import { alternativePages } from '../target/pages.js';
import type { CheckInput } from '../check/input.js';
import { settingsFor, viewContext, viewFor } from '../check/plan.js';
import { elementsOf, judge } from '../check/judge.js';
import { missingElements } from '../fix/missing-element.js';
import { actionKind } from '../action/index.js';
import { hiddenBy } from '../action/hidden-by.js';
import type { Finding } from '../finding.js';
import type { OpenedPage } from '../check/opened-page.js';
import type { CompiledAction } from '../action/compiled.js';
import { compileRule } from '../action/compile.js';
import { countPairs, pairsOf, placeOfWinner, placesOn, type Pair } from '../action/pair.js';
import type { Cell, Verdict } from '../check/verdict.js';
import { strongerOn, winningChange } from '../fix/winning-change.js';

/** Why a rule targets a page, or which terms keep it from doing so. */
export interface WhyTargeted {
  holds: boolean;
  /** The alternative that picks the page, or the one that is nearest to it. */
  condition: string;
  /** Terms of it that do not match. */
  missing: string[];
  /** The exception that takes the page out. */
  excepted: string | null;
}

/** One longhand on one element: the winner, the deciding step of the cascade, and what would win without it. */
export interface WhyPair {
  property: string;
  /** As written in the rule, and computed. */
  ours: string;
  /** The specificity of our selector, with its scope. */
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
  /** The step of the cascade that decided; null if nothing else sets it. */
  step: CascadeStep | null;
  change: string | null;
  /** How many of the elements with text inside inherit the value; null if the property is not inherited. */
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

/** Elements reported for each action. */
const mostElements = 5;

/** Explains one verdict. `selector` limits it to the elements that it matches. */
export function explain(input: CheckInput, rule: Rule, page: Page, selector: string | null): WhyReport {
  const { view, dependsOn } = viewFor(rule, input, []);
  const settings = settingsFor(rule, input);
  const own = view.site.byPath.get(page.path) ?? page;
  const targeted = whyTargeted(rule, own, view.site);
  const report: WhyReport = {
    kind: 'local-needle.why',
    version: 1,
    site: view.site.name,
    viewport: settings.viewport.name,
    state: settings.state,
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
  const compiled = compileRule(rule);
  const look = viewContext(view, rules, input).look(own, settings);
  const { cell, findings, missing } = judge(compiled, look, dependsOn);
  const { state } = settings;
  const hinted = missing.flatMap((index) => {
    const action = rule.actions[index];
    return action ? missingElements([{ rule, action, page: own, view, state }], input) : [];
  });
  const wanted = selector === null ? null : new Set(compileMatcher(selector)(look.document));
  return {
    ...report,
    ...verdictOf(cell),
    findings: [...hinted, ...findings],
    actions: compiled.actions.flatMap((each) => {
      const { action } = each;
      if (actionKind(action).judge === null || !ownPages(rule, action, view.site).has(own)) return [];
      return [whyAction(each, look, wanted)];
    }),
  };
}

const verdictOf = ({ verdict, sure, dependsOn = [] }: Cell) => ({ verdict, sure, dependsOn });

function whyTargeted(rule: Rule, page: Page, site: Site): WhyTargeted {
  const alternatives = pageConditions(rule).flatMap((condition) => condition.alternatives);
  const told = alternatives.map((terms) => ({
    condition: terms.map(({ text }) => text).join(' '),
    missing: terms.filter((term) => !alternativePages([term], site).has(page)).map(({ text }) => text),
  }));
  const [nearest] = told.sort((a, b) => a.missing.length - b.missing.length);
  const except = rule.except?.alternatives.find((terms) => alternativePages(terms, site).has(page));
  const excepted = except ? except.map(({ text }) => text).join(' ') : null;
  return {
    holds: nearest?.missing.length === 0 && excepted === null,
    condition: nearest?.condition ?? '',
    missing: nearest?.missing ?? [],
    excepted,
  };
}

function whyAction(compiled: CompiledAction, look: OpenedPage, wanted: Set<Element> | null): WhyAction {
  const { action, around } = compiled;
  const holds = look.cascade.holds(around);
  const failing = around.find((each) => look.cascade.holds([each]) === false);
  const elements = holds === false ? [] : elementsOf(compiled, look).filter((each) => wanted?.has(each) ?? true);
  // Those with a lost pair come first.
  const losing = new Set(countPairs(compiled, elements, look, Infinity).lost.map(({ element }) => element));
  const inOrder = [...elements.filter((each) => losing.has(each)), ...elements.filter((each) => !losing.has(each))];
  return {
    action: action.kind,
    selector: 'address' in action ? action.address : action.selector,
    file: action.at.file,
    line: action.at.line,
    leftOut: failing && 'condition' in failing ? `@${failing.kind} ${failing.condition}` : null,
    elements: elements.length,
    shown: inOrder.slice(0, wanted ? elements.length : mostElements).map((element) => {
      const shown = look.built.isDisplayed(element);
      const by = shown ? null : hiddenBy(element, look);
      const pairs = pairsOf(compiled, [element], look);
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

function whyPair(pair: Pair, look: OpenedPage): WhyPair {
  const { element, pseudo, longhand, ours, winner } = pair;
  const rival = pair.isOurs ? strongestRival(pair, look) : winner;
  const place = rival && placeOfWinner(rival, element, placesOn(look));
  return {
    property: longhand + (pseudo ? ` of ${pseudo}` : ''),
    ours: `${ours.declaration.name}: ${ours.declaration.value}${ours.declaration.important ? ' !important' : ''}`,
    specificity: specificityText(ours.weight.specificity),
    line: ours.block.owner?.placeOf(ours.declaration).line ?? 0,
    value: look.built.value(element, pseudo, longhand),
    without: look.bare.value(element, pseudo, longhand),
    won: pair.won,
    winner:
      rival && place
        ? {
            ...place,
            declaration: `${rival.declaration.name}: ${rival.declaration.value}${rival.declaration.important ? ' !important' : ''}`,
            specificity: specificityText(rival.weight.specificity),
            rule: rival.block.owner?.rule.name ?? null,
          }
        : null,
    step: rival
      ? compareWeights(pair.isOurs ? winner.weight : rival.weight, pair.isOurs ? rival.weight : ours.weight).step
      : null,
    change: pair.won ? null : winningChange(pair, strongerOn(look)).text,
    text: pseudo === '' && isInherited(longhand) ? textShare(element, longhand, look) : null,
  };
}

/** The winner without this rule, ignoring the browser's own styles. */
function strongestRival({ element, pseudo, longhand, winner }: Pair, look: OpenedPage) {
  const own = winner.block.owner?.rule;
  const rival = look.cascade.winner(
    element,
    pseudo,
    longhand,
    ({ owner, origin }) => origin !== 'browser' && owner?.rule !== own,
  );
  return rival;
}

/** How many of the elements inside with their own text have the same value. */
function textShare(container: Element, longhand: string, look: OpenedPage): WhyPair['text'] {
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
      const { file, line, selector } = placeOfWinner(winner, setter, placesOn(look));
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
