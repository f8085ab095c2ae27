import { lexer, parse, type CssNode } from 'css-tree';
import { nearest } from '../nearest.js';
import tables from './browser-tables.json' with { type: 'json' };

const properties = tables.properties as Record<string, 0 | string[]>;

/** The longhands that a property sets, as Chromium expands it: itself for a longhand, a custom or an unknown property. */
export function longhandsOf(property: string): string[] {
  const entry = Object.hasOwn(properties, property.toLowerCase()) ? properties[property.toLowerCase()] : 0;
  return entry === 0 || entry === undefined ? [property] : entry;
}

/** Why a browser would drop a declaration, with a hint, or null where it is valid. */
export function declarationFault(property: string, value: string): { message: string; hint?: string } | null {
  if (property.startsWith('--')) return null;
  const name = property.toLowerCase();
  if (!Object.hasOwn(properties, name)) {
    const near = nearest(name, Object.keys(properties));
    return {
      message: `"${property}" is no property that browsers know`,
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
  const { error } = lexer.matchProperty(name, tree);
  // Values with var() and the like, and properties that css-tree does not know, cannot be judged here: they count as valid.
  if (!error || error.name !== 'SyntaxMatchError' || hasUnknownFunction(value)) return null;
  const mismatch = error as Error & { syntax?: string };
  return {
    message: `"${value}" is no value for ${property}`,
    hint: mismatch.syntax && mismatch.syntax.length < 80 ? `${property} takes ${mismatch.syntax}.` : undefined,
  };
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
