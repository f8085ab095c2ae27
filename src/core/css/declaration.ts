import { BoundedMap } from '../bounded-map.js';
import { definitionSyntax, parse, walk, type CssNode, type DSNode, type LexerMatchResult } from 'css-tree';
import { nearest } from '../nearest.js';
import tables from './browser-tables.json' with { type: 'json' };
import { isMathFunction, withoutMath } from './math-functions.js';
import { valueLexer } from './value-definitions.js';
import { valueMarks } from './value-marks.js';

const properties = tables.properties as unknown as Record<string, 0 | string[]>;
const differences = tables.differences as Record<string, string[]>;

/** The longhands that a property sets, as Chromium expands it: itself for a longhand, a custom or an unknown property. */
export function longhandsOf(property: string): string[] {
  if (property.toLowerCase() === 'all') return allLonghands;
  const entry = Object.hasOwn(properties, property.toLowerCase()) ? properties[property.toLowerCase()] : 0;
  return entry === 0 || entry === undefined ? [property] : entry;
}

/** The longhands that declarations name, each as often as it is named; custom properties stand for themselves. */
export const longhandsNamed = (declarations: { name: string }[]) =>
  declarations.flatMap(({ name }) => (name.startsWith('--') ? [name] : longhandsOf(name)));

const inherited = new Set(tables.inherited);

/** Whether a longhand is inherited where nothing says otherwise. */
export const isInherited = (longhand: string) => inherited.has(longhand);

const allLonghands = Object.keys(properties).filter(
  (name) => properties[name] === 0 && name !== 'direction' && name !== 'unicode-bidi',
);

const namesKnown = new BoundedMap<string, Set<string>>(50_000);

/**
 * The properties that set a longhand: itself, and every shorthand and alias of it; with `other`, its other name on an element,
 * those of that too.
 */
export function namesFor(longhand: string, other = longhand): Set<string> {
  const key = other === longhand ? longhand : `${longhand} ${other}`;
  let names = namesKnown.get(key);
  if (!names) {
    names = new Set([...(longhandNames().get(longhand) ?? [longhand]), ...(longhandNames().get(other) ?? [])]);
    namesKnown.set(key, names);
  }
  return names;
}

let namesOfLonghands: Map<string, string[]> | null = null;

/** For each longhand the properties that set it. */
function longhandNames(): Map<string, string[]> {
  if (namesOfLonghands) return namesOfLonghands;
  namesOfLonghands = new Map<string, string[]>();
  for (const [name, longhands] of Object.entries(properties))
    for (const each of longhands === 0 ? [name] : longhands) {
      const names = namesOfLonghands.get(each) ?? [each];
      if (name !== each) names.push(name);
      namesOfLonghands.set(each, names);
    }
  for (const longhand of allLonghands) namesOfLonghands.get(longhand)?.push('all');
  return namesOfLonghands;
}

const takenIn = tables.takenIn as Record<string, string[]>;

/** Whether a pseudo-element such as `::first-line` or `::selection` ignores all that a property sets (CSS Pseudo-Elements 4, 2 to 4). */
export function ignoresIn(pseudo: string, property: string): boolean {
  const name = /^::?([\w-]+)$/.exec(pseudo)?.[1]?.toLowerCase() ?? '';
  const taken = Object.hasOwn(takenIn, name) ? takenIn[name] : undefined;
  return (
    !property.startsWith('--') && taken !== undefined && !longhandsOf(property).some((each) => taken.includes(each))
  );
}

export interface DeclarationFault {
  message: string;
  hint?: string;
}

/** CSS Values and Units 4, 10.1: one of these is the whole value of any property. */
export const wideKeywords = ['inherit', 'initial', 'unset', 'revert', 'revert-layer'];

