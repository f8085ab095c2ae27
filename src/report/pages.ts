import { handlesOf, soleHandles } from '../core/page/handles.js';
import type { FoundForm } from '../core/page/page-id.js';
import type { Site } from '../core/page/page.js';
import { count, printable, shortened, table, type Style } from './text.js';

/** The list of a site's pages as read by others; its shape is kept. */
export function pagesReport(site: Site) {
  return {
    kind: 'local-needle.pages',
    version: 1,
    site: site.name,
    pages: site.pages.map((page) => ({
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

/** The list of a site's pages as text. */
export function pagesText(site: Site, found: FoundForm[], style: Style): string {
  const { colour } = style;
  const ending = commonEnding(site.pages.map((page) => page.title));
  const rows = site.pages.map((page) => {
    const sole = soleHandles(page, site).map(({ css }) => css);
    const shared = handlesOf(page).filter(({ css, kind }) => !sole.includes(css) && kind !== 'body-id');
    return [
      printable(page.path),
      page.pageId ? printable(page.pageId.value) : colour.dim('none'),
      sole.length > 0 ? printable(sole.join(' ')) : colour.yellow('none: path only'),
      colour.dim(printable(shared.map(({ css }) => css.replace(/^body/, '')).join(' '))),
      shortened(printable(page.title.slice(0, page.title.length - ending)), 40),
    ];
  });
  const bare = site.pages.filter((page) => soleHandles(page, site).length === 0).length;
  return [
    `${colour.bold(site.name)}: ${count(site.pages.length, 'page')}. ${formsText(site, found)}`,
    '',
    table(['path', 'page ID', 'sole handles', 'shared classes', 'title'], rows, style, [30, 12, 30, 30]),
    '',
    bare > 0
      ? `${count(bare, 'page')} can be told only by path: rules for ${bare === 1 ? 'it' : 'them'} need needle.js.`
      : 'Every page has a handle of its own.',
  ].join('\n');
}

/** How many characters at the end of all titles are the same: the site's own name, which tells no page apart. */
function commonEnding([first = '', ...others]: string[]): number {
  let length = others.length === 0 ? 0 : first.length;
  for (const title of others) while (!title.endsWith(first.slice(first.length - length))) length--;
  const ending = first.slice(first.length - length);
  return /^\s*[·|–—:-]/u.test(ending) ? length : 0;
}

/** How the site writes page IDs, in a sentence. */
export function formsText(site: Site, found: FoundForm[]): string {
  if (site.forms.length === 0) return 'No page IDs were found on body.';
  const shown = site.forms.map((form) => {
    const place = { 'body-id': 'the ID of body', 'body-class': 'a body class', 'body-attribute': form.attribute ?? '' }[
      form.in
    ];
    const seen = found.find((each) => each.form.like === form.like && each.form.in === form.in);
    return `${printable(form.like)} in ${place}${seen ? ` (${count(seen.pages, 'page')})` : ''}`;
  });
  return `Page IDs: ${shown.join(', ')}.`;
}
