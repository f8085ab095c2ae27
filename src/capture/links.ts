import { parse, type DefaultTreeAdapterTypes as Tree } from 'parse5';
import { parse as parseCss } from 'postcss';
import parseValue from 'postcss-value-parser';

/** What a page points to, as absolute addresses without fragment, in the order of the source. */
export interface PageLinks {
  pages: string[];
  styles: string[];
}

const attribute = (element: Tree.Element, name: string) => element.attrs.find((each) => each.name === name)?.value;

/** The links and stylesheets of a page; `<base href>` is minded, addresses that are none are left out. */
export function linksOf(html: string, address: string): PageLinks {
  const found: PageLinks = { pages: [], styles: [] };
  let base = address;
  const add = (list: string[], href: string | undefined) => {
    const url = href === undefined ? null : absolute(href, base);
    if (url && !list.includes(url)) list.push(url);
  };
  const visit = (node: Tree.Node) => {
    if ('tagName' in node) {
      if (node.tagName === 'base' && base === address)
        base = absolute(attribute(node, 'href') ?? '', address) ?? address;
      if (node.tagName === 'a' || node.tagName === 'area') add(found.pages, attribute(node, 'href'));
      const rel = (attribute(node, 'rel') ?? '').toLowerCase().split(/\s+/);
      if (node.tagName === 'link' && rel.includes('stylesheet')) add(found.styles, attribute(node, 'href'));
      if (node.tagName === 'style')
        for (const url of importsOf(
          node.childNodes.map((child) => ('value' in child ? child.value : '')).join(''),
          base,
        ))
          add(found.styles, url);
    }
    if ('childNodes' in node) node.childNodes.forEach(visit);
  };
  visit(parse(html));
  return found;
}

/** The addresses that a stylesheet imports. CSS that cannot be read imports nothing. */
export function importsOf(css: string, address: string): string[] {
  if (!/@import/i.test(css)) return [];
  try {
    return parseCss(css).nodes.flatMap((node) => {
      if (node.type !== 'atrule' || node.name.toLowerCase() !== 'import') return [];
      const [first] = parseValue(node.params).nodes;
      const href =
        first?.type === 'string'
          ? first.value
          : first?.type === 'function' && first.value.toLowerCase() === 'url'
            ? first.nodes[0]?.value
            : undefined;
      return (href === undefined ? null : absolute(href, address)) ?? [];
    });
  } catch {
    return [];
  }
}

/** An http(s) address without fragment, or null. */
function absolute(href: string, base: string): string | null {
  try {
    const url = new URL(href, base);
    url.hash = '';
    return url.protocol === 'http:' || url.protocol === 'https:' ? url.href : null;
  } catch {
    return null;
  }
}
