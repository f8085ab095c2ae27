import {
  list,
  type AtRule,
  type ChildNode,
  type Comment,
  type Container,
  type Root,
  type Rule as StyleRule,
} from 'postcss';
import type { Page } from '../page/page.js';
import type { Place } from '../place.js';
import { parseSelectorList, selectorFault } from '../css/selector.js';
import { urlsOf, withUrls } from '../css/urls.js';
import type { PageScope } from './page-scope.js';

/** A style rule being converted: its selectors without their page handles. */
export interface ConvertedStyle {
  selectors: string[];
  /** The selectors as they were in the old file. */
  originals: string[];
  /** The style rule that it comes from; its content is copied. */
  node: StyleRule;
  /** The at-rules around it, outermost first. */
  within: AtRule[];
}

/** The parts of one new rule. */
export interface RuleGroup {
  /** Alternatives: each is a list of terms that must all hold. */
  conditions: string[][];
  except: string[];
  pages: Page[];
  note: string | null;
  styles: ConvertedStyle[];
  at: Place;
  /** Makes its relative addresses absolute; null if it has none. */
  resolve: Resolve | null;
  /** How it is written: improved, unchanged, or not at all. */
  level: 'best' | 'plain' | 'left';
}

export interface RuleGroupsInput {
  root: Root;
  /** As messages name it. */
  file: string;
  /** The pages that a selector names; null if it names none. */
  scopeOf: (selector: string) => PageScope | null;
  /** Makes its relative addresses absolute; null if it is unknown where it is served from. */
  resolve: Resolve | null;
}

/** Makes an address absolute. */
export type Resolve = (url: string) => string;

const grouping = ['media', 'supports', 'layer', 'container'];

/**
 * Splits a stylesheet into groups: one for each run of style rules that name the same pages and have the same comment.
 */
export function ruleGroupsOf({ root, file, scopeOf, resolve }: RuleGroupsInput): RuleGroup[] {
  const groups: RuleGroup[] = [];
  let current: { group: RuleGroup; key: string } | null = null;
  const visit = (container: Container, within: AtRule[]) => {
    for (const node of (container.nodes ?? []) as ChildNode[]) {
      if (node.type === 'atrule' && node.nodes && grouping.includes(node.name.toLowerCase())) {
        const comment = commentAbove(node);
        if (comment) current = null;
        visit(node, [...within, node]);
      }
      if (node.type !== 'rule') continue;
      const parts = partsOf(node, scopeOf, resolve);
      const comment = commentAbove(node) ?? (within.length > 0 ? commentAbove(within[0]) : null);
      for (const { scope, selectors, originals, conditions } of parts) {
        const key = JSON.stringify([conditions, scope.except]);
        const style: ConvertedStyle = { selectors, originals, node, within };
        if (current && current.key === key && (!comment || current.group.styles.some((each) => each.node === node))) {
          current.group.styles.push(style);
          continue;
        }
        const start = node.source?.start;
        const group: RuleGroup = {
          ...{ conditions, except: scope.except, pages: scope.pages, styles: [style], level: 'best' },
          note: comment ? noteOf(comment) : null,
          resolve,
          at: { file, line: start?.line ?? 1, column: start?.column ?? 1 },
        };
        groups.push(group);
        current = { group, key };
      }
      if (parts.length === 0) current = null;
    }
  };
  visit(root, []);
  return groups;
}

/** The selectors of a style rule that name pages, grouped by these pages. */
function partsOf(node: StyleRule, scopeOf: RuleGroupsInput['scopeOf'], resolve: Resolve | null) {
  const scoped: { scope: PageScope; selectors: string[]; originals: string[]; conditions: string[][] }[] = [];
  // What browsers drop, or a rule cannot hold, stays where it is.
  const stays = selectorFault(node.selector) !== null || namesUnknownFile(node, resolve);
  for (const selector of stays ? [] : selectorsOf(node)) {
    const scope = scopeOf(selector);
    if (!scope) continue;
    const key = (each: PageScope) => JSON.stringify([each.terms, each.except]);
    const same = scoped.find((each) => key(each.scope) === key(scope));
    if (same) {
      same.selectors.push(scope.rest);
      same.originals.push(selector);
    } else {
      const conditions = [scope.terms.length > 0 ? scope.terms : ['all']];
      scoped.push({ scope, selectors: [scope.rest], originals: [selector], conditions });
    }
  }
  // The same elements on several pages are one group for all of them.
  for (let index = scoped.length - 1; index > 0; index--) {
    const [one, other] = [scoped[index], scoped[index - 1]];
    if (!one || !other || one.scope.except.length + other.scope.except.length > 0) continue;
    if (JSON.stringify(one.selectors) !== JSON.stringify(other.selectors)) continue;
    other.conditions.push(...one.conditions);
    other.originals.push(...one.originals);
    other.scope = { ...other.scope, pages: [...new Set([...other.scope.pages, ...one.scope.pages])] };
    scoped.splice(index, 1);
  }
  return scoped;
}

/** The selectors of a list; the whole text as one where browsers drop it. */
export const selectorsOf = ({ selector }: StyleRule): string[] =>
  selectorFault(selector) ? [selector] : parseSelectorList(selector).map(({ text }) => text);

const isRelative = (url: string) => !/^([a-z][a-z0-9+.-]*:|\/)/i.test(url);

/** Whether a style rule names a file whose address is unknown. */
export function namesUnknownFile(node: StyleRule, resolve: Resolve | null): boolean {
  let found = false;
  node.walkDecls(({ value }) => void (found ||= resolve === null && urlsOf(value).some(({ url }) => isRelative(url))));
  return found;
}

/** A value with absolute addresses. */
export const withAbsoluteUrls = (value: string, resolve: Resolve | null) =>
  resolve === null ? value : withUrls(value, (url) => (isRelative(url) ? resolve(url) : null));

/** The comment right above a node. */
export function commentAbove(node: ChildNode | AtRule | undefined): Comment | null {
  const before = node?.prev();
  return before?.type === 'comment' && !/\n\s*\n/.test(node?.raws.before ?? '') ? before : null;
}

const noteOf = ({ text }: Comment) => text.replace(/^[*!\s=-]+|[*\s=-]+$/g, '').replace(/\s*\n[\s*]*/g, ' ');

/** Merges groups with the same content for different pages into the first of them; `from` lists the merged groups. */
export function merged(groups: RuleGroup[]): { group: RuleGroup; from: RuleGroup[] }[] {
  const result: { group: RuleGroup; from: RuleGroup[] }[] = [];
  for (const group of groups) {
    const same =
      group.level === 'best' &&
      result.find(
        ({ group: other }) =>
          other.level === 'best' &&
          other.except.length + group.except.length === 0 &&
          contentKey(other) === contentKey(group) &&
          (other.note === null || group.note === null || other.note === group.note),
      );
    if (!same) {
      result.push({ group: { ...group, conditions: [...group.conditions] }, from: [group] });
      continue;
    }
    const known = new Set(same.group.conditions.map(String));
    same.group.conditions.push(...group.conditions.filter((each) => !known.has(String(each))));
    same.group.pages = [...new Set([...same.group.pages, ...group.pages])];
    same.group.note ??= group.note;
    same.from.push(group);
  }
  return result;
}

const contentKey = ({ styles, resolve }: RuleGroup) =>
  JSON.stringify(
    styles.map(({ selectors, node, within }) => [
      selectors,
      within.map(({ name, params }) => `${name} ${params}`),
      (node.nodes ?? []).map((each) => list.space(withAbsoluteUrls(String(each), resolve)).join(' ')),
    ]),
  );
