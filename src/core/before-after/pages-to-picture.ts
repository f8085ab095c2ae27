import type { CheckInput, ViewSettings } from '../check/input.js';
import { planCheck, settingsFor, viewContext, type ViewContext } from '../check/plan.js';
import type { Page } from '../page/page.js';
import { templatesByPath } from '../page/templates.js';
import type { View } from '../page/view.js';
import type { Rule } from '../rule/rule.js';
import { deliver, reachedPages, rulePages } from '../target/delivery.js';
import { actingRules, type ActingRule } from './acting-rules.js';

/** A page to compare before and after, at one viewport and in one state. */
export interface PageToPicture {
  page: Page;
  view: View;
  settings: ViewSettings;
  visitor: string | null;
  /** The rules that change something on it. */
  acting: ActingRule[];
  /** No rule reaches it: it must stay as it is. */
  isControl: boolean;
  /** The name of its template. */
  template: string;
  /** Further pages of the template that these rules change, at the same viewport, which are not pictured. */
  alike: number;
  /** Pages of the template that the rules reach, which were not opened. */
  unopened: number;
}

/** What to picture, and what was left out. */
export interface PicturePlan {
  subjects: PageToPicture[];
  /** Pages that a rule reaches, though nothing changes on them: at every viewport asked for. */
  unchanged: number;
  /** Pages that were not opened, since nothing changes on many others that the same rules reach. */
  unopened: number;
}

/** Pages of one template that are opened to find out which rules act on them, and those while some rule acts on none. */
const [mostOpened, mostOpenedForAll] = [30, 100];

interface Group {
  view: View;
  settings: ViewSettings;
  visitor: string | null;
  template: string;
  pages: Page[];
  rules: Rule[];
}

/**
 * The pages to compare before and after: of each template so many that every rule that changes something there is on one
 * of them, at each viewport (or the rule's own), in the rule's state; and a page of each template that no rule reaches.
 * `only`: one page. `all`: every page.
 */
export function pagesToPicture(input: CheckInput, only: Page | null, all: boolean): PicturePlan {
  const { shipping } = planCheck(input);
  const rules = shipping.map(({ rule }) => rule);
  const contexts = new Map<View, ViewContext>();
  const contextOf = (view: View) => {
    const known = contexts.get(view) ?? viewContext(view, rules, input);
    contexts.set(view, known);
    return known;
  };
  const reached = new Set<string>();
  const changed = new Set<string>();
  let unopened = 0;
  const byTemplate = new Map<string, PageToPicture[]>();
  for (const { pages, rules: own, ...look } of groupsOf(input, only, all)) {
    const { look: open, shippedTo } = contextOf(look.view);
    const found: PageToPicture[] = [];
    const seen = new Set<string>();
    for (const [at, page] of pages.entries()) {
      const [first] = found;
      const isEnough = own.every(({ name }) => seen.has(name)) || at >= mostOpenedForAll;
      if (at >= mostOpened && isEnough && !all && (first || at >= mostOpenedForAll)) {
        // The rest of a large template is probably like its first pages.
        if (first) first.unopened += pages.length - at;
        else unopened += pages.length - at;
        break;
      }
      reached.add(page.path);
      const acting = actingRules(open(page, look.settings), shippedTo(page));
      const named = new Set(acting.map(({ rule }) => rule));
      // What a script adds is not there to be seen.
      for (const rule of own)
        if (rule.addedByScript && !named.has(rule.name) && rulePages(rule, look.view.site).has(page))
          acting.push({ rule: rule.name, elements: [] });
      if (acting.length === 0 && !only) continue;
      changed.add(page.path);
      for (const { rule } of acting) seen.add(rule);
      found.push({ ...look, page, acting, isControl: false, alike: 0, unopened: 0 });
    }
    const { viewport, state } = look.settings;
    const key = JSON.stringify([viewport.name, state, look.visitor, look.template]);
    byTemplate.set(key, [...(byTemplate.get(key) ?? []), ...found]);
  }
  const subjects = [...byTemplate.values()].flatMap((pages) => (all ? pages : withEachRule(pages))).sort(byPath);
  const unchanged = [...reached].filter((path) => !changed.has(path)).length;
  const isNarrowed = only !== null && subjects.length > 0;
  const free = isNarrowed ? [] : controls(input, rules, only, all);
  return { subjects: [...subjects, ...free], unchanged, unopened };
}

