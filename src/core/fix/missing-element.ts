import type { Action } from '../action/action.js';
import { compiledAction } from '../action/compile.js';
import type { CheckInput } from '../check/input.js';
import { ruleSignature } from '../check/result-cache.js';
import { textSignature } from '../signature.js';
import { selectorParts } from '../css/selector.js';
import { finding, type Finding } from '../finding.js';
import type { PageDocument } from '../page/document.js';
import { hostsWith, partNames, partsOf } from '../page/shadow.js';
import { compileMatcher } from '../page/elements.js';
import { TooLate, withinTime, type Matcher } from '../page/query.js';
import type { Page } from '../page/page.js';
import type { Place } from '../place.js';
import { applyState } from '../page/state.js';
import type { View } from '../page/view.js';
import type { Rule } from '../rule/rule.js';
import { nearMisses } from './near-selector.js';
import { adding, movedBy, replacing, type Proposal } from './proposal.js';

/** An action whose element is missing on a page that its rule targets. */
export interface MissingElement {
  rule: Rule;
  action: Action;
  page: Page;
  view: View;
  state: string | null;
}

/** What would fix it: in words, and the selector that matches there, if that is what helps. */
export interface Hint {
  text: string | null;
  selector: string | null;
  proposals?: Proposal[];
  /** The line of the rule that the proposals were made for. */
  line?: number;
  /** What was wrong with the selector, as ` (typo)`; empty if that is not known. */
  why: string;
}

/** Maximum number of pages of one action that get hints; all get a finding. */
const mostPages = 20;
/** Maximum number of pages parsed to see whether a selector really matches there. */
const mostCandidates = 12;

/**
 * A finding for each element that is missing, with the likeliest fix. Hints are worked out once an action: what fixes it on
 * its first page is tried on the others. Those that the rule accepts get none.
 */
export function missingElements(missing: MissingElement[], input: CheckInput): Finding[] {
  const byAction = new Map<Action, MissingElement[]>();
  for (const each of missing) {
    if (each.rule.allow.some(({ code }) => code === 'missing-element')) continue;
    const list = byAction.get(each.action);
    if (list) list.push(each);
    else byAction.set(each.action, [each]);
  }
  const search = new HintSearch(input);
  return [...byAction.values()].flatMap((pages) => {
    const [first] = pages;
    if (!first) return [];
    const fix = input.hints === null ? noHint : search.hintFor(first);
    return pages.map((each, index) => {
      const hint =
        each === first
          ? fix
          : index < mostPages && fix.selector !== null
            ? search.sameHint(each, fix.selector, fix.why)
            : null;
      return finding('missing-element', `${each.action.selector} matches nothing on ${each.page.path}`, {
        rule: each.rule.name,
        page: each.page.path,
        at: each.action.at,
        hint: hint?.text ?? null,
        proposals: hint?.proposals,
      });
    });
  });
}

const noHint: Hint = { text: null, selector: null, why: '' };

const said = (text: string | null, proposals?: Proposal[]): Hint | null =>
  text === null ? null : { text, selector: null, why: '', ...(proposals ? { proposals } : {}) };

const sitesKnown = new WeakMap<View, { visitors: (View | null)[]; key: string | null }>();

/** Searches fixes for missing elements; keeps the last opened page. */
class HintSearch {
  private last: {
    missing: Pick<MissingElement, 'page' | 'view' | 'state'>;
    document: PageDocument;
  } | null = null;

  constructor(private readonly input: CheckInput) {}

  /** The likeliest fix: a change to the selector, or the state, visitor or page where it does match. */
  hintFor(missing: MissingElement): Hint {
    const [single, another] = missing.action.selectors;
    if (!single || another) return noHint;
    const { element, pseudo } = selectorParts(single.text);
    const part = this.partHint(missing, element, pseudo);
    if (part !== null) return { text: part, selector: null, why: '' };
    const site = this.siteKey(missing.view);
    const key = site === null ? null : JSON.stringify([this.keyOf(missing), site]);
    const near = this.kept(missing, 'near', key, () => this.nearHint(missing, element));
    if (near.text !== null) return near;
    return this.kept(missing, 'elsewhere', key, () => this.hintElsewhere(missing, element));
  }

  /** The same fix on another page, if it works there. */
  sameHint(missing: MissingElement, selector: string, why: string): Hint {
    return this.kept(missing, `same ${selector}`, this.keyOf(missing), () => {
      const elements = compileMatcher(selector)(this.open(missing)).length;
      return elements === 0
        ? noHint
        : {
            text: `${selector} matches ${elements} there${why}.`,
            selector,
            why,
            proposals: [this.replacement(missing, selector)],
          };
    });
  }

  private nearHint(missing: MissingElement, element: string): Hint {
    const { view } = missing;
    const all = nearMisses(element, this.open(missing), 2, view.words().isNamed);
    const [near] = all;
    if (!near) return noHint;
    const { selector, elements } = near;
    const why = near.why ? ` (${near.why})` : '';
    const likeliest = all.filter(({ cost }) => cost === near.cost);
    return {
      selector,
      why,
      text: `${selector} matches ${elements} there${why}.`,
      proposals: likeliest.map((each) => this.replacement(missing, each.selector)),
    };
  }

  private replacement({ action: { at, selectors } }: MissingElement, by: string): Proposal {
    return replacing(at, selectorParts(selectors[0]?.text ?? '').element, by);
  }

  private hintElsewhere(missing: MissingElement, element: string): Hint {
    const match = compileMatcher(element);
    return (
      said(this.inShadowTree(match, missing)) ??
      this.inAnotherState(match, missing) ??
      this.forAnotherVisitor(match, missing) ??
      this.otherAlternative(missing) ??
      said(this.onAnotherPage(match, element, missing)) ??
      noHint
    );
  }

