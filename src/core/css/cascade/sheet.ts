import { selectorTokens, type Namespaces } from '../selector-tokens.js';
import type { Element, PageDocument } from '../../page/document.js';
import { compileElementTest, simpleTest, testOfMany } from '../../page/elements.js';
import { plainMatcher } from '../../page/query.js';
import { mayHavePart, partNames } from '../../page/shadow.js';
import { selectorKey } from '../../page/selector-key.js';
import {
  isBeyondReading,
  isPlainSelector,
  parseSiteSelectors,
  resolveNested,
  selectorParts,
  type Selector,
} from '../selector.js';
import { holdsNesting, holdsScope, scopeParts, withImplied } from '../selector-text.js';
import { asksOf, asksOfPlain, type Asks } from './selector-asks.js';
import { specificityOf, type Specificity } from '../specificity.js';
import { lineCounter, readStylesheet, type SheetDeclaration, type SheetNode } from '../syntax.js';

/** One complex selector of a sheet, ready to be tried on elements. */
export interface SheetSelector {
  text: string;
  /** `::before` and what else follows the first pseudo-element; empty in most. */
  pseudo: string;
  specificity: Specificity;
  /** What the element must carry for it to match at all: `#id`, `.class`, a tag, each in lower case, or `*`. */
  key: string;
  matches: (document: PageDocument, element: Element) => boolean;
  /** All that match on a page, in the order of the source; only of selectors that find them at once. */
  elements?: (document: PageDocument) => Element[];
  /** The same by asking each element; see query.ts. */
  plainly: (document: PageDocument) => Element[];
  /** Whether what it needs above an element may be there. */
  mayBeBelow: (document: PageDocument, element: Element) => boolean;
  /** What decides whether it matches. */
  asks: () => Asks;
}

/** An at-rule around a style rule, on which the style rule depends. */
export type EnclosingRule =
  | { kind: 'media' | 'supports' | 'container'; condition: string }
  | { kind: 'scope'; start: SheetSelector[] | null; end: SheetSelector[] };

/** Whether one of the at-rules around a style rule is `@scope`. */
export const isScoped = (around: readonly { kind: string }[]): boolean => around.some(({ kind }) => kind === 'scope');

/** A style rule, its nesting resolved. */
export interface SheetRule {
  selectors: SheetSelector[];
  declarations: SheetDeclaration[];
  /** Names from the outermost layer to its own; null outside of all layers. An anonymous layer has a name of its own. */
  layer: string[] | null;
  around: EnclosingRule[];
}

/** A stylesheet compiled for the cascade; made once a text, used on every page that loads it. */
export interface Sheet {
  source: string;
  rules: SheetRule[];
  /** In the order in which they are named first; those inside conditions with these. */
  layers: { path: string[]; around: EnclosingRule[] }[];
  imports: { url: string; layer: string[] | null; supports: string | null; media: string; offset: number }[];
  /** The properties that keyframes set, by the name of the animation. */
  keyframes: Map<string, Set<string>>;
  /** Custom properties that `@property` registers: whether they inherit, and their initial value. */
  registered: Map<string, { inherits: boolean; initial: string | null }>;
  /** Selectors of style rules that could not be read, and may match anything. */
  unread: { selector: string; offset: number }[];
  /** Whether a declaration makes an element a query container. */
  makesContainers: boolean;
  /** Whether a style rule depends on a query container. */
  asksContainers: boolean;
  /** Whether an `@scope` has no root of its own: it is limited to the element around its `<style>`. */
  hasRootlessScope: boolean;
  /** The rules that an element with this key may match. */
  byKey: Map<string, { rule: SheetRule; selector: SheetSelector; index: number }[]>;
  lineOf: (offset: number) => number;
}

/** Reads a stylesheet for the cascade. Never throws. */
export function compileSheet(source: string): Sheet {
  const sheet: Sheet = {
    source,
    rules: [],
    layers: [],
    imports: [],
    keyframes: new Map(),
    registered: new Map(),
    unread: [],
    makesContainers: false,
    asksContainers: false,
    hasRootlessScope: false,
    byKey: new Map(),
    lineOf: lazily(() => lineCounter(source)),
  };
  new SheetCompiler(sheet).readAll(readStylesheet(source));
  indexSheet(sheet);
  const around = new Set(sheet.rules.flatMap((rule) => rule.around));
  for (const each of around) {
    sheet.asksContainers ||= each.kind === 'container';
    sheet.hasRootlessScope ||= each.kind === 'scope' && each.start === null;
  }
  if (/container/i.test(source))
    sheet.makesContainers = sheet.rules.some(({ declarations }) =>
      declarations.some(({ name }) => name === 'container' || name === 'container-type'),
    );
  return sheet;
}

