import type { Branch, Scope } from '../css/scope.js';
import { actionKind } from '../action/index.js';
import type { Action } from '../action/action.js';
import type { Page, Site } from '../page/page.js';
import type { Rule } from '../rule/rule.js';
import { parseCondition, type Condition } from './condition.js';
import { reachedPages } from './delivery.js';
import { alternativePages, conditionPages } from './pages.js';
import { pathCondition } from './path-condition.js';
import { RunTimeAddresses, type RunTimeAddress } from './run-time-addresses.js';
import { indexOf } from './site-index.js';
import type { AddressPart } from './term.js';
import { termKind, type Term } from './terms/index.js';

/** What a scope is made for: the pages of a site, or one of them alone, whose address is then known. */
export interface ScopeTarget {
  site: Site;
  addresses: RunTimeAddresses;
  only: Page | null;
}

/** A condition on `body` to be written as CSS: one of `handles` (each of weight (0,1,0)), or a mark on `html`. */
type Test = { handles: string[] } | { mark: string };

/** A page's first handle that no other carries, as a simple selector of `body`. */
const soleHandleOf = (page: Page, site: Site) => indexOf(site).soleHandle(page)?.css.slice('body'.length);

/**
 * The tests of one alternative, or null where it can hold on no page that the scope is for. No tests: it holds on all of
 * them. `excepted`: pages that need not be told apart here.
 */
function testsOf(terms: Term[], target: ScopeTarget, excepted: ReadonlySet<Page>): Test[] | null {
  const { site, only } = target;
  const index = indexOf(site);
  const tests: Test[] = [];
  const addresses: Address[] = [];
  for (const term of terms) {
    const kind = termKind(term);
    if (only && kind.sameForAllVisitors && !kind.pages(term, index, terms).has(only)) return null;
    const css = kind.css(term, site, index);
    switch (css.says) {
      case 'always':
        break;
      case 'never':
        return null;
      case 'handles':
        tests.push(...css.lists.map((handles) => ({ handles })));
        break;
      case 'address':
        addresses.push({ term, part: css.part });
    }
  }
  if (addresses.length === 0) return tests;
  const own = [...alternativePages(termsOf(addresses), site)];
  const pages = own.filter((page) => !excepted.has(page) && (!only || page === only));
  if (pages.length === 0) return null;
  const handles = pages.flatMap((page) => soleHandleOf(page, site) ?? []);
  if (target.addresses.paths === 'handles' && handles.length === pages.length) tests.push({ handles });
  else if (!only) tests.push(...marksFor(addresses, target));
  return tests;
}

/** A term that only the page's address tells, with what that must be. */
interface Address {
  term: Term;
  part: AddressPart;
}

const termsOf = (addresses: Address[]) => addresses.map(({ term }) => term);

/** A mark for each path, with the parameters beside it; several paths in one alternative must all hold. */
function marksFor(all: Address[], { site, addresses }: ScopeTarget): Test[] {
  const queries = all.filter(({ part }) => 'query' in part);
  const paths = all.filter(({ part }) => !('query' in part));
  const each = paths.length > 0 ? paths.map((path) => [path, ...queries]) : [queries];
  return each.map((own) => ({
    mark: addresses.mark(
      own.map(({ part }) => part),
      alternativePages(termsOf(own), site),
    ),
  }));
}

/** Every way to fulfil all conditions at once, one alternative from each. */
const product = (conditions: Condition[]): Term[][][] =>
  conditions.reduce<Term[][][]>(
    (found, condition) => found.flatMap((chosen) => condition.alternatives.map((terms) => [...chosen, terms])),
    [[]],
  );

const asCondition = (test: Test) =>
  'mark' in test
    ? `${test.mark} body`
    : test.handles.length === 1
      ? (test.handles[0] ?? '')
      : `:is(${test.handles.join(', ')})`;

/** One way in which a page can be the author's, as tests, and what is excepted from it. */
interface Combination {
  chosen: Term[][];
  tests: Test[];
  excepted: string[];
}

const isKnownByAddress = (term: Term, site: Site) =>
  /^(address|always)$/.test(termKind(term).css(term, site, indexOf(site)).says);

/** Every combination of alternatives that makes a page the author's. */
function combinations(rule: Pick<Rule, 'pages' | 'except'>, on: Condition[], target: ScopeTarget): Combination[] {
  const { site } = target;
  const excepted = rule.except?.alternatives ?? [];
  // Pages excepted for every visitor need not be listed and then excluded.
  const forGood = excepted.filter((terms) => terms.every((term) => termKind(term).sameForAllVisitors));
  const gone = new Set(forGood.flatMap((terms) => [...alternativePages(terms, site)]));
  const except = (alternatives: Term[][]) =>
    alternatives.flatMap((terms) => {
      const tests = testsOf(terms, target, new Set());
      return tests && tests.length > 0 ? [conjunction(tests)] : [];
    });
  return product([...(rule.pages ? [rule.pages] : []), ...on]).flatMap((chosen) => {
    const tests = chosen.map((terms) => testsOf(terms, target, gone));
    if (tests.includes(null)) return [];
    const all = tests.flatMap((each) => each ?? []);
    const isListed =
      all.length === 1 &&
      all.every((test) => 'handles' in test) &&
      chosen.flat().every((term) => isKnownByAddress(term, site));
    const left = isListed ? excepted.filter((terms) => !forGood.includes(terms)) : excepted;
    return [{ chosen, tests: all, excepted: except(left) }];
  });
}

