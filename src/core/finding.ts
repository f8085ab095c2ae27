import type { Place } from './place.js';

export type Level = 'error' | 'warning';

/** Every finding code with its level and what it means; one place decides both. */
export const findingCodes = {
  'missing-page': { level: 'error', means: 'A condition picks no page of this site.' },
  'page-count': { level: 'error', means: 'A rule targets another number of pages than it says.' },
  'missing-element': { level: 'error', means: 'A selector matches nothing on a page that the rule targets.' },
  'missing-file': { level: 'error', means: 'A file that a rule names is not there or lies outside the project.' },
  'invalid-css': { level: 'error', means: 'A selector or declaration that browsers drop.' },
  'invalid-path': { level: 'error', means: 'A path or path pattern that cannot be read.' },
  'invalid-script': { level: 'error', means: 'A script that browsers cannot parse.' },
  'invalid-swap': { level: 'error', means: 'An image is swapped in an element that is no image.' },
  overridden: { level: 'error', means: 'Something else wins over everything that a rule sets on a page.' },
  'hidden-by-rule': { level: 'error', means: 'A rule hides an element that must stay visible.' },
  expectation: { level: 'error', means: 'A page does not look as an @expect block says.' },
  partial: { level: 'warning', means: 'Something else wins over a part of what a rule sets on a page.' },
  'no-effect': { level: 'warning', means: 'A rule changes nothing on a page that it targets.' },
  'build-differs': { level: 'error', means: 'What was built does not do on a page what was checked.' },
  'uncaptured-stylesheet': { level: 'warning', means: 'A stylesheet that pages load was not captured.' },
  'too-slow': { level: 'warning', means: 'Selectors took so long on a page that it was left unjudged.' },
  'no-longer-hit': { level: 'warning', means: 'A rule no longer hits a page that it hit at the last accepted check.' },
  unscoped: { level: 'error', means: 'A style rule outside of a @needle block: it would reach every page.' },
  'needs-script': { level: 'warning', means: 'Some of its pages can be told apart only by local-needle.js.' },
  expired: { level: 'warning', means: 'The day of `until` is past: the rule no longer ships.' },
  'missing-action': { level: 'warning', means: 'A rule that does nothing.' },
  'not-html': { level: 'warning', means: 'A file of the site that holds no HTML; it was left out.' },
  'bad-charset': { level: 'warning', means: 'A page that names no character set and is not UTF-8.' },
  'missing-content': { level: 'warning', means: 'A recording holds no content of a page.' },
  'site-specific-id': { level: 'warning', means: 'A condition picks other pages on another site of the project.' },
  'not-loaded': { level: 'error', means: 'A page does not load the build that the site is to serve.' },
  'load-order': { level: 'error', means: 'A page loads a stylesheet after the build that it must beat.' },
  'mixed-content': { level: 'error', means: 'An https page loads something over http, which browsers block.' },
  csp: { level: 'error', means: "A page's Content-Security-Policy forbids what a build needs." },
  'stale-build': { level: 'warning', means: 'A page loads an older build than the one that the rules make today.' },
  'swap-size': { level: 'warning', means: 'A swapped picture has another size than the one in its place.' },
  'missing-visitor': { level: 'warning', means: 'The site was not captured as this visitor sees it.' },
  'same-path': { level: 'warning', means: 'Two documents of the site have one path; the first is used.' },
} as const satisfies Record<string, { level: Level; means: string }>;

/** Findings on how pages load what was built: they cannot be mended before there is a build. */
const loadingCodes: string[] = ['not-loaded', 'load-order', 'mixed-content', 'csp', 'stale-build'];

/** Whether a finding is on how pages load what was built. */
export const isAboutLoading = (code: FindingCode) => loadingCodes.includes(code);

export type FindingCode = keyof typeof findingCodes;

/** The command that says what a finding means and what to do about it, with an example. */
export const explainedBy = (code: FindingCode) => `local-needle explain ${code}`;

/** A problem found in rules or pages: its code, place, reason and hint. */
export interface Finding {
  code: FindingCode;
  level: Level;
  rule: string | null;
  page: string | null;
  at: Place | null;
  message: string;
  hint: string | null;
}

/** Makes a finding; its level comes from the table. */
export function finding(
  code: FindingCode,
  message: string,
  more: { rule?: string; page?: string; at?: Place | null; hint?: string | null } = {},
): Finding {
  return {
    code,
    level: findingCodes[code].level,
    rule: more.rule ?? null,
    page: more.page ?? null,
    at: more.at ?? null,
    message,
    hint: more.hint ?? null,
  };
}

/** How many findings are errors and how many warnings. */
export const levelCounts = (findings: Finding[]) => ({
  errors: findings.filter(({ level }) => level === 'error').length,
  warnings: findings.filter(({ level }) => level === 'warning').length,
});
