import { BoundedMap } from '../../bounded-map.js';
import { generate, lexer, parse, type CssNode } from 'css-tree';
import tables from '../browser-tables.json' with { type: 'json' };
import { longhandsOf, wideKeywords } from '../declaration.js';

const initial = tables.initial as Record<string, string>;

/** The initial value of a longhand, as Chromium computes it; empty for custom properties. */
export const initialOf = (longhand: string) => (Object.hasOwn(initial, longhand) ? (initial[longhand] ?? '') : '');

/**
 * The value that a declaration gives to one of its longhands (CSS Cascading 5, 2: shorthands), as text; null if this is
 * not known (`grid`, `mask` and the like).
 */
export function longhandValue(name: string, value: string, longhand: string): string | null {
  const longhands = longhandsOf(name);
  if (longhands.length <= 1 && name !== 'all') return value;
  if (wideKeywords.includes(value.trim().toLowerCase())) return value.trim().toLowerCase();
  const key = `${name}:${value}`;
  let expanded = known.get(key);
  if (expanded === undefined) {
    expanded = expand(name, value, longhands);
    known.set(key, expanded);
  }
  return expanded?.get(longhand) ?? null;
}

const known = new BoundedMap<string, Map<string, string> | null>(50_000);

type Expansion = Map<string, string>;

function expand(name: string, value: string, longhands: string[]): Expansion | null {
  let tree: CssNode;
  try {
    tree = parse(value, { context: 'value' });
  } catch {
    return null;
  }
  if (tree.type !== 'Value') return null;
  const parts = tree.children.toArray().filter((node) => node.type !== 'WhiteSpace');
  const texts = parts.map((node) => generate(node));
  if (Object.hasOwn(special, name)) return special[name]?.(texts, longhands) ?? null;
  if (/^(margin|padding|inset|border-(width|style|color)|scroll-(margin|padding))$/.test(name))
    return box(texts, longhands);
  if (longhands.length === 2 && !texts.includes('/') && !/^(column|text)/.test(name)) return pair(texts, longhands);
  return byGrammar(name, tree, longhands);
}

/** One to four values for top, right, bottom and left. */
function box(texts: string[], longhands: string[]): Expansion {
  const [top = '', right = top, bottom = top, left = right] = texts;
  return new Map([top, right, bottom, left].map((text, index) => [longhands[index] ?? '', text]));
}

function pair(texts: string[], [first = '', second = '']: string[]): Expansion | null {
  if (texts.length > 2) return null;
  const [one = '', two = one] = texts;
  return new Map([
    [first, one],
    [second, two],
  ]);
}

const startsWithInitial = (longhands: string[]): Expansion => new Map(longhands.map((each) => [each, initialOf(each)]));

const whiteSpaces: Record<string, [collapse: string, wrap: string]> = {
  normal: ['collapse', 'wrap'],
  nowrap: ['collapse', 'nowrap'],
  pre: ['preserve', 'nowrap'],
  'pre-wrap': ['preserve', 'wrap'],
  'pre-line': ['preserve-breaks', 'wrap'],
  'break-spaces': ['break-spaces', 'wrap'],
};

