import { parseHtml } from '../core/page/parse-html.js';
import { parse as parseCss } from 'postcss';
import parseValue from 'postcss-value-parser';
import { attribute, elementsIn } from '../core/page/document.js';
import { textOf } from '../core/page/query.js';
import { baseOf } from '../core/page/location.js';
import { unsafeLink } from './unsafe-links.js';

/** The links of a page as absolute addresses without fragment, in source order. */
export interface PageLinks {
  pages: string[];
  styles: string[];
  /** Links that do something when they are followed, with the reason. */
  unsafe: Map<string, string>;
}

/** The links and stylesheets of a page, resolved against `<base href>`; invalid addresses are left out. */
export function linksOf(html: string, address: string): PageLinks {
  const root = parseHtml(html);
  const base = baseOf(address, elementsIn(root, 'base'));
  const [pages, styles] = [new Set<string>(), new Set<string>()];
  const add = (list: Set<string>, href: string | undefined) => {
    const url = href === undefined ? null : absolute(href, base);
    if (url) list.add(url);
  };
  const unsafe = new Map<string, string>();
  const addUnsafe = (href: string | undefined, why: string) => {
    const url = href === undefined ? null : absolute(href, base);
    if (url) unsafe.set(url, why);
  };
  for (const element of elementsIn(root, 'a', 'area', 'link', 'style')) {
    const href = attribute(element, 'href');
    if (element.tagName === 'style') importsOf(textOf(element), base).forEach((url) => styles.add(url));
    else if (element.tagName !== 'link') {
      const why = unsafeLink(element);
      if (why === null) add(pages, href);
      else addUnsafe(href, why);
    } else if (/(^|\s)stylesheet(\s|$)/i.test(attribute(element, 'rel') ?? '')) add(styles, href);
  }
  return { pages: [...pages], styles: [...styles], unsafe };
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
