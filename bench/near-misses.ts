// node dist/bench/near-misses.js FOLDER… [--seed 1]: makes mistakes in selectors of real pages, and counts how often the first
// near miss is the selector that was meant, and how often a name of another page is taken for a typing error.
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { nearMisses } from '../src/core/fix/near-selector.js';
import { attribute, readDocument, type Element, type PageDocument } from '../src/core/page/document.js';
import { compileMatcher } from '../src/core/page/elements.js';
import { readWords } from '../src/core/page/site-words.js';
import { drawsOf } from './random.js';

const { values, positionals: folders } = parseArgs({
  options: { seed: { type: 'string', default: '1' } },
  allowPositionals: true,
});
/** Pages of a folder that mistakes are made on, and mistakes on each. */
const pagesEach = 40;
const mistakesEach = 2;

const { random, pick } = drawsOf(Number(values.seed));

/** Mistakes in a name, and in how a selector is put together. */
const inName: ((name: string, at: number) => string)[] = [
  (name, at) => name.slice(0, at) + (name[at + 1] ?? '') + (name[at] ?? '') + name.slice(at + 2),
  (name, at) => name.slice(0, at) + name.slice(at + 1),
  (name, at) => name.slice(0, at) + (name[at] ?? '') + name.slice(at),
  (name, at) => name.slice(0, at) + (pick([...'abcdefghijklmnopqrstuvwxyz']) ?? '') + name.slice(at + 1),
  (name) => (name[0] ?? '').toUpperCase() + name.slice(1),
];
const inForm: ((selector: string, at: number) => string)[] = [
  (selector, at) => selector.slice(0, at) + (selector[at] === '.' ? '#' : '.') + selector.slice(at + 1),
  (selector) => (selector.includes(' ') ? selector.replace(' ', '') : selector.replace(/^([a-z]+)\./, '$1 .')),
];

const isPlain = (name: string) => /^[a-z_][\w-]{2,}$/i.test(name);
const classesOf = (element: Element) => (attribute(element, 'class') ?? '').split(/\s+/).filter(isPlain);

/** A selector as people write them for an element; null for one without plain names. */
function selectorOf(element: Element): string | null {
  const own = pick(classesOf(element));
  const parent = element.parentNode && 'tagName' in element.parentNode ? element.parentNode : null;
  const [above] = parent ? classesOf(parent) : [];
  if (own !== undefined && above !== undefined && random() < 0.35) return `.${above} .${own}`;
  if (own !== undefined) return random() < 0.4 ? `${element.tagName}.${own}` : `.${own}`;
  const id = attribute(element, 'id') ?? '';
  return isPlain(id) ? `#${id}` : null;
}

/** A selector with one mistake, which matches nothing; null where it does. */
function mistaken(meant: string, document: PageDocument): string | null {
  const name = pick([...meant.matchAll(/[.#]([\w-]+)/g)]);
  if (!name) return null;
  const [word = '', start] = [name[1], name.index];
  const at = 1 + Math.floor(random() * (word.length - 2));
  const mistake = Math.floor(random() * (inName.length + inForm.length));
  const wrong =
    inName[mistake] === undefined
      ? (inForm[mistake - inName.length]?.(meant, start) ?? meant)
      : meant.slice(0, start + 1) + inName[mistake](word, at) + meant.slice(start + 1 + word.length);
  return wrong === meant || compileMatcher(wrong)(document).length > 0 ? null : wrong;
}

const totals = { mistakes: 0, right: 0, wrong: 0, none: 0, othersNames: 0, takenForTypos: 0 };
for (const folder of folders) {
  const files = readdirSync(folder, { recursive: true, encoding: 'utf8' }).filter((file) => /\.html?$/.test(file));
  const read = (file: string) => readFileSync(join(folder, file), 'utf8');
  const chosen = Array.from({ length: Math.min(pagesEach, files.length) }, () => pick(files) ?? '');
  const words = new Map([...files.slice(0, 600), ...chosen].map((file) => [file, readWords(read(file))]));
  const isName = (word: string) => [...words.values()].some((own) => own.includes(` ${word.toLowerCase()} `));
  for (const file of chosen) {
    const document = readDocument(read(file));
    const named = document.elements.filter((element) => classesOf(element).length > 0 || attribute(element, 'id'));
    for (let count = 0; count < mistakesEach; count++) {
      const element = pick(named);
      const meant = element ? selectorOf(element) : null;
      const wrong = meant === null ? null : mistaken(meant, document);
      if (meant !== null && wrong !== null) {
        totals.mistakes++;
        const [found] = nearMisses(wrong, document, 2, isName);
        const wanted = compileMatcher(meant)(document);
        const got = found ? compileMatcher(found.selector)(document) : [];
        const isRight = got.length === wanted.length && got.every((each, index) => each === wanted[index]);
        totals[isRight ? 'right' : found ? 'wrong' : 'none']++;
      }
      const other = pick(
        (words.get(pick(chosen) ?? '') ?? '').split(' ').filter((word) => /^[.#][a-z][\w-]+$/.test(word)),
      );
      if (other === undefined || compileMatcher(other)(document).length > 0) continue;
      totals.othersNames++;
      if (/typo/.test(nearMisses(other, document, 2, isName)[0]?.why ?? '')) totals.takenForTypos++;
    }
  }
}
const share = ((100 * totals.right) / Math.max(1, totals.mistakes)).toFixed(1);
console.log(
  `${totals.mistakes} mistakes: the first near miss is right for ${share} %, wrong for ${totals.wrong}, none for ${totals.none}.`,
);
console.log(`${totals.othersNames} names of other pages: ${totals.takenForTypos} taken for a typing error.`);
