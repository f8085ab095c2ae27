import escapeHtml from 'escape-html';
import { defaultTreeAdapter, parseFragment, serialize } from 'parse5';
import type { Action, FileUse } from '../action/action.js';
import { compiledAction } from '../action/compile.js';
import { actionKind } from '../action/index.js';
import type { ActionTask } from '../action/kind.js';
import {
  elementsIn,
  lineageOf,
  parentOf,
  readDocument,
  type Element,
  type PageDocument,
  type PageLocation,
} from '../page/document.js';
import { currentPathOf } from '../page/location.js';
import type { Rule } from '../rule/rule.js';
import type { ShippedRule } from './shipment.js';

/** A part of a page's source and what stands there instead; offsets count UTF-16 units. */
export interface SourceEdit {
  start: number;
  end: number;
  text: string;
}

/** What of a page's rules is written into its HTML. */
export interface StaticSwaps {
  edits: SourceEdit[];
  /** The actions that need no script any more. */
  done: ReadonlySet<Action>;
}

/** New attributes (null: removed) and contents of an element. */
interface Change {
  attributes: Map<string, string | null>;
  contents: { text: string } | { html: string } | null;
}

const nothing: StaticSwaps = { edits: [], done: new Set() };

/**
 * Writes what local-needle.js would do to the elements of a page into its source: texts, pictures, fragments, and
 * `aria-current` of marked links. An action stays with the script where its element is not in the source: the rule says
 * `added-by: script`, or nothing matches. What was written is parsed and held against the elements, changed as the script
 * changes them; where a difference remains, the whole page stays with the script. `ascii`: with references for all else.
 */
export function staticSwaps(
  html: string,
  rules: readonly ShippedRule[],
  locate: (document: PageDocument) => PageLocation | null,
  served: (file: FileUse) => string,
  ascii: boolean,
): StaticSwaps {
  const tasks = tasksOf(rules, served);
  if (tasks.length === 0) return nothing;
  const document = { ...readDocument(html, true) };
  document.location = locate(document);
  const changes = new Map<Element, Change>();
  const done = new Set<Action>();
  for (const each of tasks) {
    const { rule, action, task } = each;
    const elements = rule.addedByScript ? [] : elementsOf(each, document);
    if (elements.length === 0 || elements.some((element) => !isWritable(element, task))) continue;
    for (const element of elements) addTask(changes, element, task, document);
    done.add(action);
  }
  if (done.size === 0) return nothing;
  // What is inside of new contents is gone.
  const isGone = (element: Element) =>
    lineageOf(element)
      .slice(1)
      .some((outer) => changes.get(outer)?.contents);
  const left = [...changes].filter(([element]) => !isGone(element));
  const edits = left
    .flatMap(([element, change]) => editsOf(element, change, html, ascii))
    .sort((a, b) => a.start - b.start);
  const written = readDocument(edited(html, edits));
  for (const [element, change] of left) applyTo(element, change);
  return serialize(written.root) === serialize(document.root) ? { edits, done } : nothing;
}

interface WritableTask {
  rule: Rule;
  action: Action;
  task: ActionTask;
}

/** What the script would do to elements of a page, action by action in shipping order. */
function tasksOf(rules: readonly ShippedRule[], served: (file: FileUse) => string): WritableTask[] {
  return rules.flatMap(({ rule, actions }) => {
    // An action that marks links is there for each address.
    const own = [...new Set(actions.map(({ action }) => action))];
    return own.flatMap((action): WritableTask[] => {
      const task = actionKind(action).task(action, [], served);
      return task && !task.script && task.sheet === undefined ? [{ rule, action, task }] : [];
    });
  });
}

function elementsOf({ rule, action, task }: WritableTask, document: PageDocument): Element[] {
  const { match, rules } = compiledAction(rule, action);
  // Of links those that lead to the page itself.
  const selectors = task.current ? rules.flatMap((each) => each.selectors) : [];
  return task.current
    ? document.elements.filter((element) => selectors.some(({ matches }) => matches(document, element)))
    : (match?.(document) ?? []);
}

/** Elements that have a `src` in the DOM. */
const withSource = new Set(['img', 'input', 'source', 'script', 'iframe', 'video', 'audio', 'embed', 'track']);
/** Elements whose contents are no markup, or that have none (HTML Standard 13.1.2). */
const unwritable = new Set(
  'script style textarea title iframe noscript template plaintext area base br col embed hr img input link meta source track wbr'.split(
    ' ',
  ),
);

