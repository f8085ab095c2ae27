import { parse, walk, type CssNode } from 'css-tree';
import { nearest } from '../nearest.js';
import { attribute, type Element, type PageDocument } from '../page/document.js';
import { compileMatcher } from '../page/elements.js';
import type { Page, Site } from '../page/page.js';
import type { Term } from '../rule/condition.js';

/** A small change to a selector after which it matches. */
export interface NearMiss {
  selector: string;
  elements: number;
}

/** One simple selector of the selector, and what else could stand in its place on this page. */
interface Change {
  start: number;
  end: number;
  text: string;
}

/** The smallest change to a selector that makes it match on this page, or null. Tries each change on the page itself. */
export function nearMiss(selector: string, document: PageDocument): NearMiss | null {
  for (const { start, end, text } of changes(selector, vocabulary(document))) {
    const changed = selector.slice(0, start) + text + selector.slice(end);
    try {
      const elements = compileMatcher(changed)(document).length;
      if (elements > 0) return { selector: changed, elements };
    } catch {
      continue;
    }
  }
  return null;
}

interface Vocabulary {
  ids: string[];
  classes: string[];
  tags: string[];
}

function vocabulary(document: PageDocument): Vocabulary {
  const [ids, classes, tags] = [new Set<string>(), new Set<string>(), new Set<string>()];
  for (const element of compileMatcher('*')(document) as Element[]) {
    tags.add(element.tagName);
    const id = attribute(element, 'id');
    if (id) ids.add(id);
    for (const name of attribute(element, 'class')?.split(/\s+/) ?? []) if (name) classes.add(name);
  }
  return { ids: [...ids], classes: [...classes], tags: [...tags] };
}

function changes(selector: string, { ids, classes, tags }: Vocabulary): Change[] {
  const found: Change[] = [];
  walk(parse(selector, { context: 'selectorList', positions: true }), (node: CssNode) => {
    const [start, end] = [node.loc?.start.offset ?? 0, node.loc?.end.offset ?? 0];
    const offer = (text: string | null) => text !== null && found.push({ start, end, text });
    if (node.type === 'ClassSelector') {
      if (ids.includes(node.name)) offer(`#${node.name}`);
      else if (tags.includes(node.name)) offer(node.name);
      else if (!classes.includes(node.name)) offer(prefixed('.', nearest(node.name, classes)));
    }
    if (node.type === 'IdSelector') {
      if (classes.includes(node.name)) offer(`.${node.name}`);
      else if (!ids.includes(node.name)) offer(prefixed('#', nearest(node.name, ids)));
    }
    if (node.type === 'TypeSelector' && !tags.includes(node.name.toLowerCase())) {
      if (classes.includes(node.name)) offer(`.${node.name}`);
      else if (ids.includes(node.name)) offer(`#${node.name}`);
      else offer(nearest(node.name, tags));
    }
  });
  return found;
}

const prefixed = (sign: string, name: string | null) => (name === null ? null : sign + name);

/** A term like this one that picks a page of the site, or null. */
export function nearTerm(term: Term, site: Site): { text: string; page: Page } | null {
  const found = (text: string, page: Page | undefined) => (page ? { text, page } : null);
  switch (term.kind) {
    case 'path': {
      if (term.pattern) {
        const section = term.path.replace(/\/?\*$/, '');
        return term.path.endsWith('/*') && site.byPath.has(section)
          ? found(`path("${section}{/*}?")`, site.byPath.get(section))
          : null;
      }
      const near = nearest(
        term.path,
        site.pages.map((page) => page.path),
      );
      return near === null ? null : found(`path("${near}")`, site.byPath.get(near));
    }
    case 'page-id': {
      const bare = /\d+$/.exec(term.value)?.[0];
      const page =
        site.pages.find((each) => each.pageId?.value === bare) ?? site.pages.find((each) => each.bodyId === term.value);
      return found(page?.pageId?.value === bare ? `page-id(${bare})` : `body-id(${term.value})`, page);
    }
    case 'body-id': {
      const near = nearest(
        term.value,
        site.pages.flatMap((page) => page.bodyId ?? []),
      );
      const page =
        site.pages.find((each) => each.bodyId === near) ??
        site.pages.find((each) => each.bodyClasses.includes(term.value));
      return found(near !== null ? `body-id(${near})` : `body-class(${term.value})`, page);
    }
    case 'body-class': {
      const near = term.classes.map(
        (name) => nearest(name, [...new Set(site.pages.flatMap((page) => page.bodyClasses))]) ?? name,
      );
      return found(
        `body-class(${near.join(' ')})`,
        site.pages.find((page) => near.every((name) => page.bodyClasses.includes(name))),
      );
    }
    default:
      return null;
  }
}
