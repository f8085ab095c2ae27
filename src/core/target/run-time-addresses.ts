import type { Page } from '../page/page.js';
import type { AddressPart } from './term.js';

/** An address that local-needle.js recognises at run time, by the name that it marks `html` with. */
export interface RunTimeAddress {
  name: string;
  /** A normalised literal path, or null where `pattern` says it. */
  path: string | null;
  /** A URL Pattern path, with the pages that it picks today for browsers that lack URLPattern. */
  pattern: string | null;
  pages: string[];
  queries: [string, string][];
}

/** Collects what local-needle.js must recognise: one entry an address, however many rules use it. */
export class RunTimeAddresses {
  private readonly byText = new Map<string, RunTimeAddress>();
  /** `handles`: a path becomes the unique handles of its pages where they have any. */
  constructor(readonly paths: 'handles' | 'run-time') {}

  get list(): RunTimeAddress[] {
    return [...this.byText.values()];
  }

  /**
   * The selector of the mark on `html` for an address: at most one path or pattern, with the parameters beside it. `pages`:
   * those that it picks today.
   */
  mark(parts: AddressPart[], pages: ReadonlySet<Page>): string {
    const text = JSON.stringify(parts);
    const known = this.byText.get(text) ?? this.addressOf(parts, pages);
    this.byText.set(text, known);
    return `[data-local-needle~="${known.name}"]`;
  }

  private addressOf(parts: AddressPart[], pages: ReadonlySet<Page>): RunTimeAddress {
    const address: RunTimeAddress = {
      name: '',
      path: null,
      pattern: null,
      pages: [],
      queries: [],
    };
    for (const part of parts) {
      if ('query' in part) address.queries.push(part.query);
      else if ('path' in part) address.path = part.path;
      else
        Object.assign(address, {
          pattern: part.pattern,
          pages: [...pages].map(({ path }) => path),
        });
    }
    const { path, pattern, queries } = address;
    // It would be every address.
    if (path === null && pattern === null && queries.length === 0) throw new Error('An address that says nothing');
    const slug =
      (path ?? pattern ?? 'query')
        .replace(/\*/g, 'any')
        .replace(/[^A-Za-z0-9]+/g, '-')
        .replace(/^-|-$/g, '') || 'front';
    const taken = this.list.filter(({ name }) => name === slug || name.startsWith(`${slug}-`)).length;
    return { ...address, name: taken > 0 ? `${slug}-${taken + 1}` : slug };
  }
}

/** An address as messages show it. */
export const addressText = ({ path, pattern, queries }: RunTimeAddress) =>
  (path ?? pattern ?? '') + (queries.length > 0 ? `?${queries.map((pair) => pair.join('=')).join('&')}` : '');
