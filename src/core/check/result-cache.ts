import type { Rule } from '../rule/rule.js';
import type { Expectation, KeptVisible } from '../rule/keep-visible-and-expect.js';
import type { Finding } from '../finding.js';
import type { PageLoading } from '../deployment/deployment.js';
import type { Cell } from './verdict.js';

/** What a check found on one page looked at in one way. */
export interface PageResult {
  /** Addresses of its stylesheets with what they held (null: not captured), so that it can be known whether it still holds. */
  styles: [address: string, identity: string | null][];
  cells: Cell[];
  findings: Finding[];
  /** What is missing there: actions of rules, by their number. */
  missing: [rule: string, action: number][];
  /** Addresses of stylesheets that were not captured, as messages show them. */
  uncaptured: string[];
  /** How the page loads the build; null if that was not asked. */
  loading: PageLoading | null;
}

/** Keeps values between runs. A value counts only while everything that it came from, which its key tells, is as it was. */
export interface Kept<T> {
  get: (key: string) => T | undefined;
  set: (key: string, value: T) => void;
}

/** The same in a file. */
export interface KeptInFile<T> extends Kept<T> {
  /** Writes it down; `forget`: without what was not asked for. */
  save: (forget?: boolean) => void;
}

/** Tells rules apart by everything that their verdicts can depend on; each rule is read once. */
export function ruleSignatures(): (rule: Rule) => string {
  const known = new Map<Rule, string>();
  return (rule) => {
    let own = known.get(rule);
    if (own === undefined) known.set(rule, (own = signature(rule)));
    return own;
  };
}

/** The same of kept-visible elements and expectations. */
export const demandSignature = (keptVisible: KeptVisible[], expectations: Expectation[]) =>
  signature([keptVisible, expectations]);

function signature(value: unknown): string {
  // The replacer gets what toJSON() made of a value; a node of postcss must be seen before that.
  const text = JSON.stringify({ value }, function (this: Record<string, unknown>, key, plain: unknown) {
    const each = this[key];
    if (key === 'source' || key === 'placeAt') return undefined;
    if (each instanceof Uint8Array) return checksum(each.length, (at) => each[at] ?? 0);
    if (isNode(each)) return `${each.source?.start?.line}:${each.source?.start?.column} ${String(each)}`;
    return plain;
  });
  return textSignature(text);
}

interface CssNode {
  type: string;
  source?: { start?: { line: number; column: number } };
}

const isNode = (value: unknown): value is CssNode =>
  typeof value === 'object' && value !== null && 'raws' in value && 'type' in value;

/** Tells texts apart. */
export const textSignature = (text: string) => checksum(text.length, (at) => text.charCodeAt(at));

/** Tells apart texts and files; no safeguard against anybody (FNV-1a, twice). */
function checksum(length: number, at: (index: number) => number): string {
  let [one, two] = [0x811c9dc5, 0x01000193];
  for (let index = 0; index < length; index++) {
    one = Math.imul(one ^ at(index), 0x01000193) >>> 0;
    two = Math.imul(two ^ at(index), 0x85ebca6b) >>> 0;
  }
  return `${length}-${one.toString(36)}${two.toString(36)}`;
}
