import type { Branch, Scope } from '../css/scope.js';
import { handleCss } from '../page/page-id.js';
import { pagesWithId, soleHandles } from '../page/handles.js';
import type { Page, Site } from '../page/page.js';
import { pathCondition } from '../page/expression.js';
import { parseCondition, type Condition, type Term } from '../rule/condition.js';
import type { Action, Rule } from '../rule/rule.js';
import { alternativeHolds, targetPages, targets } from '../rule/target.js';

/** Addresses that needle.js tells at run time, by the name that it marks `html` with. */
export interface Mark {
  name: string;
  /** A normalised literal path, or null where `pattern` says it. */
  path: string | null;
  /** A URL Pattern path, with the pages that it picks today for browsers that lack URLPattern. */
  pattern: string | null;
  pages: string[];
  queries: [string, string][];
}

/** Collects what needle.js must tell apart, one mark an address, however many rules use it. */
export class Marks {
  private readonly byAddress = new Map<string, Mark>();
  /** `handles`: a path becomes the sole handles of its pages where they have any. */
  constructor(readonly paths: 'handles' | 'run-time') {}

  get list(): Mark[] {
    return [...this.byAddress.values()];
  }

  /** The selector of the mark on `html`. */
  mark(terms: Term[], pages: Page[]): string {
    const address = terms.map((term) => term.text).join(' ');
    let mark = this.byAddress.get(address);
    if (!mark) {
      const path = terms.find((term) => term.kind === 'path');
      const slug =
        (path?.path ?? 'query')
          .replace(/\*/g, 'any')
          .replace(/[^A-Za-z0-9]+/g, '-')
          .replace(/^-|-$/g, '') || 'front';
      const taken = this.list.filter(({ name }) => name === slug || name.startsWith(`${slug}-`)).length;
      mark = {
        name: taken > 0 ? `${slug}-${taken + 1}` : slug,
        path: path && !path.pattern ? path.path : null,
        pattern: path?.pattern ? path.path : null,
        pages: path?.pattern ? pages.map((page) => page.path) : [],
        queries: terms.flatMap((term): [string, string][] => (term.kind === 'query' ? [[term.key, term.value]] : [])),
      };
      this.byAddress.set(address, mark);
    }
    return `[data-needle~="${mark.name}"]`;
  }
}

/** A condition on `body` on the way to CSS: one of `handles` (each of weight (0,1,0)), or a mark on `html`. */
type Test = { handles: string[] } | { mark: string };

const isAddress = (term: Term) => term.kind === 'path' || term.kind === 'query';

/** What a scope is made for: the pages of a site, or one of them alone, whose address is then known. */
export interface ScopeTarget {
  site: Site;
  marks: Marks;
  only: Page | null;
}

/** The tests of one alternative, or null where it can hold on no page that the scope is for. */
function testsOf(terms: Term[], target: ScopeTarget, counts: (page: Page) => boolean): Test[] | null {
  const { site, marks, only } = target;
  const tests: Test[] = [];
  for (const term of terms) {
    if (term.kind === 'site' && term.value !== site.name) return null;
    if (term.kind === 'page-id') {
      const pages = pagesWithId(site, term.value).filter((page) => only === null || page === only);
      const carried = pages.flatMap(({ pageId }) => pageId?.css.slice('body'.length) ?? []);
      if (carried.length === 0) return null;
      tests.push({ handles: [...new Set(carried)] });
    }
    if (term.kind === 'body-id') tests.push({ handles: [handleCss({ in: 'body-id' }, term.value)] });
    if (term.kind === 'body-class')
      for (const name of term.classes) tests.push({ handles: [handleCss({ in: 'body-class' }, name)] });
  }
  const addresses = terms.filter(isAddress);
  if (addresses.length > 0) {
    const asked = only ? [only] : site.pages;
    const pages = asked.filter((page) => counts(page) && alternativeHolds(addresses, page, site));
    if (pages.length === 0) return null;
    const handles = pages.map((page) => soleHandles(page, site)[0]?.css.slice('body'.length));
    const told = handles.filter((handle) => handle !== undefined);
    if (marks.paths === 'handles' && told.length === pages.length) tests.push({ handles: told });
    else if (!only) tests.push(...marksFor(addresses, site, marks));
  }
  return tests;
}

/** A mark for each path, with the queries beside it; several paths in one alternative must all hold. */
function marksFor(addresses: Term[], site: Site, marks: Marks): Test[] {
  const queries = addresses.filter(({ kind }) => kind === 'query');
  const paths = addresses.filter(({ kind }) => kind === 'path');
  const each = paths.length > 0 ? paths.map((path) => [path, ...queries]) : [queries];
  return each.map((terms) => ({
    mark: marks.mark(
      terms,
      site.pages.filter((page) => alternativeHolds(terms, page, site)),
    ),
  }));
}

/** Every way to fulfil all conditions at once, one alternative from each. */
const product = (conditions: Condition[]): Term[][][] =>
  conditions.reduce<Term[][][]>(
    (ways, condition) => ways.flatMap((way) => condition.alternatives.map((terms) => [...way, terms])),
    [[]],
  );

const asCondition = (test: Test) =>
  'mark' in test
    ? `${test.mark} body`
    : test.handles.length === 1
      ? (test.handles[0] ?? '')
      : `:is(${test.handles.join(', ')})`;