/** Values with these functions are validated after substitution (CSS Variables 1, 3.2). */
export const hasSubstitution = (value: string) => /(^|[^\w-])(var|env|if|attr|--[\w-]+)\(/i.test(value);

/** Whether a value asks for what only a browser tells: conditions, attributes, functions of the page (CSS Values 5, CSS Mixins 1). */
export const asksTheBrowser = (value: string) => /(^|[^\w-])(if|attr|--[\w-]+)\(/i.test(value);

/** What is known of a declaration: Chromium takes it, drops it (with the reason), or neither grammar nor table can tell. */
type Standing = 'valid' | 'unknown' | DeclarationFault;

/** Why a browser would drop a declaration, with a hint, or null where it is valid, or may be. */
export function declarationFault(property: string, value: string): DeclarationFault | null {
  const standing = standingOf(property, value);
  return typeof standing === 'string' ? null : standing;
}

/** Whether nothing says that a browser takes a declaration, nor that it drops it. */
export const isDoubtful = (property: string, value: string) => standingOf(property, value) === 'unknown';

function standingOf(property: string, value: string): Standing {
  if (property.startsWith('--')) return 'valid';
  const name = property.toLowerCase();
  if (!Object.hasOwn(properties, name)) {
    const near = nearest(name, Object.keys(properties));
    return {
      message: `"${property}" is not a known property`,
      hint: near ? `Did you mean ${near}?` : undefined,
    };
  }
  if (value.trim() === '') return { message: `"${property}" has no value` };
  let tree: CssNode;
  try {
    tree = parse(value, { context: 'value' });
  } catch (error) {
    // css-tree does not read the semicolons of if(), nor the types of attr() (CSS Values 5, 7.7 and 9.3).
    if (asksTheBrowser(value)) return 'valid';
    return { message: `"${property}: ${value}" is not valid: ${(error as Error).message}` };
  }
  if (wideKeywords.includes(value.trim().toLowerCase()) || hasSubstitution(value)) return 'valid';
  const told = byTable(name, tree);
  if (told === true) return 'valid';
  const invalid = (syntax = ''): DeclarationFault => ({
    message: `"${value}" is not a valid value for ${property}`,
    hint: syntax !== '' && syntax.length < 80 ? `${property} takes ${syntax}.` : undefined,
  });
  if (told === false) return invalid();
  if (isMarked(name, tree)) return 'unknown';
  if (!hasEvenRows(name, tree)) return invalid();
  const isLoose = holdsFunction(tree, (each) => looseFunctions.has(each));
  const plain = holdsFunction(tree, isMathFunction) ? withoutMath(tree) : [tree];
  // A function that no grammar knows is left to the browser.
  const isKnown = !holdsFunction(tree, (each) => !knownFunctions.has(each) && !isMathFunction(each));
  if (!plain) return isKnown && !isLoose ? invalid() : 'unknown';
  for (const each of plain) {
    const toldOfPlain = each === tree ? null : byTable(name, each);
    if (toldOfPlain === true) continue;
    const match = valueLexer().matchProperty(name, each);
    const { error } = match;
    if (!error && toldOfPlain === null && !namesReserved(name, each, match)) continue;
    if (!error) return invalid();
    // css-tree has no grammar for some properties, and gives up on very long values.
    if (
      error.name !== 'SyntaxMatchError' ||
      /iteration/.test(error.message) ||
      !isKnown ||
      isLoose ||
      holdsWordOf(name, tree)
    )
      return 'unknown';
    return invalid((error as Error & { syntax?: string }).syntax);
  }
  return isLoose ? 'unknown' : 'valid';
}

/** Marks of values that the grammar still reads otherwise than Chromium, by property. */
const doubtfulMarks = tables.doubtfulMarks as Record<string, string[]>;

/** Whether a value has a mark of those that grammar and Chromium read differently. */
function isMarked(name: string, tree: CssNode): boolean {
  const listed = Object.hasOwn(doubtfulMarks, name) ? doubtfulMarks[name] : undefined;
  if (!listed) return false;
  const marks = valueMarks(tree);
  return listed.some((mark) => marks.has(mark));
}

/** Whether the rows of a grid's named areas have the same number of cells (CSS Grid 2, 7.3). */
function hasEvenRows(name: string, tree: CssNode): boolean {
  if (tree.type !== 'Value' || !['grid', 'grid-template', 'grid-template-areas'].includes(name)) return true;
  const rows = tree.children.toArray().flatMap((node) => (node.type === 'String' ? [node.value] : []));
  return new Set(rows.map((row) => row.trim().split(/\s+/).length)).size < 2;
}

/** Whether a word that stands for the whole value elsewhere, such as `none`, is taken as a name beside others. */
function namesReserved(name: string, tree: CssNode, match: LexerMatchResult): boolean {
  if (tree.type !== 'Value' || tree.children.size < 2) return false;
  const { properties: known } = valueLexer() as unknown as { properties: Record<string, { syntax?: DSNode }> };
  const reserved = new Set<string>(name.startsWith('grid-') ? ['auto'] : []);
  const reserve = (syntax: DSNode | undefined) =>
    syntax &&
    definitionSyntax.walk(syntax, (node) => {
      if (node.type === 'Keyword' && ['none', 'normal', 'auto'].includes(node.name)) reserved.add(node.name);
      if (node.type === 'Property' && node.name === `${name}-name`) reserve(known[node.name]?.syntax);
    });
  reserve(known[name]?.syntax);
  return tree.children.some(
    (node) => node.type === 'Identifier' && reserved.has(node.name.toLowerCase()) && match.isType(node, 'custom-ident'),
  );
}

/** Functions of which the grammar takes more than Chromium does. */
const looseFunctions = new Set<string>(tables.looseFunctions);

/** Whether a value holds a word that Chromium takes for a property and the grammar does not know. */
function holdsWordOf(name: string, tree: CssNode): boolean {
  const known = Object.hasOwn(differences, name) ? (differences[name] ?? []) : [];
  let found = false;
  walk(tree, (node: CssNode) => {
    if (node.type === 'Identifier' && known.includes(`+${node.name.toLowerCase()}`)) found = true;
  });
  return found;
}

/** Whether Chromium takes a value that css-tree's syntax data reads otherwise; null if the two agree. */
function byTable(name: string, tree: CssNode): boolean | null {
  const known = Object.hasOwn(differences, name) ? (differences[name] ?? []) : [];
  const nodes = tree.type === 'Value' ? tree.children.toArray() : [];
  const isOfOthers = (each: string) => /^-(moz|ms|o)-/.test(each);
  if (nodes.some((node) => node.type === 'Identifier' && isOfOthers(node.name.toLowerCase()))) return false;
  if (holdsFunction(tree, isOfOthers)) return false;
  if (known.length === 0) return null;
  const listed = (text: string) => (known.includes(`+${text}`) ? true : known.includes(`-${text}`) ? false : null);
  const whole = nodes.length === 1 && nodes[0]?.type === 'Identifier' ? listed(nodes[0].name.toLowerCase()) : null;
  if (whole !== null) return whole;
  const isSole = nodes.length === 1;
  // One negative number stands for all of its kind; others count where they are the whole value.
  const samples = nodes.flatMap((node) => {
    switch (node.type) {
      case 'Dimension':
        return Number(node.value) < 0 ? [/^m?s$/i.test(node.unit) ? '-1s' : '-1px'] : [];
      case 'Percentage':
        return Number(node.value) < 0 ? ['-10%'] : isSole ? ['10%'] : [];
      case 'Number': {
        const value = Number(node.value);
        if (value < 0) return ['-1'];
        return !isSole ? [] : value === 0 ? ['0'] : ['1', '1.5'];
      }
      default:
        return [];
    }
  });
  if (samples.some((sample) => listed(sample) === false)) return false;
  return isSole && samples.some((sample) => listed(sample) === true) ? true : null;
}

const knownFunctions = new Set<string>(tables.functions);

function holdsFunction(tree: CssNode, isOne: (name: string) => boolean): boolean {
  let found = false;
  walk(tree, (node: CssNode) => {
    if (node.type === 'Function' && isOne(node.name.toLowerCase())) found = true;
  });
  return found;
}
