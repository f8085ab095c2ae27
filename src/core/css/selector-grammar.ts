import type { CssNode, Selector as SelectorNode } from 'css-tree';
import { TextError } from '../place.js';
import tables from './browser-tables.json' with { type: 'json' };
import { tokensOf } from './selector-text.js';

/** Pseudo-elements that CSS 2 wrote with one colon. */
export const legacyPseudoElements = ['before', 'after', 'first-line', 'first-letter'];

const after: Record<string, string[]> = tables.afterPseudoElements;

/** The name of a pseudo-element, in either form; null for any other node. */
function pseudoElementOf(node: CssNode): string | null {
  if (node.type === 'PseudoElementSelector') return node.name.toLowerCase();
  const isLegacy = node.type === 'PseudoClassSelector' && legacyPseudoElements.includes(node.name.toLowerCase());
  return isLegacy ? node.name.toLowerCase() : null;
}

const offsetOf = (node: CssNode) => node.loc?.start.offset ?? 0;

/**
 * Checks the order of the parts of a complex selector (Selectors 4, section 17, grammar; css-tree reads them in any order):
 * combinators stand between compounds, a type comes first, nothing but what Chromium takes follows a pseudo-element.
 * `relative`: it may begin with a combinator, as in `:has()` and in nested rules. `forgiving`: as in a site's stylesheet,
 * where `:is()` and `:where()` stand for nothing after a pseudo-element. Throws TextError.
 */
export function checkOrder(selector: SelectorNode, relative: boolean, forgiving = false): void {
  const nodes = selector.children.toArray();
  let [previous, pseudoElement]: [CssNode | null, string | null] = [null, null];
  for (const node of nodes) {
    const atStart = previous === null || previous.type === 'Combinator';
    if (node.type === 'Combinator') {
      if (atStart && !(relative && previous === null && node.name.trim() !== ''))
        throw new TextError(
          previous === null
            ? `A selector cannot begin with "${node.name}"`
            : `"${node.name}" follows another combinator`,
          offsetOf(node),
          'Write a selector before it, or remove it.',
        );
      if (node.name.length > 1) throw new TextError(`"${node.name}" is not a combinator`, offsetOf(node));
      if (pseudoElement !== null)
        throw new TextError(
          `Nothing can be selected below ::${pseudoElement}`,
          offsetOf(node),
          'It has no elements inside.',
        );
    } else if (node.type === 'TypeSelector' && !atStart)
      throw new TextError(`"${node.name}" must come first`, offsetOf(node), 'Put a space or a combinator before it.');
    else if (pseudoElement !== null) {
      const own = pseudoElementOf(node);
      const text = own !== null ? `::${own}` : node.type === 'PseudoClassSelector' ? `:${node.name.toLowerCase()}` : '';
      // A forgiving list is left empty rather than invalid there.
      const isLeftEmpty = forgiving && pseudoElement !== 'slotted' && /^:(is|where)$/.test(text);
      const allowed = after[pseudoElement] ?? [];
      if ((!allowed.includes(text) && !isLeftEmpty) || (text === ':not' && !holdsOnly(node, allowed)))
        throw new TextError(`Browsers allow nothing of this kind after ::${pseudoElement}`, offsetOf(node));
    }
    pseudoElement = pseudoElementOf(node) ?? pseudoElement;
    previous = node;
  }
  if (previous?.type === 'Combinator')
    throw new TextError(
      `Nothing follows "${previous.name.trim() || previous.name}"`,
      offsetOf(previous),
      'Write a selector after it, or remove it.',
    );
  if (previous === null) throw new TextError('The selector is empty', offsetOf(selector));
}

/** Whether the arguments of `:not()` are made of pseudo-classes that may stand where it does. */
function holdsOnly(node: CssNode, allowed: string[]): boolean {
  const list = node.type === 'PseudoClassSelector' ? node.children?.first : null;
  if (list?.type !== 'SelectorList') return false;
  return list.children
    .toArray()
    .every(
      (each) =>
        each.type === 'Selector' &&
        each.children
          .toArray()
          .every((part) => part.type === 'PseudoClassSelector' && allowed.includes(`:${part.name.toLowerCase()}`)),
    );
}

/** Pseudo-classes that need an argument, and what it must look like as text. */
const needsArgument: Record<string, RegExp> = {
  ...Object.fromEntries(['has', 'is', 'not', 'where', 'host-context', '-webkit-any'].map((name) => [name, /^/])),
  ...Object.fromEntries(['child', 'last-child', 'of-type', 'last-of-type'].map((name) => [`nth-${name}`, /\S/])),
  dir: /^\s*[\w-]+\s*$/,
  state: /^\s*[\w-]+\s*$/,
  // Chromium takes neither strings nor lists.
  lang: /^\s*[\w-]+\s*$/,
};
/** Pseudo-elements with an argument. */
const pseudoElementArguments: Record<string, RegExp> = {
  part: /^\s*[\w-]+(\s+[\w-]+)*\s*$/,
  highlight: /^\s*[\w-]+\s*$/,
  slotted: /^\s*(?!.*::)(?=\S)\*?[^\s,>+~|*]*\s*$/,
  cue: /^/,
};