function lazily(make: () => (offset: number) => number): (offset: number) => number {
  let made: ReturnType<typeof make> | undefined;
  return (offset) => (made ??= make())(offset);
}

/** Fills `byKey` from the rules. */
export function indexSheet(sheet: Pick<Sheet, 'rules' | 'byKey'>): void {
  sheet.rules.forEach((rule, index) => {
    for (const selector of rule.selectors) {
      const entry = { rule, selector, index };
      const list = sheet.byKey.get(selector.key);
      if (list) list.push(entry);
      else sheet.byKey.set(selector.key, [entry]);
    }
  });
}

/** The context of the nodes being read. */
interface Context {
  layer: string[] | null;
  around: EnclosingRule[];
  parents: Selector[] | null;
  /** Whether an `@scope` is around: selectors are then relative to its root. */
  scoped: boolean;
  namespaces: Namespaces;
  /** Where the style rule begins that is being read. */
  offset: number;
}

/** Every anonymous layer is distinct, across all sheets. */
let anonymousLayers = 0;

class SheetCompiler {
  private importsAllowed = true;
  private namespacesAllowed = true;
  private readonly namespaces = new Map<string, string>();

  constructor(private readonly sheet: Sheet) {}

  readAll(nodes: SheetNode[]): void {
    this.read(nodes, {
      ...{ layer: null, around: [], parents: null, scoped: false },
      ...{ namespaces: this.namespaces, offset: 0 },
    });
  }

  read(nodes: SheetNode[], context: Context): void {
    let run: SheetDeclaration[] = [];
    const flush = () => {
      const own = context.parents ?? (context.scoped ? [{ text: ':where(:scope)', offset: 0 }] : null);
      if (run.length > 0 && own) this.addRule(own, run, context);
      run = [];
    };
    for (const node of nodes) {
      if (node.kind === 'declaration') {
        run.push(node);
        continue;
      }
      flush();
      if (node.kind === 'style') this.styleRule(node.prelude, node.children, { ...context, offset: node.offset });
      else this.atRule(node.name, node.prelude, node.children, context, node.offset);
    }
    flush();
  }

  private styleRule(prelude: string, children: SheetNode[], context: Context): void {
    this.importsAllowed = false;
    this.namespacesAllowed = false;
    const selectors = absoluteSelectors(prelude, context);
    if (selectors === 'unread') this.sheet.unread.push({ selector: prelude, offset: context.offset });
    else if (selectors) this.read(children, { ...context, parents: selectors });
  }

  private addRule(
    selectors: Selector[],
    declarations: SheetDeclaration[],
    { layer, around, namespaces, offset }: Context,
  ): void {
    const compiled = selectors.flatMap(({ text }) => {
      const own = compileSelector(text, namespaces);
      if (!own) this.sheet.unread.push({ selector: text, offset });
      return own ?? [];
    });
    if (compiled.length > 0) this.sheet.rules.push({ selectors: compiled, declarations, layer, around });
  }

  private atRule(name: string, prelude: string, children: SheetNode[] | null, context: Context, offset: number): void {
    if (name === 'import') {
      if (this.importsAllowed && children === null) this.importSheet(prelude, offset);
      return;
    }
    if (name === 'layer') return this.layerRule(prelude, children, context);
    if (name !== 'charset') this.importsAllowed = false;
    if (name === 'namespace' && this.namespacesAllowed && children === null) return this.namespace(prelude);
    if (name !== 'charset') this.namespacesAllowed = false;
    if (children === null) return;
    if (name === 'media' || name === 'supports' || name === 'container')
      this.read(children, { ...context, around: [...context.around, { kind: name, condition: prelude }] });
    else if (name === 'scope') {
      const scope = readScope(prelude, context);
      if (scope === null && isBeyondReading(prelude)) this.sheet.unread.push({ selector: prelude, offset });
      if (scope) this.read(children, { ...context, around: [...context.around, scope], parents: null, scoped: true });
    } else if (/^(-webkit-)?keyframes$/.test(name)) {
      const set = children.flatMap((frame) => (frame.kind === 'style' ? frame.children : []));
      const names = set.flatMap((node) => (node.kind === 'declaration' && !node.important ? [node.name] : []));
      this.sheet.keyframes.set(unquoted(prelude), new Set(names));
    } else if (name === 'property') {
      const value = (wanted: string) =>
        children.find((node) => node.kind === 'declaration' && node.name === wanted) as SheetDeclaration | undefined;
      const inherits = value('inherits')?.value;
      if (inherits === undefined || !value('syntax')) return;
      this.sheet.registered.set(prelude, {
        inherits: inherits === 'true',
        initial: value('initial-value')?.value ?? null,
      });
    }
  }

