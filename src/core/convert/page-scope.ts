import { putTogether, takeApart, type Compound, type Simple } from '../css/complex.js';
import { selectorParts } from '../css/selector.js';
import { handlesOf } from '../page/handles.js';
import { pagesWith } from '../target/site-index.js';
import { handleCss } from '../page/page-id.js';
import type { Page, Site } from '../page/page.js';

/** The pages that a selector names, and the selector without them. */
export interface PageScope {
  /** Terms that must all hold, as a rule writes them: `page-id(46)`, `body-class(season-winter)`; empty for all pages. */
  terms: string[];
  /** Alternatives of what is left out: `page-id(46)`. */
  except: string[];
  /** The selector without them. */
  rest: string;
  /** The pages of the site that it picks. */
  pages: Page[];
}

/** A handle on `body` that a simple selector asks for, with its pages. */
interface Found {
  condition: string;
  pages: Set<Page>;
}

/**
 * Splits a selector that begins with a page's handle into its pages and the rest; null if it does not begin so.
 * `onBody`: whether a class or ID is on `body` alone on all pages, so that it means the page even where `body` is not
 * named.
 */
export function takePageScope(selector: string, site: Site, onBody: (simple: string) => boolean): PageScope | null {
  const { element, pseudo } = selectorParts(selector);
  const compounds = takeApart(element);
  const at = compounds.findIndex((compound, index) => index < 2 && isAboutBody(compound, onBody));
  const body = compounds[at];
  if (!body || (at === 1 && !isHtml(compounds[0]))) return null;
  const scope = { terms: [] as string[], except: [] as string[] };
  let pages = site.pages;
  const kept: Simple[] = [];
  for (const simple of body.simples) {
    const found = handleOf(simple, site);
    const denied = simple.kind === 'pseudo' && simple.name.toLowerCase() === 'not' ? deniedBy(simple, site) : null;
    if (found) {
      scope.terms.push(found.condition);
      pages = pages.filter((page) => found.pages.has(page));
    } else if (denied) {
      scope.except.push(...denied.map(({ condition }) => condition));
      pages = pages.filter((page) => !denied.some((each) => each.pages.has(page)));
    } else if (simple.kind !== 'type') kept.push(simple);
  }
  if (scope.terms.length === 0 && scope.except.length === 0) return null;
  const rest = restOf(compounds, at, kept);
  return { ...scope, rest: rest + pseudo, pages };
}

const isHtml = (compound: Compound | undefined) =>
  compound?.simples.some(
    ({ kind, name }) => (kind === 'type' && name === 'html') || (kind === 'pseudo' && name === 'root'),
  ) ?? false;

/** Whether a compound matches `body` and nothing else. */
function isAboutBody({ simples }: Compound, onBody: (simple: string) => boolean): boolean {
  if (simples.some(({ kind, name }) => kind === 'type' && name.toLowerCase() === 'body')) return true;
  return (
    simples.every(({ kind }) => kind !== 'type') &&
    simples.some(({ kind, text }) => (kind === 'class' || kind === 'id') && onBody(text))
  );
}

/** The rest of a selector, without `body` where that is redundant. */
function restOf(compounds: Compound[], at: number, kept: Simple[]): string {
  const [before, after] = [compounds.slice(0, at), compounds.slice(at + 1)];
  const [next] = after;
  if (next?.combinator === ' ' && kept.length === 0 && before.length === 0)
    return putTogether([{ ...next, combinator: '' }, ...after.slice(1)]);
  const body: Compound = {
    combinator: compounds[at]?.combinator ?? '',
    simples: [{ kind: 'type', name: 'body', text: 'body' }, ...kept],
  };
  return putTogether([...before, body, ...after]);
}

/** The handle that a class, an ID or an ID attribute is; null for anything else. */
function handleOf(simple: Simple, site: Site): Found | null {
  const { kind, name, text } = simple;
  const [, value] = kind === 'attribute' ? (/^\[id=["']?([\w-]+)["']?\]$/.exec(text) ?? []) : [];
  if (kind !== 'class' && kind !== 'id' && value === undefined) return null;
  const css = `body${handleCss({ in: kind === 'class' ? 'body-class' : 'body-id' }, value ?? name)}`;
  const pages = pagesWith(site, css);
  const [page] = pages;
  // A class that holds the page's ID becomes page-id(…).
  const handle = page && handlesOf(page).find((each) => each.css === css);
  const term = kind === 'class' ? `body-class(${name})` : `body-id(${value ?? name})`;
  return { condition: handle?.condition ?? term, pages: new Set(pages) };
}

/** The handles in a `:not(…)`; null if it holds anything else. */
function deniedBy(simple: Simple, site: Site): Found[] | null {
  const inside = /^:not\(([^]*)\)$/i.exec(simple.text)?.[1] ?? '';
  const found = inside.split(',').map((part): Found | null => {
    const compounds = part.trim() === '' ? [] : takeApart(part.trim());
    const simples = compounds[0]?.simples.filter(({ name, kind }) => !(kind === 'type' && name === 'body')) ?? [];
    const [only] = simples;
    return compounds.length === 1 && simples.length === 1 && only ? handleOf(only, site) : null;
  });
  return found.some((each) => each === null) ? null : found.flatMap((each) => each ?? []);
}
