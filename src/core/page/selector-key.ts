import type { Selector as Token } from 'css-what';
import { BoundedMap } from '../bounded-map.js';
import type { Element } from './document.js';

/**
 * What an element must carry to match a selector at all: `#id`, `.class`, a tag, `[attribute`, each in lower case, or `*`
 * where that cannot be known.
 */
export function selectorKey(tokens: Token[]): string {
  let key = '*';
  for (let at = tokens.length - 1; at >= 0; at--) {
    const token = tokens[at];
    if (!token || combinators.has(token.type)) break;
    if (token.type === 'tag' && (key === '*' || key.startsWith('['))) key = token.name.toLowerCase();
    if (token.type !== 'attribute' || token.action === 'not') continue;
    if (token.ignoreCase !== 'quirks') {
      if (key === '*') key = `[${token.name.slice(token.name.lastIndexOf('|') + 1).toLowerCase()}`;
      continue;
    }
    if (token.name === 'id' && token.action === 'equals') return `#${token.value.toLowerCase()}`;
    if (token.name === 'class' && token.action === 'element') key = `.${token.value.toLowerCase()}`;
  }
  return key;
}

const combinators = new Set<string>(['descendant', 'child', 'sibling', 'adjacent', 'parent', 'column-combinator']);

const classLists = new BoundedMap<string, string[]>(20_000);

/** The classes that an attribute lists. */
export function classesOf(value: string): string[] {
  let classes = classLists.get(value);
  if (!classes) classLists.set(value, (classes = value.split(/[\t\n\f\r ]+/).filter((name) => name !== '')));
  return classes;
}

const classKeys = new BoundedMap<string, string[]>(20_000);

/** The keys of a list of classes. */
function keysOfClasses(value: string): string[] {
  let keys = classKeys.get(value);
  if (!keys) {
    const names = new Set(classesOf(value.toLowerCase()));
    keys = [...names].map((name) => `.${name}`);
    classKeys.set(value, keys);
  }
  return keys;
}

const none: string[] = [];

/** The keys of one kind that an element carries: `.` classes, `#` its ID, `[` attributes, or its tag. */
export function keysOfKind(element: Element, kind: string): string[] {
  if (kind === '') return [element.tagName.toLowerCase()];
  if (kind === '[') return element.attrs.map(({ name }) => `[${name.toLowerCase()}`);
  for (const { name, value } of element.attrs) {
    if (kind === '.' && name === 'class') return keysOfClasses(value);
    if (kind === '#' && name === 'id') return [`#${value.toLowerCase()}`];
  }
  return none;
}

/** All keys that an element carries, and `*`. */
export const elementKeys = (element: Element): string[] => [
  '*',
  ...['', '[', '#', '.'].flatMap((kind) => keysOfKind(element, kind)),
];