  /** The parts that the elements of a selector have, where the one that it names is not among them. */
  private partHint(missing: MissingElement, element: string, pseudo: string): string | null {
    if (!partNames(pseudo)) return null;
    const document = this.open(missing);
    const [host] = compileMatcher(element)(document).filter((each) => document.shadows.has(each));
    const tree = host && document.shadows.get(host);
    if (!tree) return null;
    const names = [...new Set(partsOf(tree).flat())];
    return names.length > 0
      ? `The parts of <${host.tagName}> are ${names.slice(0, 8).join(', ')}.`
      : `The shadow tree of <${host.tagName}> has no parts with names.`;
  }

  private inShadowTree(match: Matcher, missing: MissingElement): string | null {
    const [host] = hostsWith(match, this.open(missing));
    return host ? `It is in the shadow tree of <${host.tagName}>, which the selectors of a page do not reach.` : null;
  }

  private inAnotherState(match: Matcher, { rule, page, view, state }: MissingElement): Hint | null {
    for (const [name, change] of Object.entries(this.input.states)) {
      if (name === state) continue;
      const document = view.open(page);
      applyState(document, change);
      if (match(document).length > 0)
        return said(`It matches in the state ${name}. Add state: ${name}; to the rule.`, [
          adding(rule.at, `state: ${name}`),
        ]);
    }
    return null;
  }

  private forAnotherVisitor(match: Matcher, { rule, page, view }: MissingElement): Hint | null {
    for (const name of this.input.visitors) {
      const other = name === this.input.visitor ? null : this.input.view(name);
      // A hint must not rest on the older of two captures.
      const isOlder = other?.day && view.day ? other.day < view.day : false;
      const same = other && other !== view && !isOlder ? other.site.byPath.get(page.path) : undefined;
      if (other && same && match(other.open(same)).length > 0)
        return said(`It exists for the visitor ${name}. Add visitor: ${name}; to the rule.`, [
          adding(rule.at, `visitor: ${name}`),
        ]);
    }
    return null;
  }

  /** If a rule lists alternatives and another one matches, they should be one selector. */
  private otherAlternative(missing: MissingElement): Hint | null {
    const { rule, action } = missing;
    const others = rule.actions.filter(
      (other) => other !== action && other.kind === action.kind && other.at.line === action.at.line,
    );
    const matching = others.find((other) => (compiledAction(rule, other).match?.(this.open(missing)) ?? []).length > 0);
    if (!matching) return null;
    const list = rule.actions.filter((each) => each === action || each === matching);
    const written = list.map(({ selector }) => selector).join(', ');
    return said(
      `${matching.selector} in the same list matches; :is(${matching.selector}, ${action.selector}) matches whichever exists.`,
      [replacing(list[0]?.at ?? action.at, written, `:is(${written})`)],
    );
  }

  private onAnotherPage(match: Matcher, element: string, { page, view }: MissingElement): string | null {
    const candidates = view
      .words()
      .pagesFor(element)
      .filter((other) => other !== page);
    const found = candidates.slice(0, mostCandidates).find((other) => match(view.open(other)).length > 0);
    return found ? `It exists on other pages, such as ${found.path}.` : null;
  }

  private open(missing: MissingElement): PageDocument {
    const { page, view, state } = missing;
    const { last } = this;
    if (last?.missing.page === page && last.missing.view === view && last.missing.state === state) return last.document;
    const document = view.open(page);
    const change = state === null ? undefined : this.input.states[state];
    if (change) applyState(document, change);
    this.last = { missing, document };
    return document;
  }

  /** A hint from an earlier run, or made now in the time that a page may take. A null key: it cannot be kept. */
  private kept({ rule, action }: MissingElement, what: string, about: string | null, make: () => Hint): Hint {
    const { hints, startTime } = this.input;
    const key = about === null ? null : JSON.stringify([what, rule.actions.indexOf(action), about]);
    const known = key === null ? undefined : hints?.get(key);
    if (known) return movedTo(rule.at, known);
    try {
      const hint = { ...(startTime ? withinTime(startTime(), make) : make()), line: rule.at.line };
      if (key !== null) hints?.set(key, hint);
      return hint;
    } catch (error) {
      if (!(error instanceof TooLate)) throw error;
      return noHint;
    }
  }

  /** A key of everything that a hint depends on; null if a page's identity is not known. */
  private keyOf({ rule, page, view, state }: MissingElement): string | null {
    const identity = view.identity(page);
    if (identity === null) return null;
    return JSON.stringify([page.path, identity, ruleSignature(rule), state, this.input.states]);
  }

  /** A key of the pages of a view and of the other visitors' views. */
  private siteKey(view: View): string | null {
    const visitors = this.input.visitors.map((name) => this.input.view(name));
    const known = sitesKnown.get(view);
    if (known?.visitors.every((each, index) => each === visitors[index])) return known.key;
    const all = [view, ...visitors.filter((each) => each !== null)].flatMap((each) =>
      each.site.pages.map((page) => [page.path, each.identity(page)] as const),
    );
    const key = all.some(([, identity]) => identity === null) ? null : textSignature(JSON.stringify(all));
    sitesKnown.set(view, { visitors, key });
    return key;
  }
}

/** A hint for a rule that has moved in its file. */
function movedTo({ file, line }: Place, hint: Hint): Hint {
  const by = line - (hint.line ?? line);
  return by === 0 || !hint.proposals ? hint : { ...hint, proposals: movedBy(by, file, hint.proposals), line };
}
