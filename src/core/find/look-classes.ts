import type { PageSheets } from '../css/cascade/page-sheets.js';
import type { PageDocument } from '../page/document.js';
import { classesOf } from './describe.js';

/** Declarations that a class may have at most that names how something looks. */
const mostDeclarations = 3;
/** Unlike elements that such a class stands on at least, where it is not `!important`. */
const fewestUnlike = 3;
/** Classes of this kind on one element that make the others of it one too. */
const fewestTogether = 3;

const className = /\.((?:\\.|[\w-]|[^\0-\x7f])+)/g;
const classAlone = /^\.(?:\\.|[\w-]|[^\0-\x7f])+(?:::?[\w-]+(?:\([^()]*\))?)*$/;

/** The classes that a selector names. */
const classWords = (selector: string): string[] =>
  [...selector.matchAll(className)].map(([, name = '']) => name.replace(/\\(.)/g, '$1'));

/**
 * Whether a class names a look rather than a thing, such as the space around or the size of a text: on its own it sets a few
 * properties, no selector joins it to anything else, and it is `!important`, or stands on unlike elements, or beside others of its
 * kind. Learned from the stylesheets and the elements of a page; no list of names.
 */
export function lookClasses({ uses }: Pick<PageSheets, 'uses'>, document: PageDocument): (name: string) => boolean {
  const alone = new Map<string, { declarations: number; important: boolean }>();
  const joined = new Set<string>();
  for (const { sheet } of uses)
    for (const { selectors, declarations } of sheet.rules)
      for (const { text } of selectors) {
        const words = classWords(text);
        const [only] = words;
        if (only === undefined || words.length > 1 || !classAlone.test(text)) {
          // Behind a combinator or beside another name it belongs to something.
          for (const word of words) joined.add(word);
          continue;
        }
        const known = alone.get(only) ?? { declarations: 0, important: true };
        alone.set(only, {
          declarations: Math.max(known.declarations, declarations.length),
          important: known.important && declarations.every(({ important }) => important),
        });
      }
  const kinds = new Map<string, Set<string>>();
  const isShort = (name: string) => {
    const own = alone.get(name);
    return own !== undefined && own.declarations <= mostDeclarations && !joined.has(name);
  };
  const beside = new Set<string>();
  for (const element of document.elements) {
    const classes = classesOf(element);
    const short = classes.filter(isShort);
    if (short.length >= fewestTogether) for (const name of short) beside.add(name);
    for (const name of short) {
      const others = classes.filter((each) => each !== name && !isShort(each)).join(' ');
      kinds.set(name, (kinds.get(name) ?? new Set()).add(`${element.tagName} ${others}`));
    }
  }
  return (name) =>
    isShort(name) &&
    (alone.get(name)?.important === true || (kinds.get(name)?.size ?? 0) >= fewestUnlike || beside.has(name));
}