/** Every way in which a page can be the rule's, and what is excepted, as tests. */
function waysOf(rule: RulePages, action: Pick<Action, 'on'>, target: ScopeTarget) {
  const { site } = target;
  const excepted = rule.except?.alternatives ?? [];
  // What is excepted by address or page ID is so for every visitor: such pages need not be listed and then taken out again.
  const forGood = excepted.filter((terms) =>
    terms.every((term) => isAddress(term) || term.kind === 'page-id' || term.kind === 'site'),
  );
  const counts = (page: Page) => !forGood.some((terms) => alternativeHolds(terms, page, site));
  const except = (alternatives: Term[][]) =>
    alternatives.flatMap((terms) => {
      const tests = testsOf(terms, target, () => true);
      return tests && tests.length > 0 ? [conjunction(tests)] : [];
    });
  return product([...(rule.pages ? [rule.pages] : []), ...action.on]).flatMap((way) => {
    const tests = way.map((terms) => testsOf(terms, target, counts));
    if (tests.includes(null)) return [];
    const all = tests.flatMap((each) => each ?? []);
    const listed =
      all.length === 1 &&
      all.every((test) => 'handles' in test) &&
      way.flat().every((term) => isAddress(term) || term.kind === 'site');
    return [
      { way, tests: all, excepted: except(listed ? excepted.filter((terms) => !forGood.includes(terms)) : excepted) },
    ];
  });
}

/** The author's pages for an action, as CSS; null where there are none. Fills `marks` with what only a script can tell. */
export function scopeOf(rule: Rule, action: Pick<Action, 'on'>, target: ScopeTarget): Scope | null {
  const { site, only } = target;
  const isFor = (page: Page) => targets(rule, action, page, site);
  if (only ? !isFor(only) : !targetPages(rule, site).some(isFor)) return null;
  const ways = waysOf(rule, action, target);
  // On one page a single way that it fulfils is enough.
  const here = only && ways.find(({ way }) => way.every((terms) => alternativeHolds(terms, only, site)));
  const branches = (here ? [here] : ways).flatMap(({ tests, excepted }) =>
    branchesOf(tests, excepted.length > 0 ? `:where(:not(${excepted.join(', ')}))` : ''),
  );
  const seen = new Set<string>();
  return { branches: branches.filter(({ root, body }) => !seen.has(`${root} ${body}`) && seen.add(`${root} ${body}`)) };
}

/** Every page but the author's own; null where he has none on this site, for then nothing may be hidden at all. */
export function elsewhereOf(rule: Rule, action: Pick<Action, 'on'>, target: ScopeTarget): Scope | null {
  const { site, only } = target;
  if (only && targets(rule, action, only, site)) return null;
  if (!targetPages(rule, site).some((page) => targets(rule, action, page, site))) return null;
  const own = waysOf(rule, action, target).map(({ tests, excepted }) => {
    const here = tests.length > 0 ? conjunction(tests) : '';
    return excepted.length > 0 ? `${here}:not(${excepted.join(', ')})` : here;
  });
  if (own.some((each) => each === '')) return { branches: [] };
  const others = own.length > 0 ? `:where(:not(${own.join(', ')}))` : '';
  return { branches: [{ root: ':root', body: `body${others}` }] };
}

/** Whether needle.js must tell a page for an action whose pages are found one by one, from the links of each. */
export const isToldAtRunTime = (action: Pick<Action, 'kind'>, page: Page, site: Site, paths: Marks['paths']) =>
  action.kind === 'mark-current' && (paths === 'run-time' || soleHandles(page, site).length === 0);

/** The addresses that needle.js must tell for a rule. */
export function marksOf(rule: Rule, site: Site, paths: Marks['paths']): Mark[] {
  const marks = new Marks(paths);
  for (const action of rule.actions)
    if (action.kind !== 'definition') scopeOf(rule, action, { site, marks, only: null });
  return marks.list;
}

/** The scope of some pages, by what picks each of them. */
export function scopeOfPages(pages: Page[], target: ScopeTarget): Scope | null {
  const { condition } = parseCondition(pages.map(({ path }) => pathCondition(path)).join(', '));
  const branches = waysOf({ pages: condition, except: null }, { on: [] }, target).flatMap(({ tests }) =>
    branchesOf(tests, ''),
  );
  return branches.length > 0 ? { branches } : null;
}

type RulePages = Pick<Rule, 'pages' | 'except'>;

function conjunction(tests: Test[]): string {
  const first = tests.find((test) => 'mark' in test);
  const others = tests
    .filter((test) => test !== first)
    .map((test) => ('mark' in test ? `:is(${asCondition(test)})` : asCondition(test)));
  return (first ? asCondition(first) : '') + others.join('');
}

/** The first test carries the weight (one branch for each of its handles), the others stand in `:where()`. */
function branchesOf([first, ...others]: Test[], tail: string): Branch[] {
  const where = others.map((test) => `:where(${asCondition(test)})`).join('') + tail;
  if (!first) return [{ root: ':root', body: `body${where}` }];
  if ('mark' in first) return [{ root: first.mark, body: `body${where}` }];
  return first.handles.map((handle) => ({ root: '', body: `body${handle}${where}` }));
}
