import { faultOf } from '../core/place.js';
import { longhandsOf } from '../core/css/declaration.js';
import { parseSelectorList, selectorFault, selectorParts } from '../core/css/selector.js';
import { specificityOf, specificityText } from '../core/css/specificity.js';
import { selectorTokens } from '../core/css/selector-tokens.js';
import { compileMatcher } from '../core/page/elements.js';
import { TooLate, withinTime } from '../core/page/query.js';
import type { Page } from '../core/page/page.js';
import type { CheckReport } from '../core/check/verdict.js';
import { reasonText } from '../core/check/judge.js';
import { parseCondition } from '../core/target/condition.js';
import { conditionPages } from '../core/target/pages.js';
import type { LiveReading } from '../app/live-project.js';
import { pagesAround } from './completion.js';
import { alternativeAt, conditionTerms, contextAt } from './context.js';
import { verdictText } from './lens.js';
import { atRules, descriptors, topLevel } from './words.js';

/** Pages on which a selector is counted. */
const mostPages = 8;
/** Maximum time for counting them, in milliseconds. */
const mostMs = 1000;

/** What is known of what stands at an offset, as Markdown, with where it stands; null for white space and unknown words. */
export function hoverAt(
  text: string,
  offset: number,
  { input }: LiveReading,
  report: CheckReport | null,
): { markdown: string; start: number; end: number } | null {
  const context = contextAt(text, offset);
  const site = input.view(null)?.site;
  if (context.isComment || !site) return null;
  const { start, blocks } = context;
  const statement = text.slice(start, context.end).trim();
  const whole = { start, end: start + statement.length };
  const rule = /^@needle\s+([\w-]+)/.exec(statement)?.[1];
  if (rule !== undefined) {
    const found = input.rules.find(({ name }) => name === rule);
    return found ? { ...whole, markdown: ruleText(found.note, rule, report) } : null;
  }
  const condition = conditionTerms(text, offset);
  if (condition) {
    if (faultOf(() => parseCondition(condition.text))) return null;
    const pages = [...conditionPages(parseCondition(condition.text).condition, site)];
    return { start: condition.start, end: condition.end, markdown: pagesText(pages) };
  }
  const action = /^@(hide|only-here|swap|mark-current|shown|hidden)\s+/.exec(statement);
  const isStyle = text[context.end] === '{' && !statement.startsWith('@');
  if (action || (isStyle && blocks.length > 0)) {
    const [from, to] = alternativeAt(text, start + (action?.[0].length ?? 0), offset);
    const selector = text.slice(from, to).trim();
    if (selectorFault(selector) === null) {
      const pages = pagesAround(text, context, site);
      return { start: from, end: to, markdown: selectorText(selector, pages, input) };
    }
  }
  const declaration = /^([\w-]+)\s*:/.exec(statement);
  if (declaration && blocks.length > 1) {
    const name = /^@needle\s+([\w-]+)/.exec(blocks[0]?.prelude ?? '')?.[1];
    const markdown = declarationText(declaration[1] ?? '', name, blocks.at(-1)?.prelude ?? '', report);
    return markdown === null ? null : { ...whole, markdown };
  }
  const word = /^@?[\w-]+/.exec(statement)?.[0] ?? '';
  const known = [...descriptors, ...atRules, ...topLevel].find(({ name }) => name === word);
  return known ? { start, end: start + word.length, markdown: known.means } : null;
}

const counted = (number: number, noun: string) => `${number} ${noun}${number === 1 ? '' : 's'}`;

/** The number of elements, unless finding them takes too long. */
function countText(count: () => number, end: number): string {
  try {
    return counted(
      withinTime(() => performance.now() > end, count),
      'element',
    );
  } catch (error) {
    if (error instanceof TooLate) return 'not counted: it took too long';
    throw error;
  }
}

/** Text of a page or a file in Markdown, with nothing in it that means anything there. */
const code = (text: string) => `\`${text.replace(/`/g, 'ˋ').replace(/\s+/g, ' ')}\``;

function ruleText(note: string | null, rule: string, report: CheckReport | null): string {
  const cells = report?.cells.filter((cell) => cell.rule === rule) ?? [];
  const pages = report?.rules.find((each) => each.rule === rule)?.pages ?? [];
  const lines = cells.slice(0, 12).map(({ page, verdict }) => `- ${code(page)} ${verdict}`);
  if (cells.length > 12) lines.push(`- and ${cells.length - 12} more`);
  return [
    ...(note === null ? [] : [code(note)]),
    verdictText(
      cells.map(({ verdict }) => verdict),
      pages.length,
    ),
    '',
    ...lines,
  ].join('\n');
}

function pagesText(pages: Page[]): string {
  if (pages.length === 0) return 'No page of the site.';
  const shown = pages.slice(0, 12).map(({ path, title, pageId, bodyClasses }) => {
    const handles = [
      ...(pageId ? [`page-id(${pageId.value})`] : []),
      ...bodyClasses.slice(0, 4).map((name) => `.${name}`),
    ];
    return `- ${code(path)} ${title === '' ? '' : code(title)} ${handles.length > 0 ? code(handles.join(' ')) : ''}`;
  });
  const more = pages.length > 12 ? [`- and ${pages.length - 12} more`] : [];
  return [counted(pages.length, 'page'), '', ...shown, ...more].join('\n');
}

function selectorText(selector: string, pages: Page[], { view }: LiveReading['input']): string {
  const seen = view(null);
  const [parsed] = parseSelectorList(selector);
  if (!seen || !parsed) return '';
  const { element } = selectorParts(parsed.text);
  const match = compileMatcher(element);
  const end = performance.now() + mostMs;
  const counts = pages
    .slice(0, mostPages)
    .map((page) => `- ${code(page.path)} ${countText(() => match(seen.open(page)).length, end)}`);
  if (pages.length > mostPages) counts.push(`- and ${pages.length - mostPages} more pages, not counted`);
  const own = new Set(pages);
  const elsewhere = seen
    .words()
    .pagesFor(element)
    .filter((page) => !own.has(page)).length;
  const [tokens = []] = selectorTokens(element);
  return [
    `Specificity ${specificityText(specificityOf(tokens))} as written; what limits it to its pages adds to it. ${elsewhere === 0 ? 'Matches on no other page.' : `May match on ${counted(elsewhere, 'other page')}.`}`,
    '',
    ...counts,
  ].join('\n');
}

/** Where a declaration loses; null where nothing can be told of it: of nested selectors, and of what is not judged. */
function declarationText(
  name: string,
  rule: string | undefined,
  selector: string,
  report: CheckReport | null,
): string | null {
  const longhands = new Set(longhandsOf(name));
  const judged = (report?.cells ?? [])
    .filter((cell) => cell.rule === rule)
    .flatMap(({ page, actions }) =>
      actions.filter((action) => action.selector === selector).map((action) => ({ page, ...action })),
    );
  if (judged.length === 0) return null;
  const lost = judged.flatMap(({ page, overridden }) =>
    overridden
      .filter(({ property }) => longhands.has(property))
      .slice(0, 1)
      .map(({ by, element }) => `- ${code(page)} ${code(element)}: ${code(reasonText(by))}`),
  );
  if (lost.length > 0) return [`Loses on ${counted(lost.length, 'page')}:`, '', ...lost.slice(0, 8)].join('\n');
  return judged.every(({ pairs, won }) => pairs === won)
    ? 'Holds on every element that it matches.'
    : 'Something in this block loses; local-needle why shows what.';
}