/** Shorthands whose parts cannot be known by their grammar alone. */
const special: Record<string, (texts: string[], longhands: string[]) => Expansion | null> = {
  flex(texts, longhands) {
    const [grow = '', shrink = '', basis = ''] = longhands;
    const make = (a: string, b: string, c: string) =>
      new Map([
        [grow, a],
        [shrink, b],
        [basis, c],
      ]);
    if (texts.join() === 'none') return make('0', '0', 'auto');
    const numbers = texts.filter((text) => /^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?$/i.test(text));
    const others = texts.filter((text) => !numbers.includes(text));
    // The third number of `1 1 0` is the basis.
    const last = numbers.length === 3 ? numbers.pop() : undefined;
    return make(numbers[0] ?? '1', numbers[1] ?? '1', last ?? others[0] ?? '0%');
  },
  'white-space'(texts, [collapse = '', wrap = '']) {
    const both = whiteSpaces[texts.join(' ').toLowerCase()];
    return both
      ? new Map([
          [collapse, both[0]],
          [wrap, both[1]],
        ])
      : null;
  },
  'border-radius'(texts, longhands) {
    const slash = texts.indexOf('/');
    const across = [...box(slash < 0 ? texts : texts.slice(0, slash), longhands).values()];
    const down = slash < 0 ? across : [...box(texts.slice(slash + 1), longhands).values()];
    return new Map(
      longhands.map((each, index) => [
        each,
        across[index] === down[index] ? (across[index] ?? '') : `${across[index]} ${down[index]}`,
      ]),
    );
  },
  font(texts, longhands) {
    const sized = /^[\d.+-]|^(calc|min|max|clamp)\(|^(xx?x?-small|small|medium|large|xx?x?-large|smaller|larger)$/i;
    const isWeight = (text: string) => /^(bold|bolder|lighter|[1-9]\d{0,3}(\.\d+)?)$/i.test(text);
    let size = texts.findIndex(
      (text, index) => sized.test(text) && !(isWeight(text) && index < texts.length - 2 && /^\d/.test(text)),
    );
    if (size < 0) return null;
    if (texts.slice(0, size).some((text) => /^(inherit|initial)$/i.test(text))) size = -1;
    const result = startsWithInitial(longhands);
    for (const text of texts.slice(0, size)) {
      const word = text.toLowerCase();
      if (isWeight(text)) result.set('font-weight', text);
      else if (/^(italic|oblique)/.test(word)) result.set('font-style', text);
      else if (word === 'small-caps') result.set('font-variant-caps', text);
      else if (/condensed|expanded/.test(word)) result.set('font-stretch', text);
    }
    result.set('font-size', texts[size] ?? '');
    const slash = texts[size + 1] === '/';
    if (slash) result.set('line-height', texts[size + 2] ?? '');
    result.set(
      'font-family',
      texts
        .slice(size + (slash ? 3 : 1))
        .join(' ')
        .replace(/ , ?/g, ', '),
    );
    return result;
  },
  background(texts, longhands) {
    const layers: string[][] = [[]];
    for (const text of texts) {
      if (text === ',') layers.push([]);
      else layers[layers.length - 1]?.push(text);
    }
    const expanded = layers.map((layer) => backgroundLayer(layer.join(' '), longhands));
    const last = expanded[expanded.length - 1];
    if (!last || expanded.includes(null)) return null;
    return new Map(
      longhands.map((each) => [
        each,
        each === 'background-color'
          ? (last.get(each) ?? '')
          : expanded.map((layer) => layer?.get(each) ?? '').join(', '),
      ]),
    );
  },
  animation(texts, longhands) {
    if (texts.includes(',')) return null;
    const result = startsWithInitial(longhands);
    const times: string[] = [];
    for (const text of texts) {
      const word = text.toLowerCase();
      if (/^[+-]?[\d.]+m?s$/.test(word)) times.push(word);
      else if (/^(linear|ease|ease-in|ease-out|ease-in-out|step-start|step-end)$|\(/.test(word))
        result.set('animation-timing-function', word);
      else if (/^(infinite|[\d.]+)$/.test(word)) result.set('animation-iteration-count', word);
      else if (/^(normal|reverse|alternate|alternate-reverse)$/.test(word)) result.set('animation-direction', word);
      else if (/^(forwards|backwards|both)$/.test(word)) result.set('animation-fill-mode', word);
      else if (/^(running|paused)$/.test(word)) result.set('animation-play-state', word);
      else result.set('animation-name', text);
    }
    result.set('animation-duration', times[0] ?? '0s');
    result.set('animation-delay', times[1] ?? '0s');
    return result;
  },
};

function backgroundLayer(text: string, longhands: string[]): Expansion | null {
  const result = startsWithInitial(longhands);
  const boxes: string[] = [];
  const found = walkMatch('background', text, (type, name, part) => {
    const set = (longhand: string) => (result.set(longhand, part), true);
    if (type === 'Property' && name === 'background-color') return set(name);
    if (type !== 'Type') return false;
    if (name === 'bg-image') return set('background-image');
    if (name === 'repeat-style') return set('background-repeat');
    if (name === 'attachment') return set('background-attachment');
    if (name === 'bg-size') return set('background-size');
    if (name === 'bg-position') {
      const [x, y] = position(part);
      result.set('background-position-x', x).set('background-position-y', y);
      return true;
    }
    if (!/box/.test(name)) return false;
    boxes.push(part);
    return true;
  });
  if (!found) return null;
  if (boxes[0] !== undefined) result.set('background-origin', boxes[0]).set('background-clip', boxes[1] ?? boxes[0]);
  return result;
}

/** `<bg-position>` as its two longhands. */
function position(text: string): [x: string, y: string] {
  const words = text.toLowerCase().split(/\s+/);
  const [first = '', second] = words;
  if (words.length === 1) return /^(top|bottom)$/.test(first) ? ['center', first] : [first, 'center'];
  if (words.length === 2) {
    const swapped = /^(top|bottom)$/.test(first) || /^(left|right)$/.test(second ?? '');
    return swapped ? [second ?? '', first] : [first, second ?? ''];
  }
  return [text, text];
}

/** Finds, of each part of a value, which longhand it is for, by css-tree's grammar of the shorthand. */
function byGrammar(name: string, tree: CssNode, longhands: string[]): Expansion | null {
  if (
    !/^(border(-(top|right|bottom|left|block|inline)(-(start|end))?)?|outline|column-rule|columns|list-style|text-decoration|text-emphasis)$/.test(
      name,
    )
  )
    return null;
  const result = startsWithInitial(longhands);
  const byType: Record<string, RegExp> = { 'line-width': /-width$/, 'line-style': /-style$/, color: /-color$/ };
  const found = walkMatch(name, generate(tree), (type, part, text) => {
    const own = type === 'Property' ? longhands.filter((each) => each === part) : [];
    const pattern = type === 'Type' ? byType[part] : undefined;
    const targets = pattern ? longhands.filter((each) => pattern.test(each) && !each.startsWith('border-image')) : own;
    for (const each of targets) result.set(each, text);
    return targets.length > 0;
  });
  return found ? result : null;
}

interface Match {
  syntax?: { type: string; name?: string } | null;
  match?: Match[];
  token?: string;
}

/** Walks what css-tree matched of a value; `visit` returns true where it took a part. False where nothing matched. */
function walkMatch(
  property: string,
  value: string,
  visit: (type: string, name: string, text: string) => boolean,
): boolean {
  const { matched } = lexer.matchProperty(property, value) as { matched: Match | null };
  if (!matched) return false;
  const text = (node: Match): string => node.token ?? (node.match ?? []).map(text).join(' ').replace(/\( /g, '(');
  const walk = (node: Match): void => {
    if (node.syntax?.name && node.syntax.name !== property && visit(node.syntax.type, node.syntax.name, text(node)))
      return;
    node.match?.forEach(walk);
  };
  walk(matched);
  return true;
}