/** The contents that a task gives to an element; null: it keeps its own. */
function contentsOf(element: Element, task: ActionTask): Change['contents'] {
  if (task.image !== undefined && !withSource.has(element.tagName)) return { html: '<img>' };
  if (task.html !== undefined) return { html: task.html };
  return task.text === undefined ? null : { text: task.text };
}

/** Whether the source has tags to write into. */
function isWritable(element: Element, task: ActionTask): boolean {
  const isPlaced = (each: Element) => Boolean(each.sourceCodeLocation?.startTag ?? each.sourceCodeLocation?.attrs);
  const sources = task.image === undefined ? [] : pictured(element);
  const hasContents = contentsOf(element, task) !== null;
  return [element, ...sources].every(isPlaced) && !(hasContents && unwritable.has(element.tagName));
}

/** The elements whose `srcset` a new picture makes void. */
function pictured(element: Element): Element[] {
  const picture = lineageOf(element).find(({ tagName }) => tagName === 'picture');
  return picture ? elementsIn(picture, 'img', 'source').filter((each) => parentOf(each) === picture) : [element];
}

/** Adds what a task changes, as `change` in runtime.ts does it. */
function addTask(changes: Map<Element, Change>, element: Element, task: ActionTask, document: PageDocument): void {
  const changeOf = (each: Element) => {
    const change = changes.get(each) ?? { attributes: new Map<string, string | null>(), contents: null };
    changes.set(each, change);
    return change;
  };
  const change = changeOf(element);
  const contents = contentsOf(element, task);
  if (contents && task.image !== undefined && !withSource.has(element.tagName)) {
    const alt = task.alt === undefined ? '' : ` alt="${escapeHtml(task.alt)}"`;
    change.contents = { html: `<img src="${escapeHtml(task.image)}"${alt}>` };
    return;
  }
  if (contents) change.contents = contents;
  if (task.image !== undefined) {
    for (const each of pictured(element)) changeOf(each).attributes.set('srcset', null);
    change.attributes.set('src', task.image);
  }
  if (task.alt !== undefined) change.attributes.set('alt', task.alt);
  if (task.current) {
    const isOwn = currentPathOf(document, element, false) !== null;
    change.attributes.set('aria-current', isOwn ? 'page' : 'true');
  }
}

/** The edits that give an element its new attributes and contents. */
function editsOf(element: Element, { attributes, contents }: Change, source: string, ascii: boolean): SourceEdit[] {
  const location = element.sourceCodeLocation;
  if (!location) return [];
  const tag = location.startTag ?? location;
  const safe = (text: string) => (ascii ? text.replace(beyondAscii, reference) : text);
  const edits: SourceEdit[] = [];
  let added = '';
  for (const [name, value] of attributes) {
    const place = location.attrs?.[name];
    const text = value === null ? '' : `${name}="${safe(escapeHtml(value))}"`;
    if (!place) added += text && ` ${text}`;
    else {
      const isSpaced = value === null && /\s/.test(source.charAt(place.startOffset - 1));
      edits.push({ start: place.startOffset - (isSpaced ? 1 : 0), end: place.endOffset, text });
    }
  }
  const nameEnd = tag.startOffset + 1 + element.tagName.length;
  if (added !== '') edits.push({ start: nameEnd, end: nameEnd, text: added });
  if (contents) {
    const text = 'text' in contents ? safe(escapeHtml(contents.text)) : safe(contents.html);
    const end = location.endTag?.startOffset ?? location.endOffset;
    edits.push({ start: tag.endOffset, end, text });
  }
  return edits;
}

const beyondAscii = /[^\0-\x7f]/gu;
const reference = (character: string) => `&#x${character.codePointAt(0)?.toString(16)};`;

/** Changes an element of a tree as the script changes it on the page; new attributes come first. */
function applyTo(element: Element, { attributes, contents }: Change): void {
  const added: Element['attrs'] = [];
  for (const [name, value] of attributes) {
    const known = element.attrs.find((each) => each.name === name);
    if (value === null) element.attrs = element.attrs.filter((each) => each !== known);
    else if (known) known.value = value;
    else added.push({ name, value });
  }
  element.attrs.unshift(...added);
  if (!contents) return;
  element.childNodes = [];
  if ('text' in contents) {
    if (contents.text !== '') defaultTreeAdapter.insertText(element, contents.text);
    return;
  }
  for (const node of parseFragment(element, contents.html, {}).childNodes)
    defaultTreeAdapter.appendChild(element, node);
}

/** A source with all edits made; they must not overlap and stand in their order. */
export function edited(source: string, edits: readonly SourceEdit[]): string {
  let [result, at] = ['', 0];
  for (const { start, end, text } of edits) {
    result += source.slice(at, start) + text;
    at = end;
  }
  return result + source.slice(at);
}
