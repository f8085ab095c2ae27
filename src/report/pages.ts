import { handlesOf } from '../core/page/handles.js';
import { pagesWith, soleHandles } from '../core/target/site-index.js';
import type { FoundForm } from '../core/page/page-id.js';
import { expressionFor } from '../core/target/expression.js';
import type { Page, Site } from '../core/page/page.js';
import type { Template } from '../core/page/templates.js';
import { count, printable, table, wrapped, type Column, type Style } from './text.js';

/** The JSON form of the list of pages; its shape is stable. */
export function pagesReport(site: Site, shown: Page[] = site.pages) {
  return {
    kind: 'local-needle.pages',
    version: 1,
    site: site.name,
    pages: shown.map((page) => ({
      path: page.path,
      url: page.url,
      pageId: page.pageId?.value ?? null,
      bodyId: page.bodyId,
      bodyClasses: page.bodyClasses,
      soleHandles: soleHandles(page, site).map(({ css }) => css),
      title: page.title,
    })),
  };
}

const pageColumns: Column[] = [
  { title: 'path' },
  { title: 'page ID' },
  { title: 'unique handles', shorten: 16 },
  { title: 'shared classes', shorten: 12, drop: true },
  { title: 'title', shorten: 16, drop: true },
];

/**
 * The list of a site's pages as text. `shown`: a part of them, for which the shortest condition is given; `most`: rows at
 * most, the rest is counted.
 */
export function pagesText(
  site: Site,
  found: FoundForm[],
  templates: readonly Template[],
  style: Style,
  most: number,
  shown: Page[] | null,
): string {
  const { colour } = style;
  const listed = shown ?? site.pages;
  const ending = commonEnding(site.pages.map((page) => page.title));
  const rows = listed.slice(0, most).map((page) => {
    const sole = soleHandles(page, site).map(({ css }) => css);
    const shared = handlesOf(page).filter(
      ({ css, kind }) => !sole.includes(css) && kind !== 'body-id' && pagesWith(site, css).size < site.pages.length,
    );
    return [
      printable(page.path),
      page.pageId ? printable(page.pageId.value) : colour.dim('none'),
      sole.length > 0 ? printable(sole.join(' ')) : colour.amber('none, path only'),
      colour.dim(printable(shared.map(({ css }) => css.replace(/^body/, '')).join(' '))),
      printable(page.title.endsWith(ending) ? page.title.slice(0, page.title.length - ending.length) : page.title),
    ];
  });
  const lines = [
    `${colour.bold(site.name)}: ${shown ? `${shown.length} of ` : ''}${count(site.pages.length, 'page')}. ${formsText(site, found)}`,
    '',
    ...(rows.length > 0 ? [table(pageColumns, rows, style)] : ['  No page matches.']),
  ];
  if (listed.length > most)
    lines.push(
      `  and ${count(listed.length - most, 'page')} more: --all lists them, --path and --body-class narrow the list`,
    );
  if (!shown && templates.length > 1) lines.push('', templatesText(templates, style));
  const expression = shown ? expressionFor(shown, site) : null;
  if (expression) {
    const line = `pages: ${expression.pages};${expression.except === null ? '' : ` except: ${expression.except};`}`;
    lines.push(
      '',
      `The shortest condition for just ${listed.length === 1 ? 'this page' : 'these'}:  ${colour.green(printable(line))}`,
    );
  }
  if (!shown) {
    const bare = site.pages.filter((page) => soleHandles(page, site).length === 0).length;
    const those = `${count(bare, 'page')} can only be targeted by path: rules for ${bare === 1 ? 'it' : 'them'} need local-needle.js.`;
    lines.push('', bare > 0 ? those : 'Every page has a unique handle.');
  }
  return lines.map((line) => (line.startsWith(' ') ? line : wrapped(line, style))).join('\n');
}

/** Templates in the list below all pages; `--templates` shows all. */
const mostTemplates = 12;

const templateColumns: Column[] = [{ title: 'template' }, { title: 'pages' }, { title: 'such as', shorten: 20 }];

/** Templates with their pages' number and an example each. */
export function templatesText(templates: readonly Template[], style: Style, most = mostTemplates): string {
  const rows = templates
    .slice(0, most)
    .map(({ name, pages, example }) => [printable(name), String(pages.length), printable(example.path)]);
  const left = templates.length - most;
  return [
    wrapped(`${count(templates.length, 'template')}, told by the markup of their pages:`, style),
    '',
    table(templateColumns, rows, style),
    ...(left > 0 ? [`  and ${count(left, 'template')} more: --templates lists them`] : []),
  ].join('\n');
}

/** The JSON form of the list of templates; its shape is stable. */
export const templatesReport = (site: Site, templates: readonly Template[]) => ({
  kind: 'local-needle.templates',
  version: 1,
  site: site.name,
  templates: templates.map(({ name, pages, example }) => ({
    template: name,
    example: example.path,
    pages: pages.map(({ path }) => path),
  })),
});

/** The ending that nearly all titles share, such as ` – Saltmere Ferries`: usually the site's name. Empty if there is none. */
function commonEnding(titles: string[]): string {
  const counts = new Map<string, number>();
  for (const title of titles) {
    const ending = /\s*[·|–—:-]\s[^·|–—:]*$/u.exec(title)?.[0];
    if (ending !== undefined) counts.set(ending, (counts.get(ending) ?? 0) + 1);
  }
  const [[ending, amount] = ['', 0]] = [...counts].sort(([, a], [, b]) => b - a);
  return amount > 1 && amount >= 0.8 * titles.length ? ending : '';
}

/** How reliable a form is, in words: its IDs should differ from page to page, on many pages. */
function sureness({ pages, ids }: FoundForm): string {
  if (ids < pages) return `, ${pages - ids} of them with an ID that another page also has, so this is a guess`;
  return pages < 3 ? ', too few to be sure' : ', all unique';
}

/** How the site writes page IDs, in a sentence. */
export function formsText(site: Site, found: FoundForm[]): string {
  if (site.forms.length === 0) return 'No page IDs were found on <body>.';
  const shown = site.forms.map((form) => {
    const place = { 'body-id': 'the ID of body', 'body-class': 'a body class', 'body-attribute': form.attribute ?? '' }[
      form.in
    ];
    const seen = found.find((each) => each.form.like === form.like && each.form.in === form.in);
    return `${printable(form.like)} in ${place}${seen ? ` (${count(seen.pages, 'page')}${sureness(seen)})` : ''}`;
  });
  return `Page IDs: ${shown.join(', ')}.`;
}
