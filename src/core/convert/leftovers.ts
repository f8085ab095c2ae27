import { selectorParts, withoutStates } from '../css/selector.js';
import { compileMatcher } from '../page/elements.js';
import type { Matcher } from '../page/query.js';
import type { Page } from '../page/page.js';
import type { View } from '../page/view.js';
import type { Place } from '../place.js';
import { selectorsOf } from './rule-groups.js';
import type { Left } from './left.js';
import type { OldFile, Script, SourceSheet } from './sources.js';
import { leftoverOf } from './write.js';

/** An element that holds nothing any more. */
const emptied = /<(style|script)(?![^>]*\ssrc\s*=)[^>]*>\s*<\/\1>\n?/gi;

/** What is left of each file. */
export function leftoversOf(files: OldFile[], sheets: SourceSheet[], scripts: Script[]): Map<string, string> {
  const leftovers = new Map<string, string>();
  for (const file of files) {
    const changes = [
      ...sheets.flatMap((sheet) =>
        sheet.file === file ? [{ ...sheet, by: leftoverOf(sheet.root, sheet.groups) }] : [],
      ),
      ...scripts.flatMap((script) => (script.file === file ? [{ ...script, by: script.leftover }] : [])),
    ].sort((a, b) => b.offset - a.offset);
    let text = file.text;
    for (const { offset, text: old, by } of changes)
      text = text.slice(0, offset) + (by ?? '') + text.slice(offset + old.length);
    const bare = file.kind === 'html' ? text.replace(emptied, '').replace(/<!--[^]*?-->/g, '') : text;
    if (bare.replace(/\/\*[^]*?\*\//g, '').trim() !== '')
      leftovers.set(file.name, file.kind === 'html' ? text.replace(emptied, '') : text);
  }
  return leftovers;
}

/** The style rules that stay, with the pages that they touch. */
export function unscopedOf(sheets: SourceSheet[], view: View): Left[] {
  const found: (Left & { tests: Matcher[]; only: Page | null })[] = [];
  for (const { root, groups, file, line, whyLeft } of sheets) {
    const converted = new Map<unknown, string[]>();
    for (const { node, originals } of groups.flatMap(({ styles }) => styles))
      converted.set(node, [...(converted.get(node) ?? []), ...originals]);
    const place = (at: { line: number; column: number } | undefined): Place => ({
      ...{ file: file.name, line: (at?.line ?? 1) + line - 1, column: at?.column ?? 1 },
    });
    root.walk((node) => {
      if (
        node.type === 'atrule' &&
        /^(-\w+-)?keyframes$|^(font-face|import|property|counter-style)$/i.test(node.name)
      ) {
        const what = `@${node.name}${node.params ? ` ${node.params}` : ''}`;
        found.push({
          at: place(node.source?.start),
          what,
          pages: [],
          reason: 'it applies to all pages',
          tests: [],
          only: null,
        });
      }
      if (
        node.type !== 'rule' ||
        (node.parent?.type === 'atrule' && /keyframes$/i.test((node.parent as { name?: string }).name ?? ''))
      )
        return;
      if (node.parent?.type === 'rule') return;
      // Groups that were tried and left are already reported with their reason.
      const kept = selectorsOf(node).filter((selector) => !(converted.get(node) ?? []).includes(selector));
      const tests = kept.flatMap((selector) => testOf(selector) ?? []);
      if (kept.length > 0)
        found.push({
          at: place(node.source?.start),
          what: kept.join(', '),
          pages: [],
          reason: kept.flatMap((selector) => whyLeft(node, selector) ?? [])[0] ?? 'unscoped',
          tests,
          only: file.page,
        });
    });
  }
  for (const page of view.site.pages) {
    const document = view.open(page);
    for (const each of found)
      if ((each.only === null || each.only === page) && each.tests.some((match) => match(document).length > 0))
        each.pages.push(page.path);
  }
  return found.map(({ at, what, pages, reason }) => ({ at, what, pages, reason }));
}

function testOf(selector: string) {
  try {
    // A rule for links that are hovered touches the pages with such links.
    return compileMatcher(withoutStates(selectorParts(selector).element));
  } catch {
    return null;
  }
}