/** Checks that a pseudo-class or pseudo-element has an argument where it needs one, and none elsewhere. Throws TextError. */
export function checkArgument(node: CssNode, text: string): void {
  if (node.type !== 'PseudoClassSelector' && node.type !== 'PseudoElementSelector') return;
  const isElement = node.type === 'PseudoElementSelector';
  const name = node.name.toLowerCase();
  const table = isElement ? pseudoElementArguments : needsArgument;
  const form = Object.hasOwn(table, name) ? table[name] : undefined;
  const shown = `${isElement ? '::' : ':'}${node.name}`;
  const argument = node.children === null ? null : (/\(([^]*)\)$/.exec(text)?.[1] ?? '');
  const isOptional = name === 'host' || name === 'cue';
  if (argument === null ? form !== undefined && !isOptional : form === undefined && !isOptional)
    throw new TextError(
      argument === null ? `"${shown}" needs an argument` : `"${shown}" takes no argument`,
      offsetOf(node),
    );
  if (argument !== null && form && !form.test(argument.replace(/\\./g, 'x')))
    throw new TextError(`"${argument.trim()}" is not a valid argument of ${shown}()`, offsetOf(node));
}

/** Checks a selector and every selector in its arguments. Throws TextError. */
export function checkOrderWithin(selector: SelectorNode, relative: boolean, forgiving = false): void {
  checkOrder(selector, relative, forgiving);
  for (const node of selector.children.toArray()) {
    if (node.type !== 'PseudoClassSelector' || !node.children) continue;
    const name = node.name.toLowerCase();
    for (const child of node.children.toArray()) {
      // What is invalid in a forgiving list is left out of it (Selectors 4, 18.1).
      if (child.type === 'SelectorList' && !/^(is|where|-webkit-any)$/.test(name))
        for (const each of child.children.toArray())
          if (each.type === 'Selector') checkOrderWithin(each, name === 'has', forgiving);
      if (child.type === 'Nth' && child.selector?.type === 'SelectorList') {
        if (!/^nth-(last-)?child$/.test(name))
          throw new TextError(
            `":${name}()" takes no "of"`,
            offsetOf(child),
            `Use :${name.replace('of-type', 'child')}().`,
          );
        for (const each of child.selector.children.toArray())
          if (each.type === 'Selector') checkOrderWithin(each, false, forgiving);
      }
    }
  }
}

/** The bracket that closes each kind. */
const closing: Record<string, string> = { '(': ')', '[': ']', '{': '}' };

/** A text with the strings, brackets and comments closed that are open at its end, as CSS reads it (CSS Syntax 3, 4.3). */
export function closedAtEnd(text: string): string {
  const open: string[] = [];
  for (let at = 0; at < text.length; at++) {
    const character = text[at] ?? '';
    if (character === '\\') {
      if (at === text.length - 1) return `${text.slice(0, -1)}\ufffd${open.reverse().join('')}`;
      at++;
    } else if (text.startsWith('/*', at)) {
      const end = text.indexOf('*/', at + 2);
      if (end < 0) return `${text}*/${open.reverse().join('')}`;
      at = end + 1;
    } else if (character === '"' || character === "'") {
      const end = stringEnd(text, at + 1, character);
      if (end < 0) return `${text}${character}${open.reverse().join('')}`;
      at = end;
    } else if (closing[character]) open.push(closing[character]);
    else if (character === open.at(-1)) open.pop();
  }
  return text + open.reverse().join('');
}

function stringEnd(text: string, from: number, quote: string): number {
  for (let at = from; at < text.length; at++) {
    if (text[at] === '\\') at++;
    else if (text[at] === quote) return at;
  }
  return -1;
}

/** A text in which forgiving lists hold only arms that `isValid` takes; `nothing` stands for an empty one. */
export function withoutInvalidArms(text: string, isValid: (arm: string) => boolean, nothing: string): string {
  const tokens = tokensOf(text);
  const list = tokens.findIndex(
    (token, at) => /^(?:is|where|-webkit-any)\($/i.test(token.text) && tokens[at - 1]?.text === ':',
  );
  const name = tokens[list];
  if (!name) return text;
  const from = name.start + name.text.length;
  const commas: number[] = [from - 1];
  const open: string[] = [];
  let end = text.length;
  for (let at = from; at < text.length; at++) {
    const character = text[at] ?? '';
    if (character === '\\') at++;
    else if (character === '"' || character === "'") at = Math.max(at, stringEnd(text, at + 1, character));
    else if (closing[character]) open.push(closing[character]);
    else if (character === open.at(-1)) open.pop();
    else if (character === ')' && open.length === 0) {
      end = at;
      break;
    } else if (character === ',' && open.length === 0) commas.push(at);
  }
  const arms = commas.map((comma, index) => text.slice(comma + 1, commas[index + 1] ?? end));
  const kept = arms.map((arm) => withoutInvalidArms(arm, isValid, nothing)).filter(isValid);
  const valid = kept.length > 0 ? `:${name.text}${kept.join(',')})` : nothing;
  return text.slice(0, name.start - 1) + valid + withoutInvalidArms(text.slice(end + 1), isValid, nothing);
}
