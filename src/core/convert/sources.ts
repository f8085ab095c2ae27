import { parseFragment } from 'parse5';
import { CssSyntaxError, parse, type Root, type Rule as StyleRule } from 'postcss';
import { attribute, elementsIn } from '../page/document.js';
import { parseSiteSelectors, selectorFault } from '../css/selector.js';
import { compileMatcher } from '../page/elements.js';
import { expressionFor } from '../target/expression.js';
import type { Page } from '../page/page.js';
import { pageAddress, type View } from '../page/view.js';
import { ProblemError } from '../place.js';
import { ruleGroupsOf, namesUnknownFile, type RuleGroup, type Resolve } from './rule-groups.js';
import type { Left } from './left.js';
import { takePageScope, type PageScope } from './page-scope.js';
import { dedented, takeScriptApart, type ConvertedScript } from './script.js';

/** A file of old CSS, scripts, or HTML with both. */
export interface OldFile {
  /** As the user named it. */
  name: string;
  kind: 'css' | 'js' | 'html';
  text: string;
  /** The page that it is pasted into; null if it is for all of them. */
  page: Page | null;
}

/** A stylesheet in a file, and its conversion. */
export interface SourceSheet {
  file: OldFile;
  root: Root;
  text: string;
  /** Where it begins in its file. */
  offset: number;
  line: number;
  groups: RuleGroup[];
  /** Why a selector that names pages is not converted; null if it names none. */
  whyLeft: (node: StyleRule, selector: string) => string | null;
}

export interface Script {
  file: OldFile;
  offset: number;
  text: string;
  line: number;
  converted: ConvertedScript[];
  leftover: string | null;
}

/** The stylesheets in a file, taken apart. */
export function sheetsIn(file: OldFile, view: View): SourceSheet[] {
  const texts =
    file.kind === 'css'
      ? [{ text: file.text, offset: 0, line: 1 }]
      : file.kind === 'html'
        ? partsOf(file.text, 'style')
        : [];
  return texts.map(({ text, offset, line }) => {
    const root = inPlace(file, line, () => parse(text, { from: file.name }));
    const resolve = resolverFor(file, text, view);
    const scopeOf = scopeFor(file, view);
    const groups = ruleGroupsOf({ root, file: file.name, scopeOf, resolve });
    const whyLeft = (node: StyleRule, selector: string) => {
      const fault = selectorFault(node.selector);
      if (fault)
        return `${parseSiteSelectors(node.selector) === null ? 'browsers ignore it' : 'a rule cannot hold it'}: ${fault.message}`;
      return scopeOf(selector) && namesUnknownFile(node, resolve)
        ? 'it contains a relative URL, and no captured page shows where this stylesheet is served from'
        : null;
    };
    for (const group of groups) group.at.line += line - 1;
    return { file, root, text, offset, line, groups, whyLeft };
  });
}

/** Reads a part of a file that begins on a line of it. Throws ProblemError with the place if it cannot be read. */
function inPlace<T>(file: OldFile, line: number, read: () => T): T {
  try {
    return read();
  } catch (error) {
    const css = error instanceof CssSyntaxError ? error : null;
    if (!css && !(error instanceof SyntaxError)) throw error;
    const { loc } = error as { loc?: { line: number; column: number } };
    const at = {
      file: file.name,
      line: (css?.line ?? loc?.line ?? 1) + line - 1,
      column: css?.column ?? (loc?.column ?? 0) + 1,
    };
    const reason = (css?.reason ?? (error as Error).message).replace(/ \(\d+:\d+\)$/, '');
    const what = css ? 'This is not valid CSS' : 'Browsers cannot read this script';
    throw new ProblemError([
      {
        message: `${what}: ${reason.charAt(0).toLowerCase()}${reason.slice(1)}`,
        at,
        source: file.text.split(/\r\n?|\n/)[at.line - 1],
        hint: 'Fix it first: browsers drop what follows.',
      },
    ]);
  }
}

