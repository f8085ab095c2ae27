import cssesc from 'cssesc';
import { html as standard } from 'parse5';
import { putTogether, takeApart, type Compound, type Simple } from '../css/complex.js';
import { attribute, type Element, type PageDocument } from '../page/document.js';
import { compileMatcher } from '../page/elements.js';
import { TooLate } from '../page/query.js';
import { positionOf } from '../page/family.js';
import { errorsBetween, mostErrors } from '../nearest.js';
import tables from '../css/browser-tables.json' with { type: 'json' };

/** A small change to a selector after which it matches, and what was wrong in words. */
export interface NearMiss {
  selector: string;
  elements: number;
  why: string;
  /** The lower, the likelier. */
  cost: number;
}

/** A changed selector; the lower the cost, the likelier the mistake. */
interface Change {
  compounds: Compound[];
  cost: number;
  why: string;
}

/** Selectors tried on the page at most. */
const mostTries = 600;
/** Maximum number of compounds of a selector, and of simple selectors of a compound. */
const mostParts = 12;

/**
 * The small changes to one complex selector that make it match on this page, likeliest first. Each is tried on the page
 * itself. Pairs of changes are tried only where no single one helps and `depth` is 2. `isName`: whether a tag, `.class` or
 * `#id` exists elsewhere on the site; such a name is no typing error.
 */
export function nearMisses(
  selector: string,
  document: PageDocument,
  depth: 1 | 2 = 2,
  isName: (word: string) => boolean = () => false,
): NearMiss[] {
  const words = { ...vocabularyOf(document), isName };
  const start = mendSyntax(selector);
  if (!start || start.compounds.length > mostParts || start.compounds.some(({ simples }) => simples.length > mostParts))
    return [];
  const matches = matcherOn(document);
  const single = changesOf(start.compounds, words, document, matches);
  const tried = new Set([selector]);
  const found = tryAll(start.changed ? [start, ...single] : single, matches, tried);
  if (found.length > 0 || depth === 1) return found;
  const pairs = single
    .filter(({ cost }) => cost <= 3)
    .flatMap((first) =>
      changesOf(first.compounds, words, document, matches).map((second) => ({
        ...second,
        cost: first.cost + second.cost + 1,
        why: `${first.why}; ${second.why}`,
      })),
    );
  return tryAll(pairs, matches, tried);
}

type Matches = (selector: string) => Element[];

function matcherOn(document: PageDocument): Matches {
  return (selector) => {
    try {
      return compileMatcher(selector)(document);
    } catch (error) {
      if (error instanceof TooLate) throw error;
      return [];
    }
  };
}

function tryAll(changes: Change[], matches: Matches, tried: Set<string>): NearMiss[] {
  const found: NearMiss[] = [];
  for (const { compounds, why, cost } of [...changes].sort((a, b) => a.cost - b.cost)) {
    const selector = putTogether(compounds);
    if (tried.has(selector) || tried.size > mostTries) continue;
    tried.add(selector);
    const elements = matches(selector).length;
    if (elements > 0) found.push({ selector, elements, why, cost });
    if (found.length >= 5) break;
  }
  return found;
}

