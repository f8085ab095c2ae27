import type { Rule } from '../rule/rule.js';
import type { Expectation, KeptVisible } from '../rule/keep-visible-and-expect.js';
import type { Finding } from '../finding.js';
import type { PageLoading } from '../deployment/deployment.js';
import type { Cell } from './verdict.js';

/** The results of a check on one page, at one viewport, in one state, for one visitor. */
export interface PageResult {
  /**
   * Its stylesheets' addresses with their content's identity (null: not captured), to test whether the result is still
   * valid.
   */
  styles: [address: string, identity: string | null][];
  cells: Cell[];
  findings: Finding[];
  /** Actions whose element is missing, by their number in the rule. */
  missing: [rule: string, action: number][];
  /** Addresses of stylesheets that were not captured, as messages show them. */
  uncaptured: string[];
  /** Such addresses of hosts that serve web fonts. */
  ofFonts: string[];
  /** How the page loads the build; null if that was not asked. */
  loading: PageLoading | null;
}

/** Keeps values between runs. The key includes everything that the value depends on. */
export interface Kept<T> {
  get: (key: string) => T | undefined;
  set: (key: string, value: T) => void;
}

/** A result cache in a file. */
export interface KeptInFile<T> extends Kept<T> {
  /** Saves it; `forget` drops entries that were not used. */
  save: (forget?: boolean) => void;
}

/** A key of everything in a rule that its verdicts can depend on; made once a rule. */
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
  // JSON.stringify calls toJSON() before the replacer, so a postcss node must be replaced before that.
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

/** A key for a text. */
export const textSignature = (text: string) => checksum(text.length, (at) => text.charCodeAt(at));

/** A key for texts and files (FNV-1a, twice); it is not cryptographic. */
function checksum(length: number, at: (index: number) => number): string {
  let [one, two] = [0x811c9dc5, 0x01000193];
  for (let index = 0; index < length; index++) {
    one = Math.imul(one ^ at(index), 0x01000193) >>> 0;
    two = Math.imul(two ^ at(index), 0x85ebca6b) >>> 0;
  }
  return `${length}-${one.toString(36)}${two.toString(36)}`;
}