/** Which pages a selector of a file is for. */
function scopeFor({ page }: OldFile, view: View): (selector: string) => PageScope | null {
  const { site } = view;
  const onBody = onBodyAlone(view);
  const own = page && expressionFor([page], site)?.pages;
  return (selector) => {
    const scope = takePageScope(selector, site, onBody);
    if (page && own) {
      if (scope && !scope.pages.includes(page)) return null;
      return { terms: [own], except: [], rest: scope?.rest ?? selector, pages: [page] };
    }
    // A selector for all pages or for none does not name pages.
    return scope && scope.pages.length > 0 && scope.pages.length < site.pages.length ? scope : null;
  };
}

/** Whether a class or ID is on `body` alone, on all pages. */
function onBodyAlone(view: View): (simple: string) => boolean {
  const known = new Map<string, boolean>();
  return (simple) => {
    let answer = known.get(simple);
    if (answer === undefined) {
      const match = compileMatcher(simple);
      const pages = view.words().pagesFor(simple);
      const tags = new Set(pages.flatMap((page) => match(view.open(page)).map(({ tagName }) => tagName)));
      answer = tags.size === 1 && tags.has('body');
      known.set(simple, answer);
    }
    return answer;
  };
}

/**
 * The base of a file's relative addresses: the address that a page loads it from, or the page that it is pasted into.
 */
function resolverFor(file: OldFile, text: string, view: View): Resolve | null {
  const [first] = view.site.pages;
  if (!first) return null;
  const base = file.page ? pageAddress(file.page) : addressOf(text, view);
  if (base === null) return null;
  const own = new URL(pageAddress(first)).origin;
  return (url) => {
    const { origin, pathname, search, hash, href } = new URL(url, base);
    return origin === own ? pathname + search + hash : href;
  };
}

/** The address that a page loads a stylesheet from; null if none does. */
function addressOf(text: string, view: View): string | null {
  for (const page of view.site.pages.slice(0, 200)) {
    for (const link of elementsIn(view.open(page).root, 'link')) {
      const href = attribute(link, 'href') ?? '';
      if (!URL.canParse(href, pageAddress(page))) continue;
      const address = new URL(href, pageAddress(page)).href;
      if (view.style(address)?.text.trim() === text.trim()) return address;
    }
  }
  return null;
}

/** The texts of a snippet's `<style>` or `<script>` elements, with where they begin in it. */
function partsOf(html: string, tagName: 'style' | 'script'): { text: string; offset: number; line: number }[] {
  const root = parseFragment(html, { sourceCodeLocationInfo: true });
  return elementsIn(root, tagName).flatMap((element) => {
    const at = element.sourceCodeLocation?.startTag;
    const type = attribute(element, 'type') ?? '';
    const isCode = /^(|text\/css|text\/javascript|application\/javascript)$/i.test(type.trim());
    if (!at || !isCode || attribute(element, 'src') !== undefined) return [];
    const end = element.sourceCodeLocation?.endTag?.startOffset ?? html.length;
    return [{ text: html.slice(at.endOffset, end), offset: at.endOffset, line: at.endLine }];
  });
}

/** The scripts in a file, taken apart. */
export function scriptsIn(file: OldFile, view: View, left: Left[]): Script[] {
  const texts =
    file.kind === 'js'
      ? [{ text: file.text, offset: 0, line: 1 }]
      : file.kind === 'html'
        ? partsOf(file.text, 'script')
        : [];
  return texts.map(({ text, offset, line }) => {
    const taken = inPlace(file, line, () => takeScriptApart(text, view.site));
    for (const each of taken.converted) each.line += line - 1;
    for (const { line: at, reason } of taken.reasons)
      left.push({
        at: { file: file.name, line: at + line - 1, column: 1 },
        what: 'if (…) of a script',
        pages: [],
        reason,
      });
    const own = file.page && expressionFor([file.page], view.site)?.pages;
    if (!own) return { file, offset, text, line, converted: taken.converted, leftover: taken.leftover };
    // Everything in a page's own snippet is for that page.
    const only = taken.converted.length === 1 && taken.leftover === null ? taken.converted[0] : undefined;
    const whole: ConvertedScript = only
      ? { ...only, conditions: [own], except: [] }
      : { conditions: [own], except: [], note: null, text: dedented(text), line };
    return { file, offset, text, line, converted: [whole], leftover: null };
  });
}
