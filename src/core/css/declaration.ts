import { BoundedMap } from '../bounded-map.js';
import { lexer, parse, type CssNode } from 'css-tree';
import { nearest } from '../nearest.js';
import tables from './browser-tables.json' with { type: 'json' };

const properties = tables.properties as Record<string, 0 | string[]>;
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

/** The properties that set a longhand: itself, and every shorthand and alias of it. */
export function namesFor(longhand: string): Set<string> {
  if (longhand.startsWith('--')) return new Set([longhand]);
  if (namesKnown.size === 0) {
    for (const [name, longhands] of Object.entries(properties)) {
      for (const each of longhands === 0 ? [name] : longhands) {
        const names = namesKnown.get(each) ?? new Set([each]);
        namesKnown.set(each, names.add(name));
      }
    }
    for (const [longhand, names] of namesKnown) if (!['direction', 'unicode-bidi'].includes(longhand)) names.add('all');
  }
  return namesKnown.get(longhand) ?? new Set([longhand]);
}

export interface DeclarationFault {
  message: string;
  hint?: string;
}

/** CSS Values and Units 4, 10.1: one of these is the whole value of any property. */
export const wideKeywords = ['inherit', 'initial', 'unset', 'revert', 'revert-layer'];

/** Values with these functions are validated after substitution (CSS Variables 1, 3.2). */
export const hasSubstitution = (value: string) => /(^|[^\w-])(var|env|if|attr)\(/i.test(value);

/** Why a browser would drop a declaration, with a hint, or null where it is valid. */
export function declarationFault(property: string, value: string): DeclarationFault | null {
  if (property.startsWith('--')) return null;
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
    return { message: `"${property}: ${value}" is not valid: ${(error as Error).message}` };
  }
  if (wideKeywords.includes(value.trim().toLowerCase()) || hasSubstitution(value)) return null;
  const told = byTable(name, tree);
  if (told === true) return null;
  const { error } = told === false ? { error: refused } : lexer.matchProperty(name, tree);
  // Properties that css-tree does not know count as valid.
  if (!error || error.name !== 'SyntaxMatchError' || hasUnknownFunction(value)) return null;
  const mismatch = error as Error & { syntax?: string };
  return {
    message: `"${value}" is not a valid value for ${property}`,
    hint: mismatch.syntax && mismatch.syntax.length < 80 ? `${property} takes ${mismatch.syntax}.` : undefined,
  };
}

const refused = Object.assign(new Error(), { name: 'SyntaxMatchError' });

/** Whether Chromium takes a value that css-tree's syntax data reads otherwise; null if the two agree. */
function byTable(name: string, tree: CssNode): boolean | null {
  const known = Object.hasOwn(differences, name) ? (differences[name] ?? []) : [];
  const nodes = tree.type === 'Value' ? tree.children.toArray() : [];
  if (nodes.some((node) => node.type === 'Identifier' && /^-(moz|ms|o)-/i.test(node.name))) return false;
  if (known.length === 0) return null;
  const listed = (text: string) => (known.includes(`+${text}`) ? true : known.includes(`-${text}`) ? false : null);
  const whole = nodes.length === 1 && nodes[0]?.type === 'Identifier' ? listed(nodes[0].name.toLowerCase()) : null;
  if (whole !== null) return whole;
  // Any negative length, percentage or number.
  const samples = nodes.flatMap((node) => {
    if (node.type === 'Dimension') return Number(node.value) < 0 && /^[a-z]*$/i.test(node.unit) ? ['-1px'] : [];
    if (node.type === 'Percentage') return Number(node.value) < 0 ? ['-10%'] : [];
    if (node.type !== 'Number') return [];
    return Number(node.value) < 0 ? ['-1'] : Number(node.value) === 0 ? [] : nodes.length > 1 ? [] : ['1', '1.5'];
  });
  if (samples.some((sample) => listed(sample) === false)) return false;
  return nodes.length === 1 && samples.some((sample) => listed(sample) === true) ? true : null;
}

/** Functions that css-tree's syntax data knows; a value with another one is left to the browser. */
const knownFunctions = new Set(
  `url rgb rgba hsl hsla hwb lab lch oklab oklch calc min max clamp translate translatex translatey scale rotate skew matrix
   linear-gradient radial-gradient repeating-linear-gradient conic-gradient cubic-bezier steps minmax repeat fit-content
   blur brightness contrast drop-shadow grayscale opacity saturate inset circle ellipse polygon counter counters attr`.split(
    /\s+/,
  ),
);
const hasUnknownFunction = (value: string) =>
  [...value.matchAll(/(-?[a-z][\w-]*)\(/gi)].some(([, name = '']) => !knownFunctions.has(name.toLowerCase()));