const byPath = ({ page: a }: { page: Page }, { page: b }: { page: Page }) =>
  a.path < b.path ? -1 : a.path > b.path ? 1 : 0;

/** Of the pages of one template, so many that each rule that changes something is on one of them. */
function withEachRule(pages: PageToPicture[]): PageToPicture[] {
  const taken: PageToPicture[] = [];
  const shown = new Set<string>();
  for (const subject of [...pages].sort((a, b) => b.acting.length - a.acting.length || byPath(a, b))) {
    const names = subject.acting.map(({ rule }) => rule);
    if (taken.length === 0 || names.some((name) => !shown.has(name))) {
      taken.push(subject);
      names.forEach((name) => shown.add(name));
      continue;
    }
    const like = taken.find(({ acting }) => acting.some(({ rule }) => names.includes(rule)));
    if (like) {
      like.alike += subject.alike + 1;
      like.unopened += subject.unopened;
    }
  }
  return taken;
}

/** Pages that the same rules reach, of one template and looked at in one way, in the order of their first pages. */
function groupsOf(input: CheckInput, only: Page | null, all: boolean): Group[] {
  const looks = new Map<
    string,
    { page: Page; view: View; settings: ViewSettings; visitor: string | null; rules: Rule[] }
  >();
  for (const { rule, view } of planCheck(input).shipping) {
    const viewports = rule.viewport === null ? input.viewports.map(({ name }) => name) : [rule.viewport];
    const visitor = rule.visitor ?? input.visitor;
    const pages = new Set([
      ...rulePages(rule, view.site),
      ...rule.actions.flatMap((action) => [...reachedPages(rule, action, view.site)]),
    ]);
    for (const page of pages) {
      if (only && page.path !== only.path) continue;
      for (const viewport of viewports) {
        const settings = settingsFor({ state: rule.state, viewport }, input);
        const key = JSON.stringify([page.path, viewport, settings.state, visitor]);
        const known = looks.get(key) ?? { page, view, settings, visitor, rules: [] };
        looks.set(key, known);
        known.rules.push(rule);
      }
    }
  }
  const groups = new Map<string, Group>();
  for (const { page, view, settings, visitor, rules } of looks.values()) {
    const template = templateOf(view, page);
    const names = all ? [page.path] : rules.map(({ name }) => name);
    const key = JSON.stringify([settings.viewport.name, settings.state, visitor, template, names]);
    const group = groups.get(key) ?? { view, settings, visitor, template, pages: [], rules };
    groups.set(key, group);
    group.pages.push(page);
  }
  for (const { pages } of groups.values()) pages.sort((a, b) => byPath({ page: a }, { page: b }));
  return [...groups.values()];
}

const templateOf = (view: View, page: Page): string =>
  templatesByPath(view.templates()).get(page.path)?.name ?? page.path;

/** A page of each template that nothing ships to, at the first viewport, or each one with `all`. */
function controls(input: CheckInput, rules: Rule[], only: Page | null, all: boolean): PageToPicture[] {
  const view = input.view(input.visitor) ?? input.view(null);
  if (!view || only) return [];
  const delivered = deliver(rules, view.site);
  const free = view.templates().flatMap(({ name, pages }) => {
    const [page, ...more] = pages.filter((each) => delivered(each).length === 0);
    return page ? [{ template: name, page, alike: more.length, unopened: 0 }] : [];
  });
  const viewports = all ? input.viewports : input.viewports.slice(0, 1);
  return free.flatMap((each) =>
    viewports.map(({ name }) => ({
      ...{ ...each, view, visitor: input.visitor, acting: [], isControl: true },
      settings: settingsFor({ state: null, viewport: name }, input),
    })),
  );
}
