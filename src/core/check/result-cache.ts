import type { Action } from '../action/action.js';
import type { Rule } from '../rule/rule.js';
import type { Expectation, KeptVisible } from '../rule/keep-visible-and-expect.js';
import type { Finding } from '../finding.js';
import type { PageLoading } from '../deployment/deployment.js';
import { movedBy, placeMovedBy } from '../fix/proposal.js';
import type { KeptParts } from './kept-parts.js';
import { checksum, textSignature } from '../signature.js';
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
  /** What of its stylesheets could not be read, as messages name it. */
  unread: string[];
  /** How the page loads the build; null if that was not asked. */
  loading: PageLoading | null;
  /** Where rules stood in their files, if the result tells of others' places too; it holds no longer once they moved. */
  lines?: string;
  /** What of it can be used again after an edit to another rule; left out where nothing can. */
  parts?: KeptParts;
}

/** Keeps values between runs. The key includes everything that the value depends on. */
export interface Kept<T> {
  get: (key: string) => T | undefined;
  set: (key: string, value: T) => void;
  /** The last value about something: a result about a page, by the page's key. Left out where that is not asked for. */
  find?: (about: string) => T | undefined;
}

/** A result cache in a file. */
export interface KeptInFile<T> extends Kept<T> {
  /** Saves it; `forget` drops entries that were not used. */
  save: (forget?: boolean) => void;
}

const known = new WeakMap<object, string>();

/**
 * A key of everything in a rule that its verdicts can depend on; made once a rule. Lines count from its first, so that an
 * edit above a rule leaves its key.
 */
export const ruleSignature = (rule: Rule): string => signatureOf(rule);

const actionsKnown = new WeakMap<Rule, Map<Action, string>>();

/** The same of one action of a rule, without its others. */
export function actionSignature(rule: Rule, action: Action): string {
  let known = actionsKnown.get(rule);
  if (!known) actionsKnown.set(rule, (known = new Map<Action, string>()));
  let own = known.get(action);
  if (own === undefined) known.set(action, (own = signature({ ...rule, actions: [action] }, rule.at.line)));
  return own;
}

/** The same of kept-visible elements and expectations. */
export const demandSignature = (demands: (KeptVisible | Expectation)[]): string => demands.map(signatureOf).join(' ');

function signatureOf(one: Rule | KeptVisible | Expectation): string {
  let own = known.get(one);
  if (own === undefined) known.set(one, (own = signature(one, one.at.line)));
  return own;
}

/** Where rules, kept-visible elements and expectations stand in their files. */
export const linesSignature = (all: (Rule | KeptVisible | Expectation)[]): string =>
  textSignature(JSON.stringify(all.map(({ at }) => [at.file, at.line])));

/** Whether a result tells of places in rule files beyond where a finding is: in its words, or as what wins. */
export const namesPlaces = (
  { cells, findings }: Pick<PageResult, 'cells' | 'findings'>,
  ruleFiles: ReadonlySet<string>,
): boolean =>
  findings.some(({ rule, message, hint }) =>
    [...ruleFiles].some((file) => rule === null || message.includes(`${file}:`) || hint?.includes(`${file}:`)),
  ) ||
  cells.some(({ actions }) => actions.some(({ overridden }) => overridden.some(({ by }) => ruleFiles.has(by.file))));

/** A result whose findings count lines from the first line of their rules (`-1`), or again from that of the file (`1`). */
export function withLines(direction: 1 | -1, result: PageResult, rules: ReadonlyMap<string, Rule>): PageResult {
  if (result.findings.length === 0) return result;
  const findings = result.findings.map((each) => {
    const rule = rules.get(each.rule ?? '');
    if (!rule) return each;
    const by = direction * rule.at.line;
    const { file } = rule.at;
    const at = each.at && placeMovedBy(by, file, each.at);
    return { ...each, at, ...(each.proposals ? { proposals: movedBy(by, file, each.proposals) } : {}) };
  });
  return { ...result, findings };
}

function signature(value: unknown, firstLine: number): string {
  // JSON.stringify calls toJSON() before the replacer, so a postcss node must be replaced before that.
  const text = JSON.stringify({ value }, function (this: Record<string, unknown>, key, plain: unknown) {
    const each = this[key];
    if (key === 'source' || key === 'placeAt') return undefined;
    if (key === 'line' && typeof each === 'number') return each - firstLine;
    if (each instanceof Uint8Array) return checksum(each.length, (at) => each[at] ?? 0);
    if (isNode(each)) {
      const { line = 0, column = 0 } = each.source?.start ?? {};
      return `${line - firstLine}:${column} ${String(each)}`;
    }
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
