import { selectorTokens } from '../css/selector-tokens.js';
import type { Page, Site } from './page.js';

/** Tags, `.classes` and `#ids` that a page's source names, each once, in lower case, with a space before and after each. */
export type PageWords = string;

/** Reads the words of a page's source without parsing it: none is left out, though comments and scripts may add some. */
export function readWords(html: string): PageWords {
  const words = new Set<string>();
  // The same tags and lists of classes are in a page again and again.
  const [tags, classLists] = [new Set<string>(), new Set<string>()];
  const add = (isId: boolean, value: string) => {
    if (isId) words.add(`#${value.trim().toLowerCase()}`);
    else if (!classLists.has(value)) {
      classLists.add(value);
      for (const each of value.toLowerCase().split(/[\t\n\f\r ]+/)) if (each) words.add(`.${each}`);
    }
  };
  for (let at = html.indexOf('<'); at >= 0; at = html.indexOf('<', at)) {
    at++;
    if (!isLetter(html.charCodeAt(at))) continue;
    const end = nameEnd(html, at);
    const tag = html.slice(at, end);
    if (!tags.has(tag)) {
      tags.add(tag);
      words.add(tag.toLowerCase());
    }
    at = readAttributes(html, end, add);
  }
  return ` ${[...words].join(' ')} `;
}

const isLetter = (code: number) => (code | 32) >= 97 && (code | 32) <= 122;
const isSpace = (code: number) => code === 32 || (code >= 9 && code <= 13);
const [slash, equals, greater, double, single] = [47, 61, 62, 34, 39];

/** Where a name that begins at `at` ends: at white space, a slash, an equals sign or the end of the tag. */
function nameEnd(html: string, at: number): number {
  for (; at < html.length; at++) {
    const code = html.charCodeAt(at);
    if (isSpace(code) || code === slash || code === greater || code === equals) break;
  }
  return at;
}

/** Calls back for each `class` and `id` of a tag, from the end of its name on; returns where the tag ends. */
function readAttributes(html: string, at: number, found: (isId: boolean, value: string) => void): number {
  const skipSpace = () => {
    while (isSpace(html.charCodeAt(at))) at++;
  };
  for (; at < html.length;) {
    const code = html.charCodeAt(at);
    if (code === greater) break;
    if (isSpace(code) || code === slash) {
      at++;
      continue;
    }
    const end = Math.max(nameEnd(html, at), at + 1);
    const length = end - at;
    const name = length === 5 || length === 2 ? html.slice(at, end).toLowerCase() : '';
    at = end;
    skipSpace();
    if (html.charCodeAt(at) !== equals) continue;
    at++;
    skipSpace();
    const quote = html.charCodeAt(at);
    let start = at;
    let stop: number;
    if (quote === double || quote === single) {
      start = at + 1;
      stop = html.indexOf(quote === double ? '"' : "'", start);
      if (stop < 0) stop = html.length;
      at = stop + 1;
    } else {
      while (at < html.length && !isSpace(html.charCodeAt(at)) && html.charCodeAt(at) !== greater) at++;
      stop = at;
    }
    if (name === 'class' || name === 'id') found(name === 'id', html.slice(start, stop));
  }
  return at;
}

/** Which pages of a site name which words: what tells where a selector may match without a page being parsed. */
export class SiteWords {
  private readonly words: Map<Page, PageWords>;

  /** `wordsOf`: the words of a page, read now or kept from an earlier run. */
  constructor(
    private readonly site: Site,
    wordsOf: (page: Page) => PageWords,
  ) {
    this.words = new Map(site.pages.map((page) => [page, wordsOf(page)]));
  }

  private counts: Map<string, number> | null = null;

  /** How many pages name a tag, `.class` or `#id`. */
  countOf(word: string): number {
    this.counts ??= countWords(this.words.values());
    return this.counts.get(word.toLowerCase()) ?? 0;
  }

  /** Whether any page names it. */
  isNamed = (word: string): boolean => this.site.pages.some((page) => this.names(page, word));

  /** Whether a page names it. */
  names = (page: Page, word: string): boolean => (this.words.get(page) ?? '').includes(` ${word.toLowerCase()} `);

  /** The pages that name everything that a selector asks for, in the order of the site. */
  pagesFor(selector: string): Page[] {
    const needed = wordsOfSelector(selector);
    return this.site.pages.filter((page) => {
      const words = this.words.get(page) ?? '';
      return needed.every((word) => words.includes(` ${word} `));
    });
  }
}

/** Words of a site with the number of pages that name each. */
function countWords(words: Iterable<PageWords>): Map<string, number> {
  const counts = new Map<string, number>();
  for (const own of words) for (const word of own.trim().split(' ')) counts.set(word, (counts.get(word) ?? 0) + 1);
  return counts;
}

/** Elements that a parser makes without a start tag of their name (HTML Standard 13.2.6), or by another name (`<image>`). */
const impliedTags = new Set(['html', 'head', 'body', 'tbody', 'tr', 'colgroup', 'p', 'br', 'img']);

/** The words that an element and what is around it must carry for a selector to match. */
function wordsOfSelector(selector: string): string[] {
  const [tokens = []] = selectorTokens(selector);
  return tokens.flatMap((token) => {
    if (token.type === 'tag') return impliedTags.has(token.name.toLowerCase()) ? [] : [token.name.toLowerCase()];
    if (token.type !== 'attribute') return [];
    if (token.name === 'id' && token.action === 'equals') return [`#${token.value.toLowerCase()}`];
    return token.name === 'class' && token.action === 'element' ? [`.${token.value.toLowerCase()}`] : [];
  });
}
