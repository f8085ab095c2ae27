import type { AtRule, Declaration } from 'postcss';
import type { OurSheet } from '../css/cascade/cascade.js';
import { compileScoped, compileSheet, forMany, isScoped, readScope, type SheetSelector } from '../css/cascade/sheet.js';
import { longhandsOf } from '../css/declaration.js';
import { selectorParts } from '../css/selector.js';
import type { SheetDeclaration } from '../css/syntax.js';
import { KeptWithPage, type Element, type PageDocument } from '../page/document.js';
import { candidates, compileMatcher } from '../page/elements.js';
import type { Matcher } from '../page/query.js';
import type { Place } from '../place.js';
import type { Rule } from '../rule/rule.js';
import type { Action } from './action.js';
import type { CompiledAction, CompiledRule, OurSelector, Owner } from './compiled.js';
import { actionKind } from './index.js';

const nothingNamed = (): CompiledAction['sheet'] => ({
  layers: [],
  keyframes: new Map(),
  registered: new Map(),
  makesContainers: false,
});

const compiledKnown = new WeakMap<Rule, CompiledRule>();

/** Compiles a rule for the cascade; each rule is compiled once. */
export function compileRule(rule: Rule): CompiledRule {
  const known = compiledKnown.get(rule) ?? compiled(rule);
  compiledKnown.set(rule, known);
  return known;
}

/** Compiles one action of a rule. */
export const compiledAction = (rule: Rule, action: Action): CompiledAction => {
  const found = compileRule(rule).actions.find((each) => each.action === action);
  if (!found) throw new Error(`The rule "${rule.name}" has no such action`);
  return found;
};

function compiled(rule: Rule): CompiledRule {
  let anonymous = 0;
  const layers = new Map<AtRule, string>();
  const nameOf = (node: AtRule) => {
    const known = layers.get(node) ?? `(${rule.name} ${++anonymous})`;
    layers.set(node, known);
    return known;
  };
  return { rule, actions: rule.actions.map((action) => compileAction(rule, action, nameOf)) };
}

function compileAction(rule: Rule, action: Action, anonymousName: (node: AtRule) => string): CompiledAction {
  const kind = actionKind(action);
  const places = new Map<SheetDeclaration, Place>();
  const owner: Owner = { rule, action, placeOf: (declaration) => places.get(declaration) ?? action.at };
  const compiled: CompiledAction = {
    ...{ action, owner, rules: [], selectors: null, isNarrowed: false, match: elementMatcher(action) },
    ...{ longhands: [], around: [] },
    sheet: nothingNamed(),
  };
  const css = kind.css(action, ({ url }) => url);
  if (kind.judge === 'by-pairs' && Array.isArray(css)) compiled.longhands = longhandsSet(css);
  const layer = readEnclosing(action.within, compiled, anonymousName);
  if (layer === null || css === null) return compiled;
  if (!Array.isArray(css)) {
    const { layers, keyframes, registered } = compileSheet(css.toString());
    const named = layers.map(({ path }) => ({ path: [...layer, ...path], around: compiled.around }));
    compiled.sheet = { ...compiled.sheet, layers: [...compiled.sheet.layers, ...named], keyframes, registered };
    return compiled;
  }
  const declarations = css.map((node) => {
    const declaration = declarationOf(node, rule.important);
    const start = node.source?.start;
    if (start) places.set(declaration, { file: action.at.file, line: start.line, column: start.column });
    return declaration;
  });
  if (declarations.length === 0) return compiled;
  compiled.sheet.makesContainers = declarations.some(({ name }) => /^container(-type|-name)?$/.test(name));
  const scoped = compiled.around.some(({ kind: around }) => around === 'scope');
  const read = action.selectors.flatMap(({ text }) => compileScoped(text, scoped) ?? []);
  const written = scoped ? read : read.map(forMany);
  const narrowed = written.map((selector) => kind.narrowed(action, selector));
  compiled.isNarrowed = narrowed.some((selector, index) => selector !== written[index]);
  const selectors = narrowed.map(withScopeWeight);
  // Inside @scope, whether an element matches depends on the scoping root.
  compiled.selectors = scoped ? null : selectors.map(remembering);
  compiled.rules = [
    {
      selectors: compiled.selectors ?? selectors,
      declarations,
      layer: layer.length > 0 ? layer : null,
      around: compiled.around,
      owner,
    },
  ];
  return compiled;
}

