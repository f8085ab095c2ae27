import { parseCondition } from './condition.js';
import { conditionPages } from './pages.js';
import { pathCondition } from './path-condition.js';
import { indexOf, pagesWith } from './site-index.js';
import { handlesOf } from '../page/handles.js';
import type { Page, Site } from '../page/page.js';

/** Conditions that pick exactly a set of pages, as a rule writes them. */
export interface Expression {
  pages: string;
  except: string | null;
}

/** A condition and the pages that it picks. */
interface Candidate {
  text: string;
  pages: ReadonlySet<Page>;
}

/**
 * The shortest conditions found that pick exactly these pages of the site; null for no pages, and where there are none.
 * `handles: 'path'` uses paths alone, which hold on every copy of a site; 'body' what is on `body` alone, which needs no
 * script. Not proven to be the smallest of all: sets are covered greedily.
 */
export function expressionFor(pages: Page[], site: Site, handles: 'any' | 'path' | 'body' = 'any'): Expression | null {
  if (pages.length === 0) return null;
  const wanted = new Set(pages);
  if (wanted.size === site.pages.length) return { pages: 'all', except: null };
  const candidates = candidatesFor(pages, site, handles);
  const union = cover(wanted, candidates);
  const wider = candidates
    .filter((each) => each.pages.size > wanted.size && [...wanted].every((page) => each.pages.has(page)))
    .map((each) => {
      const excess = [...each.pages].filter((page) => !wanted.has(page));
      const except = excess.length > 20 ? null : cover(new Set(excess), candidatesFor(excess, site, handles));
      return except === null ? null : { pages: each.text, except };
    });
  const whole: Expression[] = union === null ? [] : [{ pages: union, except: null }];
  const all = [...whole, ...wider.filter((each) => each !== null)];
  const length = (each: Expression) => each.pages.length + (each.except === null ? 0 : each.except.length + 20);
  return all.sort((a, b) => length(a) - length(b))[0] ?? null;
}

/** Conditions that pick these pages and no others; null if the candidates cannot. */
function cover(wanted: Set<Page>, candidates: Candidate[]): string | null {
  const left = new Set(wanted);
  const chosen: string[] = [];
  const inside = candidates.filter((each) => [...each.pages].every((page) => wanted.has(page)));
  while (left.size > 0) {
    let best: { candidate: Candidate; fresh: number } | null = null;
    for (const candidate of inside) {
      const fresh = [...candidate.pages].filter((page) => left.has(page)).length;
      const better =
        best === null ||
        fresh > best.fresh ||
        (fresh === best.fresh && candidate.text.length < best.candidate.text.length && candidate.pages.size > 1);
      if (fresh > 0 && better) best = { candidate, fresh };
    }
    if (!best) return null;
    chosen.push(best.candidate.text);
    best.candidate.pages.forEach((page) => left.delete(page));
  }
  return chosen.join(', ');
}

/** Conditions on what these pages carry, best first among those that pick the same. */
function candidatesFor(pages: Page[], site: Site, handles: 'any' | 'path' | 'body'): Candidate[] {
  const found = new Map<string, Candidate>();
  const add = (text: string, picked: Iterable<Page>) =>
    void (found.has(text) || found.set(text, { text, pages: new Set(picked) }));
  for (const page of pages) {
    const own = handles === 'path' ? [] : handlesOf(page);
    for (const { condition, css } of own) add(condition, pagesWith(site, css));
    const classes = own
      .filter(
        ({ kind, css, condition }) =>
          kind === 'body-class' && pagesWith(site, css).size > 1 && !condition.includes('"'),
      )
      .slice(0, 8);
    classes.forEach((first, index) => {
      for (const second of classes.slice(index + 1)) {
        const both = indexOf(site).inAll([pagesWith(site, first.css), pagesWith(site, second.css)]);
        if (both.size > 1)
          add(
            `body-class(${[first, second].map(({ condition }) => condition.slice('body-class('.length, -1)).join(' ')})`,
            both,
          );
      }
    });
    if (handles === 'body') continue;
    const exact = pathCondition(page.path);
    add(exact, page.path.includes('?') ? conditionPages(parseCondition(exact).condition, site) : [page]);
    for (const [text, picked] of sectionsOf(page, site)) add(text, picked);
  }
  return [...found.values()];
}

/** The sections that a page lies in, as patterns: below, and with the section's own page. */
function sectionsOf(page: Page, site: Site): [string, Page[]][] {
  const segments = page.path.split('/').slice(1);
  const sections: [string, Page[]][] = [];
  for (let depth = 1; depth <= segments.length; depth++) {
    const section = `/${segments.slice(0, depth).join('/')}`;
    if (section === '/' || /["*{}()+?:\\]/.test(section)) continue;
    const below = indexOf(site).below(`${section}/`);
    if (below.length === 0) continue;
    if (depth < segments.length) sections.push([`path("${section}/*")`, below]);
    const own = site.byPath.get(section);
    if (own) sections.push([`path("${section}{/*}?")`, [own, ...below]]);
  }
  return sections;
}
