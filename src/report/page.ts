import { soleHandles } from '../core/target/site-index.js';
import type { Page, Site } from '../core/page/page.js';
import { targetOptions } from '../core/target/target-options.js';
import { count, firstFew, printable, table, type Style } from './text.js';

/** A handle that the template could write on the body of a page without a unique one, like on other pages. */
export function proposals(page: Page, site: Site): string[] {
  if (soleHandles(page, site).length > 0) return [];
  const slug = (text: string) =>
    text
      .replace(/[^A-Za-z0-9]+/g, '-')
      .replace(/^-|-$/g, '')
      .toLowerCase() || 'front';
  const own: string[] = [];
  const [form] = site.forms;
  const carried = form
    ? `${form.like.replace(/\{id(:any)?\}/, '…')} as the other pages have it (${form.in === 'body-class' ? 'a class' : form.in === 'body-id' ? 'the ID' : (form.attribute ?? '')} of body)`
    : `class="page-${slug(page.path)}"`;
  own.push(carried);
  const [section] = page.path.split('/').slice(1, -1);
  if (section) own.push(`class="section-${slug(section)}" for all of /${section}`);
  return own;
}

/** One page as read by others. */
export function pageReport(page: Page, site: Site) {
  const { path, url, title, pageId, bodyId, bodyClasses, file } = page;
  return {
    kind: 'local-needle.page',
    version: 1,
    site: site.name,
    path,
    url,
    title,
    pageId: pageId?.value ?? null,
    bodyId,
    bodyClasses,
    file,
    ways: targetOptions(page, site),
    proposals: proposals(page, site),
  };
}

/** One page as text: what it is, and each `pages:` line that targets it, ready to paste. */
export function pageText(page: Page, site: Site, style: Style): string {
  const { colour } = style;
  const fact = (name: string, value: string) => `  ${colour.dim(name.padEnd(13))}${printable(value)}`;
  const rows = targetOptions(page, site).map(({ condition, sole, sharedWith, why }) => [
    sole ? colour.green(printable(`pages: ${condition};`)) : printable(`pages: ${condition};`),
    sole ? 'this page only' : colour.amber(count(sharedWith.length + 1, 'page')),
    printable(sole ? why : `shared with ${firstFew(sharedWith, 4)}`),
  ]);
  const wanting = proposals(page, site);
  return [
    `${colour.bold(printable(page.path))} on ${site.name}`,
    '',
    fact('title', page.title),
    fact('address', page.url),
    fact('page ID', page.pageId ? `${page.pageId.value} (${page.pageId.css})` : 'none'),
    fact('body ID', page.bodyId ?? 'none'),
    fact('body classes', page.bodyClasses.join(' ') || 'none'),
    '',
    'Ways to target it, best first:',
    table([{ title: 'paste into a rule' }, { title: 'targets' }, { title: 'why', wrap: 24 }], rows, style),
    ...(wanting.length > 0
      ? [
          '',
          'It has no unique handle. The template could add to its body:',
          ...wanting.map((each) => `  ${printable(each)}`),
        ]
      : []),
  ].join('\n');
}
