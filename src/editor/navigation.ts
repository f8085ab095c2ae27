import { existsSync } from 'node:fs';
import { join, posix } from 'node:path';
import { pathToFileURL } from 'node:url';
import type { FoldingRange, Location } from 'vscode-languageserver/node';
import type { LiveProject, LiveReading } from '../app/live-project.js';
import type { CheckReport } from '../core/check/verdict.js';
import { faultOf } from '../core/place.js';
import type { Page } from '../core/page/page.js';
import { rulePages } from '../core/target/delivery.js';
import { parseCondition } from '../core/target/condition.js';
import { conditionPages } from '../core/target/pages.js';
import { conditionTerms, contextAt, passed } from './context.js';
import { documentOf, rangeBetween, rangeOf, uriOf, winnerFile } from './places.js';
import { ruleNameAt } from './symbols.js';

const topOfFile = { start: { line: 0, character: 0 }, end: { line: 0, character: 0 } };

/** The path in the project that the `url()` at an offset names; null elsewhere, and for addresses. */
function fileNamedAt(text: string, offset: number, file: string): string | null {
  const { call } = contextAt(text, offset);
  if (call?.name !== 'url') return null;
  return pathNamed(text.slice(call.start).split(/["')\n]/)[0] ?? '', file);
}

function pathNamed(url: string, from: string): string | null {
  if (url === '' || posix.isAbsolute(url) || /^[a-z]+:/i.test(url)) return null;
  const path = posix.join(posix.dirname(from), url.replace(/[?#].*$/, ''));
  return path.startsWith('../') ? null : path;
}

/**
 * Where what stands at an offset is defined: the file that a `url()` names, the rule on whose name the cursor is, the pages that
 * an `@on` refines, or the declaration that wins over the one there.
 */
export function definitionAt(
  text: string,
  offset: number,
  file: string,
  { project, opened }: LiveReading,
  report: CheckReport | null,
): Location | null {
  const { directory } = project;
  const named = fileNamedAt(text, offset, file);
  if (named !== null)
    return existsSync(join(directory, named)) ? { uri: uriOf(directory, named), range: topOfFile } : null;
  const { start, end, blocks } = contextAt(text, offset);
  const statement = text.slice(start, end);
  const rule = project.rules.find(({ name }) => name === ruleOf(blocks[0]?.prelude ?? ''));
  if (rule && /^@on\b/.test(statement) && offset <= start + 3) {
    const pages = /\bpages\s*:/.exec(text.slice(blocks[0]?.open));
    const from = (blocks[0]?.open ?? 0) + (pages?.index ?? 0);
    return { uri: uriOf(directory, file), range: rangeOf(text, placeAt(text, from, file)) };
  }
  const property = /^([\w-]+)\s*:/.exec(statement)?.[1];
  if (rule && property !== undefined && blocks.length > 1) {
    const by = winnerOf(property, rule.name, blocks.at(-1)?.prelude ?? '', report);
    if (!by) return null;
    const line = { line: Math.max(0, by.line - 1), character: 0 };
    const range = { start: line, end: line };
    const winning = winnerFile(by.file, { project, opened });
    return winning === null ? null : { uri: pathToFileURL(winning).href, range };
  }
  const own = project.rules.find(({ name }) => name === ruleNameAt(text, offset)?.name);
  return own ? { uri: uriOf(directory, own.at.file), range: rangeOf(text, own.at) } : null;
}

const ruleOf = (prelude: string) => /^@needle\s+([\w-]+)/.exec(prelude)?.[1];

function placeAt(text: string, offset: number, file: string) {
  const { line, character } = documentOf(text).positionAt(offset);
  return { file, line: line + 1, column: character + 1 };
}

/** The declaration that wins over a rule's own of a property, on the first page where one does. */
function winnerOf(property: string, rule: string, selector: string, report: CheckReport | null) {
  const lost = (report?.cells ?? [])
    .filter((cell) => cell.rule === rule)
    .flatMap(({ actions }) => actions.filter((action) => selector.includes(action.selector)))
    .flatMap(({ overridden }) => overridden);
  return lost.find((each) => each.property === property || each.property.startsWith(`${property}-`))?.by ?? null;
}

/**
 * Where what stands at an offset is used: all `url()` that name the same file; the rules for the pages of a condition; the
 * name of a rule.
 */
export function referencesAt(
  text: string,
  offset: number,
  file: string,
  { project, input }: LiveReading,
  live: LiveProject,
): Location[] {
  const { directory } = project;
  const named = fileNamedAt(text, offset, file);
  const ruleFiles = [...new Set(project.rules.map(({ at }) => at.file))];
  if (named !== null)
    return ruleFiles.flatMap((each) => {
      const own = live.textOf(each) ?? '';
      return [...own.matchAll(/url\(\s*["']?([^"')]+)["']?\s*\)/g)]
        .filter((found) => pathNamed(found[1] ?? '', each) === named)
        .map((found) => ({
          uri: uriOf(directory, each),
          range: rangeBetween(own, found.index, found.index + found[0].length),
        }));
    });
  const pages = pagesAt(text, offset, input);
  const rules = pages
    ? project.rules.filter((rule) => [...rulePages(rule, pages.site)].some((page) => pages.picked.has(page)))
    : project.rules.filter(({ name }) => name === ruleNameAt(text, offset)?.name);
  return rules.map(({ at }) => ({
    uri: uriOf(directory, at.file),
    range: rangeOf(live.textOf(at.file) ?? '', at),
  }));
}

/** The pages that the condition at an offset picks: of a list, the alternative there; null elsewhere. */
export function pagesAt(text: string, offset: number, input: LiveReading['input']) {
  const site = input.view(null)?.site;
  const found = conditionTerms(text, offset);
  if (!site || !found || faultOf(() => parseCondition(found.text))) return null;
  const picked: ReadonlySet<Page> = conditionPages(parseCondition(found.text).condition, site);
  return { site, picked, ...found };
}

/** The blocks and comments of a text that have more than one line. */
export function foldsOf(text: string): FoldingRange[] {
  const folds: FoldingRange[] = [];
  const open: number[] = [];
  const lineOf = (offset: number) => documentOf(text).positionAt(offset).line;
  const add = (from: number, to: number, kind?: 'comment') => {
    const [startLine, endLine] = [lineOf(from), lineOf(to)];
    if (endLine > startLine) folds.push({ startLine, endLine, ...(kind ? { kind } : {}) });
  };
  for (let at = 0; at < text.length; at++) {
    const next = passed(text, at);
    if (next > at) {
      if (text.startsWith('/*', at)) add(at, next, 'comment');
      at = next - 1;
    } else if (text[at] === '{') open.push(at);
    else if (text[at] === '}') {
      const from = open.pop();
      if (from !== undefined) add(from, at);
    }
  }
  return folds;
}