/** Parses a selector, repairing doubled or stray signs; null if that is impossible. */
function mendSyntax(selector: string): (Change & { changed: boolean }) | null {
  const steps: [RegExp, string, string][] = [
    [/#{2,}/g, '#', 'an extra #'],
    [/\.{2,}/g, '.', 'an extra dot'],
    [/[.#]+#/g, '#', 'an extra dot before the #'],
    [/#\./g, '.', 'an extra # before the dot'],
    [/([.#])\s+(?=[\w-])/g, '$1', 'an extra space after the sign'],
    [/[,;{]\s*$|^\s*[,;]/g, '', 'a stray sign at the end'],
  ];
  let text = selector.trim();
  const why: string[] = [];
  for (const [pattern, replacement, what] of steps) {
    const fixed = text.replace(pattern, replacement);
    if (fixed !== text) why.push(what);
    text = fixed;
  }
  try {
    return { compounds: takeApart(text), cost: 0.5, why: why.join('; '), changed: why.length > 0 };
  } catch {
    return null;
  }
}

interface Vocabulary {
  ids: string[];
  classes: string[];
  tags: string[];
  /** Classes of `html` and `body`. */
  rootClasses: string[];
  isName: (word: string) => boolean;
}

function vocabularyOf(document: PageDocument): Omit<Vocabulary, 'isName'> {
  const [ids, classes, tags, rootClasses] = [
    new Set<string>(),
    new Set<string>(),
    new Set<string>(),
    new Set<string>(),
  ];
  for (const element of document.elements) {
    tags.add(element.tagName);
    const id = attribute(element, 'id');
    if (id) ids.add(id);
    for (const name of attribute(element, 'class')?.split(/\s+/) ?? []) {
      if (!name) continue;
      classes.add(name);
      if (element.tagName === 'html' || element.tagName === 'body') rootClasses.add(name);
    }
  }
  return { ids: [...ids], classes: [...classes], tags: [...tags], rootClasses: [...rootClasses] };
}

const simple = (kind: 'class' | 'id' | 'type', name: string): Simple => {
  const escaped = cssesc(name, { isIdentifier: true });
  return { kind, name, text: kind === 'class' ? `.${escaped}` : kind === 'id' ? `#${escaped}` : escaped };
};

const otherCase = (name: string, other: string) => (/[A-Z]/.test(name) === /[A-Z]/.test(other) ? 0 : 0.25);

/** Known names that a name could be a typo of, with the number of errors. */
function typos(name: string, known: string[]): { name: string; errors: number }[] {
  const most = mostErrors(name);
  return known
    .filter((each) => Math.abs(each.length - name.length) <= most)
    .map((each) => ({
      name: each,
      // Of names that differ in letter case alone the one that is written so is meant.
      errors: each.toLowerCase() === name.toLowerCase() ? 0.5 : errorsBetween(name, each) + otherCase(name, each),
    }))
    .filter(({ name: each, errors }) => Math.floor(errors) <= most && each !== name)
    .sort((a, b) => a.errors - b.errors);
}

function changesOf(compounds: Compound[], words: Vocabulary, document: PageDocument, matches: Matches): Change[] {
  const changes: Change[] = [];
  compounds.forEach((compound, at) => {
    const withCompound = (changed: Compound[], cost: number, why: string) =>
      changes.push({ compounds: [...compounds.slice(0, at), ...changed, ...compounds.slice(at + 1)], cost, why });
    compound.simples.forEach((each, index) => {
      const withSimple = (replacement: Simple[], cost: number, why: string) =>
        withCompound(
          [
            {
              ...compound,
              simples: [...compound.simples.slice(0, index), ...replacement, ...compound.simples.slice(index + 1)],
            },
          ],
          cost,
          why,
        );
      renamings(each, words).forEach(({ to, cost, why }) => withSimple([to], cost, why));
      if (each.kind === 'type' && compound.simples.length > 1) {
        const others = compound.simples.filter((other) => other !== each);
        const tags = new Set(matches(putTogether([{ combinator: '', simples: others }])).map(({ tagName }) => tagName));
        for (const tag of tags) withSimple([simple('type', tag)], 2, `the element is a <${tag}>`);
      }
      if (each.kind === 'pseudo' && /^:nth-/.test(each.text))
        positions(each, compound, matches).forEach(({ to, cost, why }) => withSimple([to], cost, why));
      if (index > 0 && each.kind !== 'pseudo') {
        withCompound(
          [
            { ...compound, simples: compound.simples.slice(0, index) },
            { combinator: ' ', simples: compound.simples.slice(index) },
          ],
          1.5,
          'missing space',
        );
      }
    });
    if (compound.combinator === ' ' && compound.simples[0]?.kind !== 'type') {
      const before = compounds[at - 1];
      if (before)
        changes.push({
          compounds: [
            ...compounds.slice(0, at - 1),
            { ...before, simples: [...before.simples, ...compound.simples] },
            ...compounds.slice(at + 1),
          ],
          cost: 1.5,
          why: 'extra space',
        });
    }
    if (compound.combinator === '>') withCompound([{ ...compound, combinator: ' ' }], 2, 'it is not a direct child');
    if (compound.combinator === '+') withCompound([{ ...compound, combinator: '~' }], 2, 'it does not follow directly');
    if (compounds.length > 1 && at < compounds.length - 1) {
      const onRoot = compound.simples.some(({ kind, name }) => kind === 'class' && words.rootClasses.includes(name));
      const rest = [...compounds.slice(0, at), ...compounds.slice(at + 1)].map((other, index) =>
        index === 0 ? { ...other, combinator: '' } : other,
      );
      if (onRoot && at > 0)
        changes.push({ compounds: rest, cost: 1.5, why: `${putTogether([compound])} is on body, not below it` });
      else
        changes.push({
          compounds: rest,
          cost: 4,
          why: `it is not inside ${putTogether([{ ...compound, combinator: '' }])}`,
        });
    }
  });
  return changes;
}

/** Tags of the standard: none is a typing error of another. */
const knownTags = new Set<string>(Object.values(standard.TAG_NAMES));

/** Other names and signs for one simple selector. */
function renamings(
  each: Simple,
  { ids, classes, tags, isName }: Vocabulary,
): { to: Simple; cost: number; why: string }[] {
  const found: { to: Simple; cost: number; why: string }[] = [];
  const add = (kind: 'class' | 'id' | 'type', name: string, cost: number, why: string) =>
    found.push({ to: simple(kind, name), cost, why });
  const sign = { class: '.', id: '#', type: '' };
  const isTaken = each.kind in sign && isName(sign[each.kind as keyof typeof sign] + each.name);
  const spelled = (kind: 'class' | 'id' | 'type', known: string[], extra: number, why: string) => {
    for (const { name, errors } of typos(each.name, known).filter((typo) => !isTaken || typo.errors < 1))
      add(kind, name, 1 + errors + extra, errors < 1 ? `other letter case${why}` : `typo${why}`);
  };
  if (each.kind === 'class') {
    if (ids.includes(each.name)) add('id', each.name, 1, 'it is an ID, not a class');
    if (tags.includes(each.name)) add('type', each.name, 1.2, 'it is an element, not a class');
    const pseudo = each.name.toLowerCase();
    if (!classes.includes(each.name) && tables.pseudoClasses.includes(pseudo))
      found.push({ to: { kind: 'pseudo', name: pseudo, text: `:${pseudo}` }, cost: 0.9, why: 'it is a pseudo-class' });
    if (!classes.includes(each.name)) spelled('class', classes, 0, '');
    if (!classes.includes(each.name)) spelled('id', ids, 1, ', and it is an ID');
  }
  if (each.kind === 'id') {
    if (classes.includes(each.name)) add('class', each.name, 1, 'it is a class, not an ID');
    if (!ids.includes(each.name)) spelled('id', ids, 0, '');
    if (!ids.includes(each.name)) spelled('class', classes, 1, ', and it is a class');
  }
  if (each.kind === 'attribute') {
    const listed = /^\[class="?([\w-]+)"?\]$/.exec(each.text)?.[1];
    if (listed !== undefined && classes.includes(listed)) add('class', listed, 1, 'the list of classes holds more');
  }
  if (each.kind === 'type' && !tags.includes(each.name.toLowerCase())) {
    if (/^h[1-6]$/i.test(each.name))
      for (const tag of tags.filter((name) => /^h[1-6]$/.test(name))) add('type', tag, 2, `the heading is a <${tag}>`);
    if (classes.includes(each.name)) add('class', each.name, 1, 'missing dot');
    if (ids.includes(each.name)) add('id', each.name, 1, 'a # is missing');
    if (!knownTags.has(each.name.toLowerCase())) spelled('type', tags, 0, '');
    spelled('class', classes, 1, ', and missing dot');
    spelled('id', ids, 1, ', and a missing #');
  }
  return found;
}

/** The right index for a position: counted by tag rather than class, or not beyond the last. */
function positions(each: Simple, compound: Compound, matches: Matches): { to: Simple; cost: number; why: string }[] {
  const parts = /^:(nth-of-type|nth-child|nth-last-child|nth-last-of-type)\(\s*(\d+)\s*\)$/i.exec(each.text);
  if (!parts) return [];
  const [, name = '', number = ''] = parts;
  const wanted = Number(number);
  const others = compound.simples.filter(
    (other) => other !== each && !(other.kind === 'pseudo' && other.name.startsWith('nth')),
  );
  if (others.length === 0) return [];
  const candidates = matches(putTogether([{ combinator: '', simples: others }]));
  const found: { to: Simple; cost: number; why: string }[] = [];
  const families = new Map<unknown, Element[]>();
  for (const element of candidates)
    families.set(element.parentNode, [...(families.get(element.parentNode) ?? []), element]);
  for (const family of families.values()) {
    const meant = name.includes('last') ? family.at(-wanted) : family[wanted - 1];
    const last = name.includes('last') ? family[0] : family.at(-1);
    const element = meant ?? last;
    if (!element) continue;
    const index = positionOf(element, name);
    if (index === wanted) continue;
    const why = meant
      ? `:${name} counts ${name.includes('of-type') ? `every <${element.tagName}>` : 'every element'}, not only those of the class`
      : `there are only ${family.length}`;
    found.push({ to: { ...each, text: `:${name}(${index})` }, cost: meant ? 1.5 : 2.5, why });
  }
  return found;
}
