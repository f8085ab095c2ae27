import type { Fix } from './fix/fixes.js';
import type { Proposal } from './fix/proposal.js';
import type { Place } from './place.js';

/** What a finding is: errors and warnings are to be fixed or accepted; a note is only to be known. */
export const levels = ['error', 'warning', 'note'] as const;
export type Level = (typeof levels)[number];

/** Errors first. */
export const byLevel = (a: { level: Level }, b: { level: Level }) => levels.indexOf(a.level) - levels.indexOf(b.level);

/** Every finding code with its level and what it means; one place decides both. */
export const findingCodes = {
  'missing-page': { level: 'error', means: 'A condition matches no page of this site.' },
  'page-count': { level: 'error', means: 'A rule targets a different number of pages than it declares.' },
  'missing-element': { level: 'error', means: 'A selector matches nothing on a page that the rule targets.' },
  'missing-file': { level: 'error', means: 'A file that a rule names does not exist or is outside the project.' },
  'invalid-css': { level: 'error', means: 'A selector or declaration that browsers ignore.' },
  'invalid-path': { level: 'error', means: 'A path or path pattern that cannot be read.' },
  'invalid-script': { level: 'error', means: 'A script that browsers cannot parse.' },
  'invalid-swap': { level: 'error', means: 'An image is swapped into an element that cannot show it.' },
  overridden: { level: 'error', means: 'Something else wins over everything that a rule sets on a page.' },
  'hidden-by-rule': { level: 'error', means: 'A rule hides an element that must stay visible.' },
  expectation: { level: 'error', means: 'A page does not match an @expect block.' },
  partial: { level: 'warning', means: 'Something else wins over a part of what a rule sets on a page.' },
  'no-effect': { level: 'warning', means: 'A rule changes nothing on a page that it targets.' },
  'build-differs': { level: 'error', means: 'The build does something else on a page than the check found.' },
  'uncaptured-stylesheet': { level: 'warning', means: 'A stylesheet that pages load was not captured.' },
  'too-slow': { level: 'warning', means: 'Selectors took too long on a page, so it was not checked.' },
  'no-longer-hit': { level: 'warning', means: 'A rule no longer hits a page that it hit in the last accepted check.' },
  unscoped: { level: 'error', means: 'A style rule outside of a @needle block would apply to every page.' },
  'needs-script': { level: 'warning', means: 'Some of the pages of a rule can only be matched by local-needle.js.' },
  expired: { level: 'warning', means: 'The day in `until` has passed, so the rule no longer ships.' },
  'missing-action': { level: 'warning', means: 'A rule has no action.' },
  'not-html': { level: 'warning', means: 'A file of the site contains no HTML and was skipped.' },
  'skipped-link': {
    level: 'warning',
    means: 'A symbolic link of the site is broken or leads out of its folder, and was skipped.',
  },
  'bad-charset': { level: 'warning', means: 'A page is not UTF-8 and declares no character set.' },
  'damaged-capture': { level: 'error', means: 'A part of a capture cannot be read and is left out.' },
  'missing-content': { level: 'warning', means: 'A recording has no response body for a page.' },
  'site-specific-id': { level: 'warning', means: 'A condition matches other pages on another site of the project.' },
  'not-loaded': { level: 'error', means: 'A page does not load the build at bundle-address.' },
  'load-order': { level: 'error', means: 'A page loads a stylesheet after the build, which can override it.' },
  'mixed-content': { level: 'error', means: 'An https page loads something over http, which browsers block.' },
  csp: { level: 'error', means: "A page's Content-Security-Policy blocks something that the build needs." },
  'stale-build': { level: 'warning', means: 'A page loads a build that is older than the current rules.' },
  'swap-size': { level: 'warning', means: 'A swapped image has a different size than the original.' },
  'missing-visitor': { level: 'warning', means: 'The site was not captured as this visitor sees it.' },
  'old-capture': {
    level: 'warning',
    means: 'Pages of a visitor were captured long before or after those of the site.',
  },
  flash: { level: 'note', means: 'Visitors on a slow connection may see a page for a moment as it was.' },
  'assumed-fonts': { level: 'note', means: 'A stylesheet was not captured and is taken for web fonts, by its host.' },
  'unused-except': { level: 'note', means: 'An `except` condition matches no captured page.' },
  'visitor-page': { level: 'note', means: 'A condition matches no public page, but pages of a visitor.' },
  'same-path': { level: 'warning', means: 'Two documents of the site have the same path; the first one is used.' },
} as const satisfies Record<string, { level: Level; means: string }>;

/** Findings on how pages load what was built: they cannot be fixed before there is a build. */
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
  /** The address that it is about, if that is not a page. */
  address?: string;
  at: Place | null;
  message: string;
  hint: string | null;
  /** What may mend it; the fixes are those of them that were tried (fix/fixes.ts). Not in reports. */
  proposals?: Proposal[];
  /** Its fixes, likeliest first, where they were asked for. */
  fixes?: Fix[];
}

/** Makes a finding; its level comes from the table. */
export function finding(
  code: FindingCode,
  message: string,
  more: {
    rule?: string;
    page?: string;
    address?: string;
    at?: Place | null;
    hint?: string | null;
    proposals?: Proposal[];
  } = {},
): Finding {
  return {
    code,
    level: findingCodes[code].level,
    rule: more.rule ?? null,
    page: more.page ?? null,
    at: more.at ?? null,
    message,
    hint: more.hint ?? null,
    ...(more.address === undefined ? {} : { address: more.address }),
    ...(more.proposals?.length ? { proposals: more.proposals } : {}),
  };
}

/** How many findings are errors and how many warnings. */
export const levelCounts = (findings: Finding[]) => ({
  errors: findings.filter(({ level }) => level === 'error').length,
  warnings: findings.filter(({ level }) => level === 'warning').length,
});
