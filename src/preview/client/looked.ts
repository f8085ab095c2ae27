// Makes a page look as in a state, in another medium and with other preferences, by changing its styles in place. What the
// page's own scripts ask the browser, and stylesheets of other hosts, stay as they are.
import type { Medium } from '../../core/css/cascade/media.js';
import type { PageState } from '../../core/page/state.js';

/** The mark of an element that a pseudo-class is set on; it weighs what the pseudo-class does. */
const markOf = (pseudo: string) => `data-local-needle-${pseudo}`;

/** Sheets of the page whose rules can be read, with what they import. */
function sheetsOf(sheets: Iterable<CSSStyleSheet>): CSSStyleSheet[] {
  return [...sheets].flatMap((sheet) => {
    try {
      const imported = [...sheet.cssRules].flatMap((rule) =>
        rule instanceof CSSImportRule && rule.styleSheet ? [rule.styleSheet] : [],
      );
      return [sheet, ...sheetsOf(imported)];
    } catch {
      // Of another host.
      return [];
    }
  });
}

const pageSheets = () => sheetsOf([...document.styleSheets, ...document.adoptedStyleSheets]);

const [always, never] = ['(width >= 0px)', '(width < 0px)'];

/** A media query as it counts in a medium: what the medium decides is decided. */
function decided(query: string, { type, features }: Medium): string {
  const [, not = '', named = '', rest = ''] =
    /^\s*(?:only\s+|(not)\s+)?(print|screen)\b(?:\s+and\s+([^]*))?$/i.exec(query) ?? [];
  const holds = named.toLowerCase() === type;
  const whole = named === '' ? query : holds ? `${not} all${rest ? ` and ${rest}` : ''}` : not ? 'all' : 'not all';
  return whole.replace(
    /\(\s*((?:any-)?(?:hover|pointer)|prefers-[a-z-]+)\s*(?::\s*([\w-]+)\s*)?\)/gi,
    (written, name: string, value: string | undefined) => {
      const own = features[name.toLowerCase()];
      if (own === undefined) return written;
      const isSo = value === undefined ? !/^(none|no-preference)$/.test(own) : own === value.toLowerCase();
      return isSo ? always : never;
    },
  );
}

/** A list of media queries, each decided. */
const decidedList = (list: string, medium: Medium) =>
  list
    .split(/,(?![^(]*\))/)
    .map((query) => decided(query, medium))
    .join(', ');

function setMedium(medium: Medium): void {
  for (const element of document.querySelectorAll<HTMLElement>('link[media], style[media], source[media]')) {
    const given = element.getAttribute('media') ?? '';
    const now = decidedList(given, medium);
    if (now !== given) element.setAttribute('media', now);
  }
  const visit = (rules: CSSRuleList) => {
    for (const rule of rules) {
      if ((rule instanceof CSSMediaRule || rule instanceof CSSImportRule) && rule.media.mediaText !== '') {
        const now = decidedList(rule.media.mediaText, medium);
        if (now !== rule.media.mediaText) rule.media.mediaText = now;
      }
      if ('cssRules' in rule) visit(rule.cssRules as CSSRuleList);
    }
  };
  for (const sheet of pageSheets()) visit(sheet.cssRules);
  preferScheme(medium.features['prefers-color-scheme'] ?? 'light');
}

/** The page's own scheme follows, where it supports the one that is preferred. */
function preferScheme(scheme: string): void {
  const root = document.documentElement;
  const own = getComputedStyle(root).colorScheme;
  const given = document.querySelector('meta[name="color-scheme" i]')?.getAttribute('content') ?? '';
  const supported = (own === 'normal' ? given : own).split(/\s+/);
  if (supported.includes(scheme)) root.style.setProperty('color-scheme', scheme, 'important');
}

/** Rules that were written once more for marked elements. */
const doubled = new WeakSet<CSSRule>();

function setChange({ addClass, removeClass, pseudoClass }: PageState): void {
  for (const [selector, name] of removeClass) for (const each of found(selector)) each.classList.remove(name);
  for (const [selector, name] of addClass) for (const each of found(selector)) each.classList.add(name);
  const names = new Set<string>();
  const mark = (element: Element, name: string) => {
    names.add(name);
    element.setAttribute(markOf(name), '');
  };
  for (const [selector, written] of pseudoClass) {
    const name = written.replace(/^:/, '').toLowerCase();
    const upwards = name === 'hover' || name === 'active' ? name : name.startsWith('focus') ? 'focus-within' : null;
    for (const element of found(selector)) {
      mark(element, name);
      if (name === 'focus-visible') mark(element, 'focus');
      for (let at: Element | null = upwards ? element : null; at; at = at.parentElement) mark(at, upwards ?? '');
    }
  }
  if (names.size === 0) return;
  const asked = new RegExp(`:(${[...names].join('|')})(?![\\w-])`, 'gi');
  for (const sheet of pageSheets()) double(sheet, asked);
}

function found(selector: string): Element[] {
  try {
    return [...document.querySelectorAll(selector)];
  } catch {
    return [];
  }
}

/** Writes each rule that asks for a pseudo-class once more, after itself, for elements that are marked. */
function double(group: CSSStyleSheet | CSSGroupingRule, asked: RegExp): void {
  for (let at = group.cssRules.length - 1; at >= 0; at--) {
    const rule = group.cssRules[at];
    if (!rule || doubled.has(rule)) continue;
    if (rule instanceof CSSStyleRule) {
      const text = rule.cssText.replace(asked, (_, name: string) => `[${markOf(name.toLowerCase())}]`);
      if (text === rule.cssText) continue;
      doubled.add(rule);
      group.insertRule(text, at + 1);
    } else if (rule instanceof CSSGroupingRule) double(rule, asked);
  }
}

/** Looks at the page so from now on; call what it returns again when styles were added. */
export function lookAs(change: PageState | null, medium: Medium | null): () => void {
  const again = () => {
    if (medium) setMedium(medium);
    if (change) setChange(change);
  };
  again();
  window.addEventListener('load', again);
  return again;
}
