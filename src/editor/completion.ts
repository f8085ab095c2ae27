import { readdirSync } from 'node:fs';
import { dirname, join, posix } from 'node:path';
import { getCSSLanguageService } from 'vscode-css-languageservice';
import {
  CompletionItemKind,
  InsertTextFormat,
  type CompletionItem,
  type CompletionList,
  type TextEdit,
} from 'vscode-languageserver/node';
import { findingCodes } from '../core/finding.js';
import type { Page } from '../core/page/page.js';
import { attribute, type PageDocument } from '../core/page/document.js';
import { conditionPages } from '../core/target/pages.js';
import { parseCondition } from '../core/target/condition.js';
import { faultOf } from '../core/place.js';
import { classesOf } from '../core/find/describe.js';
import type { LiveReading } from '../app/live-project.js';
import { contextAt, type Context } from './context.js';
import { documentOf, rangeBetween } from './places.js';
import { atRules, descriptors, terms, topLevel, type Word } from './words.js';

/** Pages of a rule whose elements are offered. */
const mostPages = 3;
/** Maximum number of names that are offered; typing on narrows them. */
const mostNames = 400;

const css = getCSSLanguageService();

/** What can be written at an offset of a rule file. */
export function completionsAt(...where: Parameters<typeof itemsAt>): CompletionList {
  const items = itemsAt(...where);
  return { isIncomplete: items.length >= mostNames, items };
}

function itemsAt(text: string, offset: number, file: string, reading: LiveReading | null): CompletionItem[] {
  const context = contextAt(text, offset);
  if (context.isComment) return [];
  // What follows the cursor of the same word or argument is replaced with it.
  const put =
    (from: number, rest = /^[\w-]*/): Put =>
    (newText) => ({
      range: rangeBetween(text, from, offset + (rest.exec(text.slice(offset))?.[0].length ?? 0)),
      newText,
    });
  const { blocks, before, call } = context;
  const inner = blocks.at(-1)?.prelude ?? '';
  if (call && /^(path|page-id|body-id|body-class|site)$/.test(call.name) && reading)
    return argumentsFor(call.name, call.argument.slice(lastWordOf(call)), reading).map((item) => ({
      ...item,
      textEdit: put(call.start + lastWordOf(call), inArgument)(item.label),
    }));
  if (call?.name === 'url' && reading)
    return filesBeside(reading.project.directory, file, call.argument).map((label) => ({
      ...{ label, kind: CompletionItemKind.File, textEdit: put(call.start, inArgument)(label) },
    }));
  const wordStart = offset - (/[@\w-]*$/.exec(before)?.[0].length ?? 0);
  if (blocks.length === 0) return wordItems(topLevel, put(wordStart));
  const isInRule = /^@(needle|on)\b/.test(inner);
  const descriptor = /^([\w-]+)\s*:\s*/.exec(before);
  if (isInRule && descriptor && descriptors.some(({ name }) => name === descriptor[1])) {
    if (/^(pages|except)$/.test(descriptor[1] ?? '')) return wordItems(terms, put(wordStart));
    return valuesOf(descriptor[1] ?? '', reading).map((label) => ({
      ...{ label, kind: CompletionItemKind.Value, textEdit: put(wordStart)(label) },
    }));
  }
  if (isInRule && /^@on\s/.test(before)) return wordItems(terms, put(wordStart));
  const selector =
    /^@(?:hide|only-here|swap|mark-current|shown|hidden)\s+/.exec(before)?.[0].length ?? (/^@/.test(before) ? null : 0);
  if (isInRule || /^@(keep-visible|expect)\b/.test(before)) {
    const from = context.start + (selector ?? 0);
    const names =
      selector === null || (before === '' && selector === 0) ? [] : selectorItems(text, offset, from, context, reading);
    const words = selector === 0 || selector === null ? [...descriptors, ...atRules] : [];
    return [...names, ...(/^[@\w-]*$/.test(before) ? wordItems(words, put(wordStart)) : [])];
  }
  return cssItems(text, offset, context);
}

type Put = (newText: string) => TextEdit;