function elementMatcher({ selectors }: Action): Matcher | null {
  if (selectors.length === 0) return null;
  if (selectors.some(({ text }) => selectorParts(text).pseudo.startsWith('::part('))) {
    const compiled = selectors.flatMap(({ text }) => compileScoped(text, false) ?? []);
    return (document) =>
      document.elements.filter((element) => compiled.some(({ matches }) => matches(document, element)));
  }
  return compileMatcher(selectors.map(({ text }) => selectorParts(text).element).join(', '));
}

const longhandsSet = (declarations: Declaration[]): string[] => [
  ...new Set(declarations.flatMap(({ prop }) => (prop.startsWith('--') ? [prop] : longhandsOf(prop.toLowerCase())))),
];

/** Reads the at-rules around an action into `around` and the layers that they name; null if it never applies. */
function readEnclosing(
  within: AtRule[],
  compiled: CompiledAction,
  anonymousName: (node: AtRule) => string,
): string[] | null {
  const layer: string[] = [];
  for (const node of within) {
    const name = node.name.toLowerCase();
    if (name === 'starting-style') return null;
    if (name === 'media' || name === 'supports' || name === 'container')
      compiled.around.push({ kind: name, condition: node.params });
    if (name === 'layer') {
      layer.push(...(node.params.trim() === '' ? [anonymousName(node)] : node.params.trim().split('.')));
      compiled.sheet.layers.push({ path: [...layer], around: [...compiled.around] });
    }
    if (name === 'scope') {
      const scoped = isScoped(compiled.around);
      const scope = readScope(node.params, { parents: null, scoped });
      if (!scope) return null;
      compiled.around.push(scope);
    }
  }
  return layer;
}

const declarationOf = (node: Declaration, important: boolean): SheetDeclaration => ({
  kind: 'declaration',
  name: node.prop.startsWith('--') ? node.prop : node.prop.toLowerCase(),
  value: node.value,
  important: important || node.important === true,
  offset: 0,
});

/** What our selectors match on a page, for as long as the page is open: kept by selector, it would keep pages open. */
const matchedOn = new KeptWithPage<Map<SheetSelector, { list: Element[]; set?: Set<Element> }>>();

/** A selector that looks for its elements once a page. It must not stand in `@scope`. */
export function remembering(selector: SheetSelector): OurSelector {
  const look = (document: PageDocument) => {
    let known = matchedOn.get(document);
    if (!known) matchedOn.set(document, (known = new Map<SheetSelector, { list: Element[]; set?: Set<Element> }>()));
    let found = known.get(selector);
    if (!found) {
      const list = candidates(document, selector.key).filter((element) => selector.matches(document, element));
      known.set(selector, (found = { list }));
    }
    return found;
  };
  return {
    ...selector,
    elements: (document) => look(document).list,
    matches(document, element) {
      const found = look(document);
      return (found.set ??= new Set(found.list)).has(element);
    },
  };
}

/** A scope has specificity (0,1,1), whatever picks the pages (docs/verdicts.md, Scope). */
const withScopeWeight = (selector: SheetSelector): SheetSelector => ({
  ...selector,
  specificity: [selector.specificity[0], selector.specificity[1] + 1, selector.specificity[2] + 1],
});

/** The style rules of these actions, in the order in which they ship. */
export function ourSheet(actions: readonly CompiledAction[]): OurSheet<Owner> | null {
  if (actions.length === 0) return null;
  const sheet: OurSheet<Owner> = { ...nothingNamed(), rules: actions.flatMap(({ rules }) => rules) };
  for (const { sheet: named } of actions) {
    sheet.layers.push(...named.layers);
    for (const [name, set] of named.keyframes) sheet.keyframes.set(name, set);
    for (const [name, value] of named.registered) sheet.registered.set(name, value);
    sheet.makesContainers ||= named.makesContainers;
  }
  return sheet;
}
