import type { Page } from '../page/page.js';
import type { View } from '../page/view.js';
import type { ViewSettings } from '../check/input.js';
import type { CheckInput } from '../check/input.js';
import { planCheck, settingsFor, viewContext, type ViewContext } from '../check/plan.js';
import { deliver } from '../target/delivery.js';
import { actingRules, type ActingRule } from './acting-rules.js';

/** A page to compare before and after, at one viewport and in one state. */
export interface PageToPicture {
  page: Page;
  view: View;
  settings: ViewSettings;
  visitor: string | null;
  /** The rules that target it; none for a page that must stay as it is. */
  rules: string[];
  /** The rules that change something on it; opens the page. */
  acting: () => ActingRule[];
}

/** Number of pages without any rule that serve as controls. */
const mostControls = 2;

/**
 * The pages to compare before and after: each page of a rule, at each viewport (or the rule's own), in the rule's
 * state; and some pages that no rule reaches. `path` narrows them to one page.
 */
export function pagesToPicture(input: CheckInput, path: string | null): PageToPicture[] {
  const seen = new Map<string, PageToPicture>();
  const { shipping } = planCheck(input);
  const contexts = new Map<View, ViewContext>();
  const contextOf = (view: View) => {
    const known =
      contexts.get(view) ??
      viewContext(
        view,
        shipping.map(({ rule }) => rule),
        input,
      );
    contexts.set(view, known);
    return known;
  };
  for (const { rule, pages, view } of shipping) {
    const viewports = rule.viewport === null ? input.viewports.map(({ name }) => name) : [rule.viewport];
    for (const page of pages) {
      if (path !== null && page.path !== path) continue;
      for (const viewport of viewports) {
        const settings = settingsFor({ state: rule.state, viewport }, input);
        const visitor = rule.visitor ?? input.visitor;
        const key = JSON.stringify([page.path, viewport, settings.state, visitor]);
        const acting = () => {
          const { look, shippedTo } = contextOf(view);
          return actingRules(look(page, settings), shippedTo(page));
        };
        const known = seen.get(key) ?? { page, view, settings, visitor, rules: [], acting };
        seen.set(key, known);
        known.rules.push(rule.name);
      }
    }
  }
  const sorted = [...seen.values()].sort((a, b) =>
    a.page.path < b.page.path ? -1 : a.page.path > b.page.path ? 1 : 0,
  );
  return [...sorted, ...controls(input)];
}

/** Pages that nothing ships to, at each viewport. */
function controls(input: CheckInput): PageToPicture[] {
  const view = input.view(input.visitor) ?? input.view(null);
  if (!view) return [];
  const { shipping } = planCheck(input);
  const delivered = deliver(
    shipping.map(({ rule }) => rule),
    view.site,
  );
  const free = view.site.pages.filter((page) => delivered(page).length === 0).slice(0, mostControls);
  return free.flatMap((page) =>
    input.viewports.map(({ name }) => ({
      ...{ page, view, visitor: input.visitor, rules: [], acting: () => [] },
      settings: settingsFor({ state: null, viewport: name }, input),
    })),
  );
}