const inArgument = /^[^"')\s;{}]*/;

/** Of a list of classes only the last word is replaced. */
const lastWordOf = ({ name, argument }: { name: string; argument: string }) =>
  name === 'body-class' ? argument.lastIndexOf(' ') + 1 : 0;

const wordItems = (words: Word[], put: Put): CompletionItem[] =>
  words.map(({ name, means, insert }) => ({
    label: name,
    kind: CompletionItemKind.Keyword,
    detail: means,
    insertTextFormat: InsertTextFormat.Snippet,
    textEdit: put(insert),
    filterText: name,
  }));

function argumentsFor(name: string, typed: string, { opened, input }: LiveReading): CompletionItem[] {
  const site = input.view(null)?.site;
  const pages = site?.pages ?? [];
  if (name === 'site')
    return opened.project.settings.sites.map((each) => ({ label: each.name, kind: CompletionItemKind.Value }));
  const byName = new Map<string, Page[]>();
  for (const page of pages)
    for (const each of handlesOf(page, name)) byName.set(each, [...(byName.get(each) ?? []), page]);
  const fitting = [...byName].filter(([each]) => each.toLowerCase().includes(typed.toLowerCase()));
  return fitting.slice(0, mostNames).map(([label, own]) => ({
    label,
    kind: CompletionItemKind.Value,
    detail: own.length === 1 ? (name === 'path' ? (own[0]?.title ?? '') : (own[0]?.path ?? '')) : `${own.length} pages`,
  }));
}

function handlesOf({ path, pageId, bodyId, bodyClasses }: Page, name: string): string[] {
  if (name === 'path') return [path];
  if (name === 'page-id') return pageId ? [pageId.value] : [];
  return name === 'body-id' ? (bodyId === null ? [] : [bodyId]) : bodyClasses;
}

function valuesOf(name: string, reading: LiveReading | null): string[] {
  const settings = reading?.opened.project.settings;
  const values: Record<string, string[]> = {
    state: Object.keys(settings?.states ?? {}),
    visitor: Object.keys(settings?.visitors ?? {}),
    viewport: (settings?.viewports ?? []).map((each) => each.name),
    allow: Object.keys(findingCodes),
    ...{ important: ['yes', 'no'], paused: ['yes', 'no'], 'added-by': ['script'] },
  };
  return values[name] ?? [];
}

/** Files of the project as a rule file names them: those in the folder that is written so far. */
function filesBeside(directory: string, file: string, written: string): string[] {
  const folder = /^.*\//.exec(written)?.[0] ?? '';
  const whole = join(directory, dirname(file), folder);
  if (!`${whole}/`.startsWith(`${directory}/`)) return [];
  try {
    return readdirSync(whole, { withFileTypes: true })
      .filter(({ name }) => !name.startsWith('.'))
      .map((entry) => posix.join(folder, entry.name) + (entry.isDirectory() ? '/' : ''));
  } catch {
    return [];
  }
}

/** Names of elements on the pages of the rule around an offset, with how many there are, and on how many other pages. */
function selectorItems(
  text: string,
  offset: number,
  from: number,
  context: Context,
  reading: LiveReading | null,
): CompletionItem[] {
  const view = reading?.input.view(null);
  if (!view) return [];
  const own = pagesAround(text, context, view.site);
  const counts = new Map<string, number>();
  for (const page of own.slice(0, mostPages)) count(view.open(page), counts);
  const typed = /[.#]?[\w-]*$/.exec(text.slice(from, offset))?.[0] ?? '';
  const rest = /^[\w-]*/.exec(text.slice(offset))?.[0].length ?? 0;
  const range = rangeBetween(text, offset - typed.length, offset + rest);
  const words = view.words();
  return [...counts]
    .filter(([name]) => typed === '' || name.startsWith(typed[0] ?? '') || /^\w/.test(typed))
    .slice(0, mostNames)
    .map(([label, number]) => {
      const elsewhere = words.countOf(label) - own.filter((page) => words.names(page, label)).length;
      return {
        ...{ label, kind: label.startsWith('.') ? CompletionItemKind.Class : CompletionItemKind.Reference },
        detail: `${number} here, on ${elsewhere} other ${elsewhere === 1 ? 'page' : 'pages'}`,
        sortText: String(100_000 - Math.min(number, 99_999)).padStart(6, '0') + label,
        filterText: label,
        textEdit: { range, newText: label },
      };
    });
}

/** The pages that the conditions of the blocks around say; all of the site where none can be read. */
export function pagesAround(text: string, { blocks }: Context, site: Parameters<typeof conditionPages>[1]): Page[] {
  const rule = blocks.find(({ prelude }) => prelude.startsWith('@needle'));
  if (!rule) return site.pages;
  const on = blocks.filter(({ prelude }) => /^@on\s/.test(prelude)).map(({ prelude }) => prelude.slice('@on '.length));
  const pages = /(?:^|[;{\s])pages:\s*([^;}]*)/.exec(text.slice(rule.open, rule.open + 5000))?.[1];
  let found: Page[] | null = null;
  for (const condition of [...on, ...(pages === undefined ? [] : [pages])]) {
    if (faultOf(() => parseCondition(condition.trim()))) continue;
    const picked = conditionPages(parseCondition(condition.trim()).condition, site);
    found = found ? found.filter((page) => picked.has(page)) : [...picked];
  }
  return found ?? [];
}

function count({ elements }: PageDocument, counts: Map<string, number>): void {
  const add = (name: string) => counts.set(name, (counts.get(name) ?? 0) + 1);
  for (const element of elements) {
    for (const name of classesOf(element)) if (/^[a-z_][\w-]*$/i.test(name)) add(`.${name}`);
    const id = attribute(element, 'id');
    if (id !== undefined && /^[a-z_][\w-]*$/i.test(id)) add(`#${id}`);
    add(element.tagName);
  }
}

/** What CSS itself has here: properties, values, colours. */
function cssItems(text: string, offset: number, { blocks }: Context): CompletionItem[] {
  const open = blocks.at(-1)?.open ?? 0;
  const head = 'a {';
  const document = documentOf(`${head}${text.slice(open + 1, offset)}\n}`);
  const shift = open + 1 - head.length;
  const list = css.doComplete(document, document.positionAt(offset - shift), css.parseStylesheet(document));
  return list.items.map((item) => {
    const { textEdit } = item;
    if (!textEdit || !('range' in textEdit)) return item as CompletionItem;
    const [from, to] = [document.offsetAt(textEdit.range.start) + shift, document.offsetAt(textEdit.range.end) + shift];
    return {
      ...item,
      textEdit: { range: rangeBetween(text, from, Math.max(to, from)), newText: textEdit.newText },
    } as CompletionItem;
  });
}
