import { BoundedMap } from '../../bounded-map.js';
import tables from '../browser-tables.json' with { type: 'json' };
import { asksTheBrowser, declarationFault, hasSubstitution, longhandsOf, wideKeywords } from '../declaration.js';
import { expandEvenly, shorthands, textsOf, type Expansion } from './shorthands.js';

const initial = tables.initial as Record<string, string>;

/** The initial value of a longhand, as Chromium computes it; empty for custom properties. */
export const initialOf = (longhand: string) => (Object.hasOwn(initial, longhand) ? (initial[longhand] ?? '') : '');

/**
 * The value that a declaration gives to one of its longhands (CSS Cascading 5, 2: shorthands), as text; null if this is
 * not known (system fonts, values that no grammar has).
 */
export function longhandValue(name: string, value: string, longhand: string): string | null {
  const longhands = longhandsOf(name);
  if (longhands.length <= 1 && name !== 'all') return value;
  if (wideKeywords.includes(value.trim().toLowerCase())) return value.trim().toLowerCase();
  const key = `${name}:${value}`;
  let expanded = known.get(key);
  if (expanded === undefined) {
    expanded = expand(name, value, longhands);
    known.set(key, expanded);
  }
  return expanded && (expanded.get(longhand) ?? initialOf(longhand));
}

/** What a declaration's value depends on that only a laid-out page or the visitor's machine tells; null for all others. */
export function undecided(name: string, value: string): string | null {
  if (/(^|[^\w-])anchor(-size)?\(/i.test(value)) return 'where the anchor of the element is';
  if (asksTheBrowser(value)) return `what ${name}: ${value} is here`;
  if (name.startsWith('--') || hasSubstitution(value) || declarationFault(name, value)) return null;
  const longhand = longhandsOf(name)[0] ?? name;
  return longhandValue(name, value, longhand) === null ? `what ${name}: ${value} is here` : null;
}

const known = new BoundedMap<string, Expansion | null>(50_000);
const table = shorthands(initialOf);

function expand(name: string, value: string, longhands: string[]): Expansion | null {
  const texts = textsOf(value);
  const own = Object.hasOwn(table, name) ? table[name] : undefined;
  return texts && (own ? own(texts, longhands) : expandEvenly(name, texts, longhands));
}
