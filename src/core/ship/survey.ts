import { actionKind } from '../action/index.js';
import type { Action } from '../action/action.js';
import type { Kept } from '../check/result-cache.js';
import type { Reach } from '../css/scope.js';
import { selectorParts } from '../css/selector.js';
import type { PageDocument } from '../page/document.js';
import { compileMatcher } from '../page/elements.js';
import type { Matcher } from '../page/query.js';
import type { Page, Site } from '../page/page.js';
import type { Rule } from '../rule/rule.js';
import { reachedPages } from '../target/delivery.js';
import { currentLinksOf, type CurrentLinks } from './current-links.js';

/** The answers of one page, by question. */
export type Answers = Record<string, unknown>;

/** What a build must know about the pages. */
export interface Measured {
  /** What a selector of an action matches on the pages that it ships to. */
  reach: (action: Action, text: string) => Reach;
  links: (action: Action) => CurrentLinks;
  /** Pages that something ships to. */
  pages: ReadonlySet<Page>;
}

/** A question to a page; questions with the same `key` are asked once. */
interface Question<Found = unknown> {
  key: string;
  look: (document: PageDocument) => Found;
  take: (page: Page, found: Found) => void;
}

/** Where a survey gets its pages from. */
export interface SurveyInput {
  site: Site;
  open: (page: Page) => PageDocument;
  /** Differs whenever a page's source does; null if that is not known. */
  identity?: (page: Page) => string | null;
  /** Answers of earlier runs. */
  learnt?: Kept<Answers>;
}

/**
 * Asks each page of a build what the build must know about it. A page is opened only if `look` was not called with it
 * and the answers of an earlier run are incomplete.
 */
export class Survey {
  private readonly questions = new Map<Page, Question[]>();
  private readonly reaches = new Map<Action, Map<string, Reach>>();
  private readonly found = new Map<Action, CurrentLinks>();
  private readonly answers = new Map<Page, Answers>();

  constructor(
    rules: readonly Rule[],
    private readonly input: SurveyInput,
  ) {
    for (const rule of rules)
      for (const action of rule.actions) {
        const own = action.selectors.map(({ text }) => this.reachQuestion(text, action) as Question);
        if (actionKind(action).scope === 'links') own.push(this.linkQuestion(action) as Question);
        if (own.length === 0 && actionKind(action).scope === 'none') continue;
        for (const page of reachedPages(rule, action, input.site)) {
          const list = this.questions.get(page);
          if (list) list.push(...own);
          else this.questions.set(page, [...own]);
        }
      }
  }

  /** Asks a page that is already open, as captured. */
  look(page: Page, document: PageDocument): void {
    const questions = this.questions.get(page);
    if (!questions || this.answers.has(page)) return;
    const key = this.keyOf(page);
    const known = { ...(key === null ? undefined : this.input.learnt?.get(key)) };
    const fresh = questions.filter((question) => !Object.hasOwn(known, question.key));
    for (const question of fresh) known[question.key] = question.look(document);
    this.answers.set(page, known);
    if (fresh.length > 0 && key !== null) this.input.learnt?.set(key, known);
  }

  /** The answers of all pages; opens those that are still missing. */
  finish(): Measured {
    for (const [page, questions] of this.questions) {
      const answers = this.known(page, questions) ?? this.opened(page);
      for (const question of questions) question.take(page, answers[question.key]);
    }
    const none: Reach = { elements: 0, belowBody: 0, html: 0 };
    return {
      reach: (action, text) => this.reaches.get(action)?.get(text) ?? none,
      links: (action) => this.found.get(action) ?? new Map(),
      pages: new Set(this.questions.keys()),
    };
  }

  private known(page: Page, questions: Question[]): Answers | undefined {
    const key = this.keyOf(page);
    const answers = this.answers.get(page) ?? (key === null ? undefined : this.input.learnt?.get(key));
    return answers && questions.every((question) => Object.hasOwn(answers, question.key)) ? answers : undefined;
  }

  private opened(page: Page): Answers {
    this.look(page, this.input.open(page));
    return this.answers.get(page) ?? {};
  }

  private keyOf(page: Page): string | null {
    const identity = this.input.identity?.(page) ?? null;
    return identity === null ? null : `${page.path} ${identity}`;
  }

  /** Counts what a selector matches, page by page. */
  private reachQuestion(text: string, action: Action): Question<Reach> {
    const { element } = selectorParts(text);
    const reach: Reach = { elements: 0, belowBody: 0, html: 0 };
    const own = this.reaches.get(action) ?? new Map<string, Reach>();
    this.reaches.set(action, own.set(text, reach));
    let matchers: Matcher[] | null = null;
    return {
      key: `reach ${element}`,
      look: (document) => {
        const [all, below] = (matchers ??= [compileMatcher(element), compileMatcher(`body ${element}`)]);
        const elements = all?.(document) ?? [];
        const html = elements.filter(({ tagName }) => tagName === 'html').length;
        return { elements: elements.length, belowBody: (below?.(document) ?? []).length, html };
      },
      take: (_page, found) => {
        for (const part of ['elements', 'belowBody', 'html'] as const) reach[part] += found[part];
      },
    };
  }

  /** Collects the links to a page itself that an action is about. */
  private linkQuestion(action: Action): Question<string[]> {
    const own: CurrentLinks = new Map();
    this.found.set(action, own);
    return {
      key: `links ${'sections' in action && action.sections} ${action.selectors.map(({ text }) => text).join(', ')}`,
      look: currentLinksOf(action),
      take: (page, found) => {
        for (const href of found) own.set(href, [...(own.get(href) ?? []), page]);
      },
    };
  }
}
