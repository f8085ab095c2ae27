import type { AtRule, Declaration } from 'postcss';
import type { OurRule, OurSheet } from '../css/cascade/cascade.js';
import { compileScoped, compileSheet, readScope, type Around, type SheetSelector } from '../css/cascade/sheet.js';
import type { SheetDeclaration } from '../css/syntax.js';
import type { Element, PageDocument } from '../page/document.js';
import { candidates } from '../page/elements.js';
import { currentPathOf } from '../page/location.js';
import { swapContent } from '../css/swap-content.js';
import type { Place } from '../place.js';
import type { Action, Rule } from '../rule/rule.js';

/** An action as it stands in the cascade, and where its declarations stand in the rule file. */
export interface Owner {
  rule: Rule;
  action: Action;
  placeOf: (declaration: SheetDeclaration) => Place;
}

/** A rule made ready for the cascade, once for all pages. */
export interface CompiledRule {
  rule: Rule;
  actions: CompiledAction[];
}

export interface CompiledAction {
  action: Action;
  owner: Owner;
  /** What it ships; empty for swaps and scripts. */
  rules: OurRule[];
  /** Its selectors, to find elements with; null where only the cascade can tell (`@scope`) or it ships no styles. */
  selectors: OurSelector[] | null;
  /** The at-rules around it, and the layers, keyframes and properties that it names. */
  around: Around[];
  sheet: Pick<OurSheet, 'layers' | 'keyframes' | 'registered' | 'makesContainers'>;
}

const nothingNamed = (): CompiledAction['sheet'] => ({
  layers: [],
  keyframes: new Map(),
  registered: new Map(),
  makesContainers: false,
});

const compiledKnown = new WeakMap<Rule, CompiledRule>();

/** Makes a rule ready for the cascade; the same rule is compiled once. */
export function compileRule(rule: Rule): CompiledRule {
  const known = compiledKnown.get(rule) ?? compiled(rule);
  compiledKnown.set(rule, known);
  return known;
}

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
  const places = new Map<SheetDeclaration, Place>();
  const owner: Owner = { rule, action, placeOf: (declaration) => places.get(declaration) ?? action.at };
  const compiled: CompiledAction = { action, owner, rules: [], selectors: null, around: [], sheet: nothingNamed() };
  const layer = readAround('within' in action ? action.within : [], compiled, anonymousName);
  if (layer === null) return compiled;
  if (action.kind === 'definition') {
    const { layers, keyframes, registered } = compileSheet(action.node.toString());
    const named = layers.map(({ path }) => ({ path: [...layer, ...path], around: compiled.around }));
    compiled.sheet = { ...compiled.sheet, layers: [...compiled.sheet.layers, ...named], keyframes, registered };
    return compiled;
  }
  const firm = rule.strength === 'firm';
  const declarations: SheetDeclaration[] = [];
  if (action.kind === 'restyle' || action.kind === 'mark-current')
    for (const node of action.declarations) {
      const declaration = declarationOf(node, firm);
      const start = node.source?.start;
      places.set(declaration, { file: action.at.file, line: start?.line ?? 1, column: start?.column ?? 1 });
      declarations.push(declaration);
    }
  else if (action.kind === 'hide' || action.kind === 'only-here')
    declarations.push({ kind: 'declaration', name: 'display', value: 'none', important: true, offset: 0 });
  else if (action.kind === 'swap' && action.image)
    for (const value of swapContent(action.image.url, action.alt))
      declarations.push({ kind: 'declaration', name: 'content', value, important: false, offset: 0 });
  if (declarations.length === 0) return compiled;
  compiled.sheet.makesContainers = declarations.some(({ name }) => /^container(-type|-name)?$/.test(name));
  const scoped = compiled.around.some(({ kind }) => kind === 'scope');
  const selectors = action.selectors
    .flatMap(({ text }) => compileScoped(text, scoped) ?? [])
    .map((selector) => (action.kind === 'mark-current' ? currentOnly(selector, action.sections) : selector))
    .map(withScopeWeight);
  // Inside @scope an element matches or not by the root that is asked about.
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

/** Reads the at-rules around an action into `around` and the layers that they name; null where it never applies. */
function readAround(
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
      const scoped = compiled.around.some(({ kind }) => kind === 'scope');
      const scope = readScope(node.params, { parents: null, scoped });
      if (!scope) return null;
      compiled.around.push(scope);
    }
  }
  return layer;
}

const declarationOf = (node: Declaration, firm: boolean): SheetDeclaration => ({
  kind: 'declaration',
  name: node.prop.startsWith('--') ? node.prop : node.prop.toLowerCase(),
  value: node.value,
  important: firm || node.important === true,
  offset: 0,
});

/** A selector of ours that finds its elements once a page, for it is asked of each of them again and again. */
export interface OurSelector extends SheetSelector {
  elements: (document: PageDocument) => Element[];
}

function remembering(selector: SheetSelector): OurSelector {
  let last: PageDocument | null = null;
  let [list, set] = [[] as Element[], new Set<Element>()];
  const look = (document: PageDocument) => {
    if (document === last) return;
    last = document;
    list = candidates(document, selector.key).filter((element) => selector.matches(document, element));
    set = new Set(list);
  };
  return {
    ...selector,
    elements: (document) => (look(document), list),
    matches: (document, element) => (look(document), set.has(element)),
  };
}

/** A selector that matches current links alone. */
const currentOnly = (selector: SheetSelector, sections: boolean): SheetSelector => ({
  ...selector,
  matches: (document, element) =>
    selector.matches(document, element) && currentPathOf(document, element, sections) !== null,
});

/** A scope weighs (0,1,1), however the pages are picked (docs/verdicts.md, Scope). */
const withScopeWeight = (selector: SheetSelector): SheetSelector => ({
  ...selector,
  specificity: [selector.specificity[0], selector.specificity[1] + 1, selector.specificity[2] + 1],
});

/** What of these actions stands in the cascade of a page, in the order in which it ships. */
export function ourSheet(actions: CompiledAction[]): OurSheet | null {
  if (actions.length === 0) return null;
  const sheet: OurSheet = { ...nothingNamed(), rules: actions.flatMap(({ rules }) => rules) };
  for (const { sheet: named } of actions) {
    sheet.layers.push(...named.layers);
    for (const [name, set] of named.keyframes) sheet.keyframes.set(name, set);
    for (const [name, value] of named.registered) sheet.registered.set(name, value);
    sheet.makesContainers ||= named.makesContainers;
  }
  return sheet;
}
