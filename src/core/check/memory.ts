import type { Rule } from '../rule/rule.js';
import type { Expectation, Guard } from '../rule/guard.js';
import type { Finding } from './finding.js';
import type { PageLoading } from './loading.js';
import type { Cell } from './verdict.js';

/** What a check found on one page looked at in one way. */
export interface PageResult {
  /** Addresses of its stylesheets with what they held (null: not captured), so that it can be told whether it still holds. */
  styles: [address: string, identity: string | null][];
  cells: Cell[];
  findings: Finding[];
  /** Addresses as messages show them. */
  unseen: string[];
  /** How the page loads the build; null where that was not asked. */
  loading: PageLoading | null;
}

/** Keeps results between runs. A result counts only while everything that it came from is as it was. */
export interface Memory {
  get: (key: string) => PageResult | undefined;
  set: (key: string, result: PageResult) => void;
}

/** Differs whenever anything of a rule does that its verdicts can depend on. */
export const ruleSignature = (rule: Rule) => signature(rule);

/** The same of guards and expectations. */
export const promiseSignature = (guards: Guard[], expectations: Expectation[]) => signature([guards, expectations]);

function signature(value: unknown): string {
  // The replacer gets what toJSON() made of a value; a node of postcss must be seen before that.
  const text = JSON.stringify({ value }, function (this: Record<string, unknown>, key, plain: unknown) {
    const each = this[key];
    if (key === 'source' || key === 'test' || key === 'placeAt') return undefined;
    if (each instanceof Uint8Array) return checksum(each.length, (at) => each[at] ?? 0);
    if (isNode(each)) return `${each.source?.start?.line}:${each.source?.start?.column} ${String(each)}`;
    return plain;
  });
  return checksum(text.length, (at) => text.charCodeAt(at));
}

interface CssNode {
  type: string;
  source?: { start?: { line: number; column: number } };
}

const isNode = (value: unknown): value is CssNode =>
  typeof value === 'object' && value !== null && 'raws' in value && 'type' in value;

/** Tells apart texts and files; no safeguard against anybody (FNV-1a, twice). */
function checksum(length: number, at: (index: number) => number): string {
  let [one, two] = [0x811c9dc5, 0x01000193];
  for (let index = 0; index < length; index++) {
    one = Math.imul(one ^ at(index), 0x01000193) >>> 0;
    two = Math.imul(two ^ at(index), 0x85ebca6b) >>> 0;
  }
  return `${length}-${one.toString(36)}${two.toString(36)}`;
}
