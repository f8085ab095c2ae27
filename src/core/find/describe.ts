import { attribute, parentOf, type Element } from '../page/document.js';

/** A description by which a person recognises an element. */
export interface Description {
  /** Its place in the tree in short: `body > header.masthead > nav > a.camera`. */
  place: string;
  /** Its text in one line, shortened. */
  words: string;
  id: string | null;
  classes: string[];
}

const mostWords = 60;

/** Describes an element by its place, words, ID and classes. */
export function describe(element: Element): Description {
  const words = wordsOf(element);
  return {
    place: placeOf(element),
    words: words.length > mostWords ? `${words.slice(0, mostWords - 1)}…` : words,
    id: attribute(element, 'id') || null,
    classes: classesOf(element),
  };
}

/** Its classes, in the order of the source. */
export const classesOf = (element: Element) =>
  attribute(element, 'class')
    ?.split(/[\t\n\f\r ]+/)
    .filter(Boolean) ?? [];

function placeOf(element: Element): string {
  const steps: string[] = [];
  for (let at: Element | null = element; at && at.tagName !== 'html'; at = parentOf(at)) {
    const [first] = classesOf(at);
    const id = attribute(at, 'id');
    steps.unshift(
      at.tagName + (id && at.tagName !== 'body' ? `#${id}` : first && at.tagName !== 'body' ? `.${first}` : ''),
    );
  }
  return steps.length > 5 ? [...steps.slice(0, 2), '…', ...steps.slice(-2)].join(' > ') : steps.join(' > ') || 'html';
}

/** Attributes whose text is visible or read aloud. */
const spoken = ['alt', 'placeholder', 'aria-label', 'title', 'value'];

/** The visible text of an element with white space collapsed, or that of its attributes. */
export function wordsOf(element: Element): string {
  const parts: string[] = [];
  const visit = (node: Element) => {
    for (const child of node.childNodes) {
      if ('value' in child) parts.push(child.value);
      else if ('tagName' in child && !['script', 'style', 'template', 'noscript'].includes(child.tagName)) visit(child);
    }
  };
  visit(element);
  const text = parts.join(' ').replace(/\s+/g, ' ').trim();
  return (
    text ||
    spoken
      .flatMap((name) => attribute(element, name) ?? [])
      .join(' ')
      .replace(/\s+/g, ' ')
      .trim()
  );
}
