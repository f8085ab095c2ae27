import { BoundedMap } from '../bounded-map.js';
import cssesc from 'cssesc';

/** The ID that a content system gave a page, and the CSS that carries it: `body.page-73`, `body[id="p9"]`, `body[data-page="9"]`. */
export interface PageId {
  value: string;
  css: string;
}

/** One way in which a site writes page IDs on `body`. */
export interface PageIdForm {
  in: 'body-id' | 'body-class' | 'body-attribute';
  /** The attribute's name; for `body-attribute` only. */
  attribute?: string;
  /** The text with `{id}` where the ID is, such as `page-{id}`; `{id:any}` for an ID that is any text. */
  like: string;
}

/** Digits, or at least eight hexadecimal digits. */
const idPattern = '(\\d+|[0-9a-fA-F]{8,})';
const escapeRegExp = (text: string) => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

const compiled = new BoundedMap<string, RegExp>(50_000);

/** The expression that reads an ID of this form; its first group is the ID. Throws Error if `like` holds no `{id}`. */
export function formExpression(like: string): RegExp {
  const known = compiled.get(like);
  if (known) return known;
  const parts = /^(.*)\{id(:any)?\}(.*)$/s.exec(like);
  if (!parts) throw new Error(`"${like}" has no {id} in it`);
  const [, before = '', any, after = ''] = parts;
  const expression = new RegExp(`^${escapeRegExp(before)}${any ? '(.+)' : idPattern}${escapeRegExp(after)}$`, 's');
  compiled.set(like, expression);
  return expression;
}

/** The texts on `body` in which a form looks for an ID. */
function textsOf(body: ReadonlyMap<string, string>, form: Pick<PageIdForm, 'in' | 'attribute'>): string[] {
  if (form.in === 'body-class') return body.get('class')?.match(/[^\t\n\f\r ]+/g) ?? [];
  const text = body.get(form.in === 'body-id' ? 'id' : (form.attribute ?? ''));
  return text ? [text] : [];
}

/** The page ID that these attributes of `body` carry by the first of the forms that fits, or null. */
export function pageIdOf(body: ReadonlyMap<string, string>, forms: PageIdForm[]): PageId | null {
  for (const form of forms) {
    for (const text of textsOf(body, form)) {
      const value = formExpression(form.like).exec(text)?.[1];
      if (value !== undefined) return { value, css: 'body' + handleCss(form, text) };
    }
  }
  return null;
}

const identifier = (text: string) => cssesc(text, { isIdentifier: true });

/** The simple selector of weight (0,1,0) that picks a body with this text in this place. */
export function handleCss(form: Pick<PageIdForm, 'in' | 'attribute'>, text: string): string {
  if (form.in === 'body-class') return '.' + identifier(text);
  return `[${form.in === 'body-id' ? 'id' : identifier(form.attribute ?? '')}=${cssesc(text, { quotes: 'double', wrap: true })}]`;
}

/** A form found on a site's pages, with its counts. */
export interface FoundForm {
  form: PageIdForm;
  /** Pages that carry an ID of this form. */
  pages: number;
  /** Different IDs among them. */
  ids: number;
}

/** Share of the pages with a form that must have an ID of their own for the form to count as one. */
const leastUnique = 0.9;

/** Words after which a number is no page ID: the part of a page, a level, another page's ID. */
const otherNumber =
  /(^|[-_])((paged|parts?|pagenum|depth|level|cols?|columns?|step|version|v)[-_]?|(parent|ancestor)([-_].*)?)$/i;
/** A class that says that a page is a further part of another one, whose ID it shares. */
const partClass = /(^|[-_])(paged|part)([-_]\d+)?$/i;
export const isPart = (body: ReadonlyMap<string, string>) =>
  textsOf(body, { in: 'body-class' }).some((text) => partClass.test(text));

/** Whether a class with a number at its end can be a page's ID. */
export const isPageIdShape = (text: string) => !otherNumber.test(text.replace(/\d+$/, ''));

/** Whether texts of a shape are page IDs: nearly every page has its own, one duplicate aside. */
const tellsPages = (pages: number, ids: number) =>
  ids > 1 && (ids >= leastUnique * pages || (ids >= 5 && pages - ids === 1));

/**
 * Finds how a site writes page IDs: the shapes (`page-{id}`) of body IDs, classes and attributes whose IDs differ from
 * page to page. Parts of one page share its ID. The one on most pages comes first; further ones are kept if they are on pages that have no ID yet,
 * as where listings and entries are numbered apart.
 */
export function findForms(bodies: ReadonlyMap<string, string>[]): FoundForm[] {
  const shapes = new Map<string, { form: PageIdForm; pages: Set<number>; wholes: Set<number>; ids: Set<string> }>();
  bodies.forEach((body, page) => {
    const isFurtherPart = isPart(body);
    for (const [name] of body) {
      const place: Pick<PageIdForm, 'in' | 'attribute'> =
        name === 'class'
          ? { in: 'body-class' }
          : name === 'id'
            ? { in: 'body-id' }
            : { in: 'body-attribute', attribute: name };
      for (const text of textsOf(body, place)) {
        // The ID is the last run of digits or the last long run of hexadecimal digits in the text.
        const parts = /^(.*?)((?:\d+|[0-9a-f]{8,})(?![0-9a-zA-Z]))([^0-9]*)$/.exec(text);
        if (
          !parts ||
          otherNumber.test(parts[1] ?? '') ||
          /[{}]/.test(text) ||
          (parts[1] !== '' && /[0-9a-fA-F]$/.test(parts[1] ?? '') && /\d$/.test(parts[1] ?? ''))
        )
          continue;
        const like = `${parts[1]}{id}${parts[3]}`;
        const key = `${place.in} ${place.attribute ?? ''} ${like}`;
        const shape = shapes.get(key) ?? {
          form: { ...place, like },
          pages: new Set(),
          wholes: new Set(),
          ids: new Set(),
        };
        shapes.set(key, shape);
        shape.pages.add(page);
        if (isFurtherPart) continue;
        shape.wholes.add(page);
        shape.ids.add(parts[2] ?? '');
      }
    }
  });
  const order = { 'body-id': 0, 'body-class': 1, 'body-attribute': 2 };
  const candidates = [...shapes.values()]
    .filter(({ wholes, ids }) => tellsPages(wholes.size, ids.size))
    .sort(
      (a, b) =>
        b.pages.size - a.pages.size || order[a.form.in] - order[b.form.in] || (a.form.like < b.form.like ? -1 : 1),
    );
  const covered = new Set<number>();
  const found: FoundForm[] = [];
  for (const { form, pages, ids } of candidates) {
    const fresh = [...pages].filter((page) => !covered.has(page));
    if (fresh.length < 2) continue;
    fresh.forEach((page) => covered.add(page));
    found.push({ form, pages: pages.size, ids: ids.size });
  }
  return found;
}
