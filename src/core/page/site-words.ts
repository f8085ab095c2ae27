import { BoundedMap } from '../bounded-map.js';
import { selectorTokens } from '../css/selector-tokens.js';
import type { Page, Site } from './page.js';
import { scanTags, type TagReader } from './tag-scanner.js';

/**
 * Tags, `.classes` and `#ids` that a page's source names, each once, in lower case, with a space before and after each; and
 * `&` where some are written with character references, so that it may name any.
 */
export type PageWords = string;

/** Reads the words of a page's source without parsing it: none is left out, though comments and scripts may add some. */
export function readWords(html: string): PageWords {
  const words = wordReader();
  scanTags(html, { start: words.start, end: () => undefined, comment: () => undefined });
  return words.read();
}

/** The beginning of a character reference (HTML Standard 13.5); other names hold a `&` too (`[&_svg]:block`). */
const reference = /&[#a-z\d]/i;

/** Gathers words from a page's start tags. */
export function wordReader(): Pick<TagReader, 'start'> & { read: () => PageWords } {
  const words = new Set<string>();
  // The same lists of classes are in a page again and again.
  const classLists = new Set<string>();
  return {
    start(tag, classes, id) {
      words.add(tag);
      if (classes !== null && !classLists.has(classes)) {
        classLists.add(classes);
        if (reference.test(classes)) words.add('&');
        for (const each of classes.toLowerCase().split(/[\t\n\f\r ]+/)) if (each) words.add(`.${each}`);
      }
      if (id !== null && reference.test(id)) words.add('&');
      if (id !== null) words.add(`#${id.trim().toLowerCase()}`);
    },
    read: () => ` ${[...words].join(' ')} `,
  };
}

/** Which pages of a site name which words: what tells where a selector may match without a page being parsed. */
export class SiteWords {
  private readonly known = new Map<Page, PageWords>();
  private whole: PageWords[] | null = null;

  /** `read`: the words of a page, read now or kept from an earlier run. `onWhole`: called once those of all pages were asked for. */
  constructor(
    private readonly site: Site,
    private readonly read: (page: Page) => PageWords,
    private readonly onWhole: () => void = () => undefined,
  ) {}

  private of(page: Page): PageWords {
    let words = this.known.get(page);
    if (words === undefined) this.known.set(page, (words = this.read(page)));
    return words;
  }

  private all(): PageWords[] {
    if (!this.whole) {
      this.whole = this.site.pages.map((page) => this.of(page));
      this.onWhole();
    }
    return this.whole;
  }

  private counts: Map<string, number> | null = null;

  /** How many pages name a tag, `.class` or `#id`. */
  countOf(word: string): number {
    this.counts ??= countWords(this.all());
    return this.counts.get(word.toLowerCase()) ?? 0;
  }

  /** Whether any page names it. */
  isNamed = (word: string): boolean => this.all().some((words) => words.includes(` ${word.toLowerCase()} `));

  /** Whether a page names it. */
  names = (page: Page, word: string): boolean => this.of(page).includes(` ${word.toLowerCase()} `);

  /** The pages that name everything that a selector asks for, in the order of the site. */
  pagesFor(selector: string): Page[] {
    const needed = wordsOfSelector(selector);
    this.all();
    return this.site.pages.filter((page) => this.namesAll(page, needed));
  }

  /** Whether a page names everything that a selector asks for; where not, the selector matches nothing there. */
  mayMatch(page: Page, selector: string): boolean {
    let needed = this.needed.get(selector);
    if (!needed) this.needed.set(selector, (needed = wordsOfSelector(selector)));
    return this.namesAll(page, needed);
  }

  private readonly needed = new BoundedMap<string, string[]>(2000);

  private namesAll(page: Page, needed: string[]): boolean {
    const words = this.of(page);
    return words.includes(' & ') || needed.every((word) => words.includes(` ${word} `));
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