  /** CSS Namespaces 3, section 2. */
  private namespace(prelude: string): void {
    const [, prefix = '', address = ''] =
      /^(?:([\w-]+)\s+)?((?:url\(\s*)?(?:"[^"]*"|'[^']*'|[^\s"')]+)(?:\s*\))?)$/i.exec(prelude) ?? [];
    if (address !== '') this.namespaces.set(prefix, unquoted(address.replace(/^url\(\s*|\s*\)$/gi, '')));
  }

  private importSheet(prelude: string, offset: number): void {
    const [, address = '', rest = ''] =
      /^((?:url\(\s*)?(?:"[^"]*"|'[^']*'|[^\s"')]*)(?:\s*\))?)\s*([^]*)$/i.exec(prelude) ?? [];
    const url = unquoted(address.replace(/^url\(\s*|\s*\)$/gi, ''));
    const [, plain, named, supports, media = ''] =
      /^(?:(layer)(?![\w(-])|layer\(\s*([^)]*?)\s*\))?\s*(?:supports\(([^]*?)\)(?=\s|$))?\s*([^]*)$/i.exec(rest) ?? [];
    const layer = named !== undefined ? layerPath(named) : plain ? [this.anonymousLayer()] : null;
    if (layer) this.sheet.layers.push({ path: layer, around: media ? [{ kind: 'media', condition: media }] : [] });
    if (url) this.sheet.imports.push({ url, layer, supports: supports ?? null, media, offset });
  }

  private anonymousLayer = () => `(layer ${++anonymousLayers})`;

  private layerRule(prelude: string, children: SheetNode[] | null, context: Context): void {
    const names = prelude === '' ? [] : prelude.split(',').map((each) => layerPath(each.trim()));
    if (names.includes(null) || (children && names.length > 1) || (!children && names.length === 0)) return;
    if (children) this.importsAllowed = false;
    const paths = (children && names.length === 0 ? [[this.anonymousLayer()]] : names).map((path) => [
      ...(context.layer ?? []),
      ...(path ?? []),
    ]);
    for (const path of paths) this.sheet.layers.push({ path, around: context.around });
    if (children && paths[0]) this.read(children, { ...context, layer: paths[0] });
  }
}

/** `a.b` as names; null if it is no layer name. */
function layerPath(name: string): string[] | null {
  const parts = name.split('.');
  const isName = (part: string) => /^-?(?:[a-z_\u0080-\uffff]|\\.)(?:[\w\u0080-\uffff-]|\\.)*$|^--[\w-]+$/i.test(part);
  return parts.every(isName) && !/^(initial|inherit|unset|revert|revert-layer|default)$/i.test(name) ? parts : null;
}

const unquoted = (text: string) => text.trim().replace(/^(["'])(.*)\1$/s, '$2');

/** The absolute selectors of a style rule; null if a browser drops it, `unread` where nothing can be said. */
function absoluteSelectors(
  prelude: string,
  { parents, scoped, namespaces }: Pick<Context, 'parents' | 'scoped'> & Partial<Pick<Context, 'namespaces'>>,
): Selector[] | null | 'unread' {
  if (isBeyondReading(prelude)) return 'unread';
  // `> .x` is read as what follows it; the combinator is put back.
  const text = (parents || scoped) && withImplied(prelude, parents ? '&' : ':scope');
  const selectors = parseSiteSelectors(text || prelude, namespaces);
  if (!selectors) return null;
  if (parents) return nestedIn(selectors, parents);
  const root = [{ text: ':where(:scope)', offset: 0 }];
  return selectors.flatMap((selector) => {
    if (holdsNesting(selector.text)) return resolveNested([selector], root);
    return scoped && !holdsScope(selector.text)
      ? [{ ...selector, text: `:where(:scope) ${selector.text}` }]
      : [selector];
  });
}

/** Nested `& &` doubles the text with every level; no sheet that people write comes near this. */
const longestNested = 50_000;

function nestedIn(selectors: Selector[], parents: Selector[]): Selector[] | 'unread' {
  // An upper limit: not each `&` stands for the parents.
  const longest = selectors.reduce((most, each) => Math.max(most, each.text.split('&').length), 1);
  const parentLength = parents.reduce((total, each) => total + each.text.length, 0);
  return longest * parentLength > longestNested ? 'unread' : resolveNested(selectors, parents);
}

/** Compiles a selector of ours as it is inside of `@scope` or outside; null if it can match nothing. */
export function compileScoped(text: string, scoped: boolean): SheetSelector[] | null {
  const selectors = scoped ? absoluteSelectors(text, { parents: null, scoped }) : [{ text, offset: 0 }];
  return selectors === 'unread' ? null : (selectors?.flatMap((each) => compileSelector(each.text) ?? []) ?? null);
}

/** `(.card) to (.inner)`; null if a browser drops the rule. */
export function readScope(prelude: string, context: Pick<Context, 'parents' | 'scoped'>): EnclosingRule | null {
  const parts = scopeParts(prelude);
  if (!parts) return null;
  const { start, end } = parts;
  const compiled = (text: string, scoped: boolean) => {
    const selectors = absoluteSelectors(text, { parents: context.parents, scoped });
    return selectors === 'unread' ? undefined : selectors?.map(({ text: each }) => compileSelector(each));
  };
  // Inside another scope it is relative to that one's root, as all selectors there are.
  const starts = start === undefined ? null : compiled(start, context.scoped);
  // A limit is relative to the scoping root only where it says so.
  const ends = end === undefined ? [] : compiled(withImplied(end, ':scope') ?? end, false);
  if (starts === undefined || ends === undefined) return null;
  if (starts?.includes(null) || ends.includes(null)) return null;
  return { kind: 'scope', start: starts as SheetSelector[] | null, end: ends as SheetSelector[] };
}

/** The same selector, to be tried on many elements of each page; not for one that stands in `@scope`. */
export const forMany = (selector: SheetSelector): SheetSelector =>
  selector.pseudo === '' && /\s/.test(selector.text)
    ? { ...selector, matches: testOfMany(selector.text, selector.matches) }
    : selector;

const pseudoElementName = /^::?[\w-]+/;

/** Compiles one absolute selector; null if it can match nothing in a page's source. */
export function compileSelector(text: string, namespaces?: Namespaces): SheetSelector | null {
  if (isPlainSelector(text) && !namespaces?.size) return plainSelector(text);
  try {
    const { element, pseudo } = selectorParts(text);
    const [tokens = []] = selectorTokens(element, namespaces);
    const specificity = specificityOf(tokens);
    if (pseudo) specificity[2]++;
    const name = pseudoElementName.exec(pseudo)?.[0].toLowerCase() ?? '';
    const parts = partNames(pseudo);
    const { matches, mayBeBelow } = compileElementTest(() => tokens);
    // Before the test is compiled: that renames pseudo-classes.
    const asks: Asks = parts ? { ...asksOf(tokens), of: 'element', inState: false } : asksOf(tokens);
    return {
      text,
      pseudo: name && !name.startsWith('::') ? `:${pseudo.toLowerCase()}` : parts ? pseudo : pseudo.toLowerCase(),
      specificity,
      key: selectorKey(tokens),
      asks: () => asks,
      mayBeBelow,
      matches: parts
        ? (document, element) => matches(document, element) && mayHavePart(document, element, parts)
        : matches,
      plainly: (document) => {
        const elements = plainMatcher(element, namespaces)(document);
        return parts ? elements.filter((each) => mayHavePart(document, each, parts)) : elements;
      },
    };
  } catch {
    return null;
  }
}

/** The same, parsed only when the selector is first tested. */
function plainSelector(text: string): SheetSelector {
  const count = (pattern: RegExp) => text.match(pattern)?.length ?? 0;
  const last = /[^\s>+~]+$/.exec(text)?.[0] ?? '';
  let asks: Asks | null = null;
  const named = /#[\w-]+/.exec(last) ?? [...last.matchAll(/\.[\w-]+/g)].pop();
  return {
    text,
    pseudo: '',
    specificity: [count(/#/g), count(/\./g), count(/(?:^|[\s>+~])[a-z]/gi)],
    key: (named?.[0] ?? last).toLowerCase(),
    ...(simpleTest(text) ?? compileElementTest(() => selectorTokens(text)[0] ?? [])),
    plainly: (document) => plainMatcher(text)(document),
    asks: () => (asks ??= asksOfPlain(text)),
  };
}