/**
 * The pages that an action reaches, as CSS; null if there are none. Fills `addresses` with what only a script can
 * recognise. Throws Error if they cannot be written: nothing may ship then.
 */
export function scopeOf(rule: Rule, action: Action, target: ScopeTarget): Scope | null {
  const { site, only } = target;
  const reached = reachedPages(rule, action, site);
  if (only ? !reached.has(only) : reached.size === 0) return null;
  const scope =
    actionKind(action).reaches === 'own-pages' ? ownScope(rule, action, target) : othersScope(rule, action, target);
  const isAll = scope.branches.some(({ root, body }) => root === ':root' && body === 'body');
  if (scope.branches.length === 0 || (isAll && !only && reached.size < site.pages.length))
    throw new Error(`No CSS tells the pages of "${rule.name}" apart (${rule.at.file}:${rule.at.line})`);
  return scope;
}

function ownScope(rule: Rule, action: Action, target: ScopeTarget): Scope {
  const { site, only } = target;
  const found = combinations(rule, action.on, target);
  // On one page a single combination that it fulfils is enough.
  const here = only && found.find(({ chosen }) => chosen.every((terms) => alternativePages(terms, site).has(only)));
  const branches = (here ? [here] : found).flatMap(({ tests, excepted }) =>
    branchesOf(tests, excepted.length > 0 ? `:where(:not(${excepted.join(', ')}))` : ''),
  );
  const seen = new Set<string>();
  return {
    branches: branches.filter(({ root, body }) => !seen.has(`${root} ${body}`) && seen.add(`${root} ${body}`)),
  };
}

function othersScope(rule: Rule, action: Action, target: ScopeTarget): Scope {
  const own = combinations(rule, action.on, target).map(({ tests, excepted }) => {
    const here = tests.length > 0 ? conjunction(tests) : '';
    return excepted.length > 0 ? `${here}:not(${excepted.join(', ')})` : here;
  });
  // On a single other page, the rule's own pages cannot be meant.
  const others = own.filter((each) => each !== '');
  const not = others.length > 0 ? `:where(:not(${others.join(', ')}))` : '';
  return { branches: [{ root: ':root', body: `body${not}` }] };
}

/** Whether local-needle.js must recognise a page by its address. */
export const needsAddress = (page: Page, site: Site, paths: RunTimeAddresses['paths']) =>
  paths === 'run-time' || soleHandleOf(page, site) === undefined;

const addressesKnown = new WeakMap<Rule, { site: Site; paths: RunTimeAddresses['paths']; list: RunTimeAddress[] }>();

/** The addresses that local-needle.js must recognise for a rule; worked out once, for the site that was asked for last. */
export function addressesOf(rule: Rule, site: Site, paths: RunTimeAddresses['paths']): RunTimeAddress[] {
  const known = addressesKnown.get(rule);
  if (known?.site === site && known.paths === paths) return known.list;
  const addresses = new RunTimeAddresses(paths);
  for (const action of rule.actions)
    if (actionKind(action).scope === 'conditions') scopeOf(rule, action, { site, addresses, only: null });
  addressesKnown.set(rule, { site, paths, list: addresses.list });
  return addresses.list;
}

/** The scope of some pages, by what picks each of them. */
export function scopeOfPages(pages: Page[], target: ScopeTarget): Scope | null {
  const { condition } = parseCondition(pages.map(({ path }) => pathCondition(path)).join(', '));
  const picked = conditionPages(condition, target.site);
  if (picked.size !== new Set(pages).size)
    throw new Error(`${pages.map(({ path }) => path).join(', ')} cannot be told from other pages by address`);
  const found = combinations({ pages: condition, except: null }, [], target);
  const branches = found.flatMap(({ tests }) => (tests.length > 0 ? branchesOf(tests, '') : []));
  return branches.length > 0 ? { branches } : null;
}

function conjunction(tests: Test[]): string {
  const first = tests.find((test) => 'mark' in test);
  const others = tests
    .filter((test) => test !== first)
    .map((test) => ('mark' in test ? `:is(${asCondition(test)})` : asCondition(test)));
  return (first ? asCondition(first) : '') + others.join('');
}

/** The first test carries the weight (one branch for each of its handles), the others are in `:where()`. */
function branchesOf([first, ...others]: Test[], tail: string): Branch[] {
  const where = others.map((test) => `:where(${asCondition(test)})`).join('') + tail;
  if (!first) return [{ root: ':root', body: `body${where}` }];
  if ('mark' in first) return [{ root: first.mark, body: `body${where}` }];
  return first.handles.map((handle) => ({
    root: '',
    body: `body${handle}${where}`,
  }));
}
