import { compareWeights, level, type Weight } from '../css/cascade/weight.js';
import { compareSpecificity, specificityText } from '../css/specificity.js';
import { BoundedMap } from '../bounded-map.js';
import { compileSelector, type SheetSelector } from '../css/cascade/sheet.js';
import { attribute, lineageOf, type Element } from '../page/document.js';
import { candidates as carrying } from '../page/elements.js';
import { classesOf } from '../find/describe.js';
import type { OpenedPage } from '../check/opened-page.js';
import type { LostPair } from '../action/pair.js';

/** A change to a rule that wins a lost pair, tried on the page. */
export interface WinningChange {
  kind: 'selector' | 'important' | 'order' | 'none';
  text: string;
  /** What it takes: another selector, `important: yes`, or both. */
  selector?: string;
  important?: boolean;
}

/** A selector for the same elements that weighs more than the winner, with `!important` if so asked; null if none was found. */
export type StrongerSelector<At = Element> = (pair: LostPair<At>, important: boolean) => string | null;

/** The smallest change with which a lost pair would win: a more specific selector, then `important: yes`. */
export function winningChange<At>(pair: LostPair<At>, stronger: StrongerSelector<At>): WinningChange {
  const { winner, ours } = pair;
  const { step } = compareWeights(winner.weight, ours.weight);
  if (step === 'shadow')
    return { kind: 'none', text: 'Nothing outside of a shadow tree wins over what is !important in it.' };
  const other = winner.block.owner;
  if (other && step === 'order')
    return {
      kind: 'order',
      text: `It comes later in the rule files: ${other.rule.name} (${other.rule.at.file}:${other.rule.at.line}).`,
    };
  if (step === 'specificity' || step === 'order' || step === 'scope') {
    const selector = stronger(pair, false);
    if (selector !== null) return { kind: 'selector', text: `${selector} would win.`, selector };
  }
  const important: Weight = { ...ours.weight, level: level.authorImportant };
  if (compareWeights(important, winner.weight).sign > 0)
    return { kind: 'important', text: 'important: yes would win.', important: true };
  const reason = winner.block.weight.inline
    ? 'its style attribute is !important, so only the page itself can change it'
    : winner.weight.level === level.authorImportant
      ? `${specificityText(winner.weight.specificity)} is already !important: even with important: yes the selector needs a higher specificity`
      : 'nothing in a stylesheet can override it';
  const heavy = stronger(pair, true);
  if (heavy !== null)
    return { kind: 'selector', text: `important: yes with ${heavy} would win.`, selector: heavy, important: true };
  return { kind: 'none', text: `Select another element: ${reason}.` };
}

const compiledKnown = new BoundedMap<string, SheetSelector | null>(5000);

/** The same selectors are tried on page after page. */
function compiledOnce(text: string): SheetSelector | null {
  let known = compiledKnown.get(text);
  if (known === undefined) compiledKnown.set(text, (known = compileSelector(text)));
  return known;
}

/** Looks for one on an opened page. */
export const strongerOn =
  ({ document }: Pick<OpenedPage, 'document'>): StrongerSelector =>
  ({ element, pseudo, ours, winner }, important) => {
    const plain = ours.block.selector;
    const own = compiledOnce(plain);
    if (!own) return null;
    const base: Weight = important ? { ...ours.weight, level: level.authorImportant } : ours.weight;
    const [ids, classes, types] = base.specificity;
    const wins = (more: [number, number, number]) =>
      compareWeights({ ...base, specificity: [ids + more[0], classes + more[1], types + more[2]] }, winner.weight)
        .sign > 0;
    const elements = carrying(document, own.key).filter((each) => own.matches(document, each));
    const prefixes = lineageOf(element)
      .slice(1)
      .filter(({ tagName }) => tagName !== 'html' && tagName !== 'body')
      .flatMap((each) => [
        ...classesOf(each)
          .filter((name) => /^[a-z_][\w-]*$/i.test(name))
          .map((name) => `.${name}`),
        ...(/^[a-z_][\w-]*$/i.test(attribute(each, 'id') ?? '') ? [`#${attribute(each, 'id')}`] : []),
      ]);
    const longer = [
      `body ${plain}`,
      ...prefixes.map((prefix) => `${prefix} ${plain}`),
      ...prefixes.flatMap((outer, index) => prefixes.slice(0, index).map((inner) => `${outer} ${inner} ${plain}`)),
    ].slice(0, 60);
    const heavier = longer.flatMap((text) => {
      if (plain.includes(text.slice(0, -plain.length).trim())) return [];
      const compiled = compiledOnce(text);
      if (!compiled || compiled.pseudo !== pseudo) return [];
      const more = compiled.specificity.map((count, at) => count - (own.specificity[at] ?? 0)) as [
        number,
        number,
        number,
      ];
      return wins(more) ? [compiled] : [];
    });
    return (
      heavier
        .sort((a, b) => compareSpecificity(a.specificity, b.specificity) || a.text.length - b.text.length)
        .find(({ matches }) => elements.every((each) => matches(document, each)))?.text ?? null
    );
  };
