import { generate, parse } from 'css-tree';
import { declarationFault, isDoubtful } from '../declaration.js';
import { valueLexer } from '../value-definitions.js';
import { wordsOf } from './items.js';

/** The values that a shorthand gives to its longhands, as text. */
export type Expansion = Map<string, string>;

/** Expands the parts of a shorthand's value; null if it cannot tell which part is for which longhand. */
type Expand = (texts: string[], longhands: string[]) => Expansion | null;

/** A part of a shorthand. */
interface Part {
  /** The longhand, or the longhands that take it alike. */
  sets: string[];
  /** Whether a text is such a part. */
  takes: (text: string) => boolean;
  /** The most texts that it has; one if left out. */
  most?: number;
  /** It follows the part for this longhand and a slash; a slash alone if empty. */
  after?: string;
  /** Its longhands' values; the text itself if left out. */
  split?: (text: string) => string[];
}

/** The parts of a value, without spaces; null if css-tree cannot read it. */
export function textsOf(value: string): string[] | null {
  try {
    const tree = parse(value, { context: 'value' });
    if (tree.type !== 'Value') return null;
    const nodes = tree.children.toArray().filter(({ type }) => type !== 'WhiteSpace' && type !== 'Comment');
    return nodes.map((node) => generate(node).trim());
  } catch {
    return null;
  }
}

const isType = (type: string) => (text: string) => !valueLexer().matchType(type, text).error;

/** Whether a longhand takes a value, by the grammar where the browser alone knows all. */
const isOf = (longhand: string) => (text: string) =>
  isDoubtful(longhand, text)
    ? !valueLexer().matchProperty(longhand, text).error
    : declarationFault(longhand, text) === null;

/** Parts of one or more texts, by the values that their longhands take: `mask-size 2`, `mask-mode`. */
const partsFor = (...longhands: string[]): Part[] =>
  longhands.map((each) => {
    const [name = '', most] = each.split(' ');
    return { sets: [name], takes: isOf(name), most: Number(most ?? 1) };
  });

const oneOf = (words: string) => {
  const list = words.split(' ');
  return (text: string) => list.includes(text.toLowerCase());
};

const set = (...entries: [longhand: string, value: string][]) => new Map(entries);

/** The texts between separators. */
function separated(texts: string[], separator: string): string[][] {
  const groups: string[][] = [[]];
  for (const text of texts) {
    if (text === separator) groups.push([]);
    else groups[groups.length - 1]?.push(text);
  }
  return groups;
}

const slashed = (texts: string[]) => separated(texts, '/');

/** Takes the parts of a value, the longest first, each once, as browsers do; null if a text is left over. */
function partsIn(texts: string[], parts: Part[], isOrdered: boolean): Expansion | null {
  const result: Expansion = new Map();
  const taken = new Set<Part>();
  let last: Part | undefined;
  let at = 0;
  while (at < texts.length) {
    const isBehindSlash = texts[at] === '/';
    if (isBehindSlash) at++;
    let length = 0;
    const part = parts.find((each) => {
      if (taken.has(each) || each.after !== (isBehindSlash ? (last?.sets[0] ?? '') : undefined)) return false;
      for (length = Math.min(each.most ?? 1, texts.length - at); length > 0; length--)
        if (each.takes(texts.slice(at, at + length).join(' '))) return true;
      return false;
    });
    if (!part) return null;
    const text = texts.slice(at, at + length).join(' ');
    const values = part.split?.(text);
    part.sets.forEach((longhand, index) => result.set(longhand, values?.[index] ?? text));
    for (const each of isOrdered ? parts.slice(0, parts.indexOf(part) + 1) : [part]) taken.add(each);
    last = part;
    at += length;
  }
  return result;
}

/** Parts in any order; what is missing is left out. */
const anyOrder =
  (...parts: Part[]): Expand =>
  (texts) =>
    partsIn(texts, parts, false);

const inOrder =
  (...parts: Part[]): Expand =>
  (texts) =>
    partsIn(texts, parts, true);

/** What an expansion adds to another. */
const then =
  (first: Expand, add: (found: Expansion, texts: string[]) => Expansion | undefined): Expand =>
  (texts, longhands) => {
    const found = first(texts, longhands);
    if (!found) return null;
    for (const [longhand, value] of add(found, texts) ?? []) found.set(longhand, value);
    return found;
  };

/**
 * Layers with commas between them; each longhand gets a list, in which `initial` tells what a layer without the part has. A
 * longhand in `once` has one value, which is the last layer's; one in `reset` has its initial value.
 */
const layers =
  (
    each: Expand,
    initial: (longhand: string) => string,
    { once = [] as string[], reset = [] as string[] } = {},
  ): Expand =>
  (texts, longhands) => {
    const groups = separated(texts, ',');
    const expanded = groups.flatMap((group) => each(group, longhands) ?? []);
    if (expanded.length < groups.length) return null;
    return new Map(
      longhands
        .filter((longhand) => !reset.includes(longhand))
        .map((longhand) => {
          const list = expanded.map((one) => one.get(longhand) ?? initial(longhand));
          return [longhand, once.includes(longhand) ? (list[list.length - 1] ?? '') : list.join(', ')];
        }),
    );
  };

/** One to four values for four sides or corners. */
export const fourSides: Expand = (texts, longhands) => {
  const [top = '', right = top, bottom = top, left = right] = texts;
  return texts.length > 4 ? null : new Map([top, right, bottom, left].map((text, at) => [longhands[at] ?? '', text]));
};

/** One or two values, of several words each. */
export const twoSides: Expand = (texts, longhands) => {
  const [first = '', second = ''] = longhands;
  const whole = texts.join(' ');
  if (isOf(first)(whole)) return set([first, whole], [second, whole]);
  for (let length = texts.length - 1; length > 0; length--) {
    const [one, two] = [texts.slice(0, length).join(' '), texts.slice(length).join(' ')];
    if (isOf(first)(one) && isOf(second)(two)) return set([first, one], [second, two]);
  }
  return null;
};

/** One value for all. */
const alike: Expand = (texts, longhands) => new Map(longhands.map((each) => [each, texts.join(' ')]));

const corners: Expand = (texts, longhands) => {
  const [across = [], down] = slashed(texts);
  const [horizontal, vertical] = [fourSides(across, longhands), fourSides(down ?? across, longhands)];
  if (!horizontal || !vertical) return null;
  return new Map(
    longhands.map((each) => {
      const [x, y] = [horizontal.get(each) ?? '', vertical.get(each) ?? ''];
      return [each, x === y ? x : `${x} ${y}`];
    }),
  );
};

const lineParts = (prefixes: string[]): Part[] =>
  ['width', 'style', 'color'].map((kind) => {
    const sets = prefixes.map((prefix) => `${prefix}-${kind}`);
    return { sets, takes: isOf(sets[0] ?? '') };
  });

const sides = (...names: string[]) => anyOrder(...lineParts(names.map((name) => `border-${name}`)));

/** `<position>` and `<bg-position>` as horizontal and vertical (CSS Values 4, 9.5). */
export function positionParts(text: string): [x: string, y: string] {
  const words = wordsOf(text);
  const [first = '', second = '', third, fourth] = words;
  const isVertical = (word = '') => /^(top|bottom)$/i.test(word);
  const isHorizontal = (word = '') => /^(left|right)$/i.test(word);
  if (words.length === 1) return isVertical(first) ? ['center', first] : [first, 'center'];
  if (words.length === 2) return isVertical(first) || isHorizontal(second) ? [second, first] : [first, second];
  // With offsets: `right 10px center`, `center bottom 10px`, `top 1px left 2px`.
  const isEdge = (word = '') => /^(left|right|top|bottom|center)$/i.test(word);
  const pairs: string[] = [];
  for (const word of [first, second, third, fourth]) {
    if (word === undefined) continue;
    if (isEdge(word)) pairs.push(word);
    else pairs.push(`${pairs.pop() ?? ''} ${word}`.trim());
  }
  const [one = '', two = 'center'] = pairs;
  return isVertical(one.split(' ')[0]) || isHorizontal(two.split(' ')[0]) ? [two, one] : [one, two];
}

const positionPart = (type: string, x: string, y: string): Part => ({
  sets: [x, y],
  takes: isType(type),
  split: positionParts,
  most: 4,
});

const gridLine: Expand = (texts, longhands) => {
  const groups = slashed(texts).map((group) => group.join(' '));
  if (groups.length > longhands.length || groups.includes('')) return null;
  // A name alone stands for the opposite line too (CSS Grid 2, 8.4).
  const opposite = (text: string) => (/^auto$|^span$|\s|^[+-]?\d|\(/i.test(text) ? 'auto' : text);
  const [one = '', two, three, four] = groups;
  if (longhands.length === 2) return set([longhands[0] ?? '', one], [longhands[1] ?? '', two ?? opposite(one)]);
  const column = two ?? opposite(one);
  return new Map(
    [one, column, three ?? opposite(one), four ?? opposite(column)].map((text, at) => [longhands[at] ?? '', text]),
  );
};

const [rows, columns, areas] = ['grid-template-rows', 'grid-template-columns', 'grid-template-areas'] as const;

/** CSS Grid 2, 7.4: names, strings and sizes of rows, then the columns. */
const gridTemplate: Expand = (texts) => {
  const [before = [], after] = slashed(texts);
  const isText = (text: string) => text.startsWith('"') || text.startsWith("'");
  const text = before.join(' ');
  if (!before.some(isText)) return set([rows, text], [columns, after?.join(' ') ?? text], [areas, 'none']);
  const tracks: string[] = [];
  let needsSize = false;
  for (const each of before) {
    if (isText(each)) {
      if (needsSize) tracks.push('auto');
      needsSize = true;
    } else if (each.startsWith('[')) {
      if (needsSize) tracks.push('auto');
      needsSize = false;
      const beside = tracks[tracks.length - 1];
      // Names after one row and before the next are of one line.
      if (beside?.startsWith('[')) tracks[tracks.length - 1] = `${beside.slice(0, -1)} ${each.slice(1)}`;
      else tracks.push(each);
    } else {
      tracks.push(each);
      needsSize = false;
    }
  }
  if (needsSize) tracks.push('auto');
  return set([rows, tracks.join(' ')], [columns, after?.join(' ') ?? 'none'], [areas, before.filter(isText).join(' ')]);
};

const grid: Expand = (texts, longhands) => {
  const [before = [], after = []] = slashed(texts);
  const flows = (group: string[]) => group.some((text) => /^auto-flow$/i.test(text));
  const split = (group: string[]) => ({
    dense: group.some((text) => /^dense$/i.test(text)),
    size: group.filter((text) => !/^(auto-flow|dense)$/i.test(text)).join(' ') || 'auto',
  });
  const [none, track] = [
    set([rows, 'none'], [columns, 'none'], [areas, 'none']),
    split(flows(before) ? before : after),
  ];
  if (flows(before))
    return new Map([
      ...none,
      [columns, after.join(' ')],
      ['grid-auto-flow', track.dense ? 'dense' : 'row'],
      ['grid-auto-rows', track.size],
    ]);
  if (flows(after))
    return new Map([
      ...none,
      [rows, before.join(' ')],
      ['grid-auto-flow', track.dense ? 'column dense' : 'column'],
      ['grid-auto-columns', track.size],
    ]);
  return gridTemplate(texts, longhands);
};

/** `source`, `slice / width / outset` and `repeat` of a border image; a part between slashes may be missing. */
const borderImage =
  (prefix: string): Expand =>
  (texts) => {
    const groups = slashed(texts);
    const result: Expansion = new Map();
    let rest = groups[0] ?? [];
    for (const [index, kind] of ['width', 'outset'].entries()) {
      const group = groups[index + 1];
      if (!group) break;
      // Only a number, length or keyword of the width is beside the slash; the rest are other parts.
      const longhand = `${prefix}-${kind}`;
      let length = Math.min(4, group.length);
      while (length > 0 && !isOf(longhand)(group.slice(0, length).join(' '))) length--;
      if (length > 0) result.set(longhand, group.slice(0, length).join(' '));
      rest = [...rest, ...group.slice(length)];
    }
    const others = anyOrder(...partsFor(`${prefix}-source`, `${prefix}-slice 5`, `${prefix}-repeat 2`))(rest, []);
    const slice = others?.get('-webkit-mask-box-image-slice');
    // The old name fills the middle always.
    if (slice !== undefined && !slice.includes('fill')) result.set('-webkit-mask-box-image-slice', `${slice} fill`);
    return others && new Map([...others, ...result]);
  };

const listStyle: Expand = (texts, longhands) => {
  const others = texts.filter((text) => text.toLowerCase() !== 'none');
  const found = anyOrder(...partsFor('list-style-position', 'list-style-image', 'list-style-type'))(others, longhands);
  // "none" is for whichever of image and type has no other value (CSS Lists 3, 3.4).
  if (found && others.length < texts.length && !found.has('list-style-type')) found.set('list-style-type', 'none');
  return found;
};

const flex: Expand = (texts, longhands) => {
  const [grow = '', shrink = '', basis = ''] = longhands;
  if (texts.join().toLowerCase() === 'none') return set([grow, '0'], [shrink, '0'], [basis, 'auto']);
  const isNumber = isType('number');
  const numbers = texts.filter(isNumber);
  const others = texts.filter((text) => !isNumber(text));
  // The third number of `1 1 0` is the basis.
  if (numbers.length === 3) others.push(...numbers.splice(2));
  return set([grow, numbers[0] ?? '1'], [shrink, numbers[1] ?? '1'], [basis, others[0] ?? '0%']);
};

const whiteSpaces: Record<string, [collapse: string, wrap: string]> = {
  normal: ['collapse', 'wrap'],
  nowrap: ['collapse', 'nowrap'],
  pre: ['preserve', 'nowrap'],
  'pre-wrap': ['preserve', 'wrap'],
  'pre-line': ['preserve-breaks', 'wrap'],
  'break-spaces': ['break-spaces', 'wrap'],
};

const whiteSpace: Expand = (texts, longhands) => {
  const both = whiteSpaces[texts.join(' ').toLowerCase()];
  if (both) return set(['white-space-collapse', both[0]], ['text-wrap-mode', both[1]]);
  return anyOrder(...partsFor('white-space-collapse', 'text-wrap-mode'))(texts, longhands);
};

const fontParts: Part[] = [
  ...partsFor('font-style 2'),
  { sets: ['font-variant-caps'], takes: oneOf('small-caps') },
  ...partsFor('font-weight'),
  {
    sets: ['font-stretch'],
    takes: (text) => !text.endsWith('%') && isOf('font-stretch')(text),
  },
];

const font: Expand = (texts) => {
  // All before the size is one word, but for the angle of `oblique`; the size is the first that is none of them.
  const size = texts.findIndex(
    (text, at) =>
      isOf('font-size')(text) &&
      !(isType('number')(text) && text !== '0') &&
      !(/^oblique$/i.test(texts[at - 1] ?? '') && isOf('font-style')(`oblique ${text}`)),
  );
  const before = texts.slice(0, size).filter((text) => !/^normal$/i.test(text));
  const found = size < 0 ? null : anyOrder(...fontParts)(before, []);
  if (!found) return null;
  found.set('font-size', texts[size] ?? '');
  const hasHeight = texts[size + 1] === '/';
  if (hasHeight) found.set('line-height', texts[size + 2] ?? '');
  const families = texts.slice(size + (hasHeight ? 3 : 1)).join(' ');
  return found.set('font-family', families.replace(/ , ?/g, ', '));
};

/** The words of `font-variant`, which may stand among one another. */
const fontVariant: Expand = (texts, longhands) => {
  const result: Expansion = new Map();
  if (/^none$/i.test(texts.join())) return result.set('font-variant-ligatures', 'none');
  for (const text of texts) {
    const longhand = longhands.find((each) => !/^(normal|none)$/i.test(text) && isOf(each)(text));
    if (longhand) result.set(longhand, `${result.get(longhand) ?? ''} ${text}`.trim());
    else if (!/^normal$/i.test(text)) return null;
  }
  return result;
};

const fontSynthesis: Expand = (texts, longhands) =>
  new Map(
    longhands.map((each) => [
      each,
      texts.some((text) => each === `font-synthesis-${text.toLowerCase()}`) ? 'auto' : 'none',
    ]),
  );

/** A range without an end: where it begins with the name of a range, that names its end too (Scroll-driven Animations 1, 4.1). */
const rangeEnd = (start: string, initial: string) => {
  const [name = ''] = start.split(' ');
  return /^[a-z-]+$/i.test(name) && !/^(normal|auto)$/i.test(name) ? name : initial;
};

const range =
  (initial: string): Expand =>
  (texts, [start = '', end = '']) => {
    for (let length = texts.length; length > 0; length--) {
      const [one, two] = [texts.slice(0, length).join(' '), texts.slice(length).join(' ')];
      if (!isOf(start)(one) || (two !== '' && !isOf(end)(two))) continue;
      return set([start, one], [end, two === '' ? rangeEnd(one, initial) : two]);
    }
    return null;
  };

const placed =
  (align: string, justify: string): Expand =>
  (texts) => {
    const whole = texts.join(' ');
    const isBaseline = /\bbaseline$/i.test(whole);
    if (isOf(align)(whole))
      return set([align, whole], [justify, isBaseline && justify === 'justify-content' ? 'start' : whole]);
    return twoSides(texts, [align, justify]);
  };

/** A layer whose first box is its origin, and the area that it is clipped to where no second one is there. */
const boxed = (each: Expand, origin: string, clip: string) =>
  then(each, (found) => {
    const box = found.get(origin);
    if (box === undefined) return found.get(clip) === 'border-area' ? set([origin, 'border-box']) : undefined;
    return found.has(clip) ? undefined : set([clip, box]);
  });

const maskLayer = (isOld: boolean) => {
  const isBox = (text: string) => isType('coord-box')(text) || (isOld && /^(border|padding|content)$/i.test(text));
  const split = (text: string) => [/^(border|padding|content)$/i.test(text) ? `${text}-box` : text];
  return boxed(
    anyOrder(
      ...partsFor('mask-image'),
      positionPart('position', '-webkit-mask-position-x', '-webkit-mask-position-y'),
      { sets: ['mask-size'], takes: isOf('mask-size'), after: '-webkit-mask-position-x', most: 2 },
      ...partsFor('mask-repeat 2'),
      { sets: ['mask-origin'], takes: isBox, split },
      { sets: ['mask-clip'], takes: (text) => isBox(text) || /^(no-clip|text)$/i.test(text), split },
      ...partsFor('mask-composite', 'mask-mode'),
    ),
    'mask-origin',
    'mask-clip',
  );
};

const backgroundLayer = boxed(
  anyOrder(
    ...partsFor('background-image'),
    positionPart('bg-position', 'background-position-x', 'background-position-y'),
    { sets: ['background-size'], takes: isOf('background-size'), after: 'background-position-x', most: 2 },
    ...partsFor('background-repeat 2', 'background-attachment'),
    { sets: ['background-origin'], takes: isType('visual-box') },
    ...partsFor('background-clip', 'background-color'),
  ),
  'background-origin',
  'background-clip',
);

const triggerRange = (texts: string[], kind: string, initial: string) => {
  const longhands = [`timeline-trigger-${kind}-range-start`, `timeline-trigger-${kind}-range-end`];
  return texts.length === 0 ? new Map<string, string>() : range(initial)(texts, longhands);
};

const timelineTrigger: Expand = (texts) => {
  const [first = [], active = []] = slashed(texts);
  const result: Expansion = new Map();
  for (const kind of ['name', 'source']) {
    const longhand = `timeline-trigger-${kind}`;
    if (first[0] !== undefined && isOf(longhand)(first[0])) result.set(longhand, first.shift() ?? '');
  }
  const ranges = [triggerRange(first, 'activation', 'normal'), triggerRange(active, 'active', 'auto')];
  return ranges.includes(null) ? null : new Map([...result, ...ranges.flatMap((each) => [...(each ?? [])])]);
};

const inset =
  (...axes: string[]): Expand =>
  (texts) => {
    const [cap = [], junction = cap] = slashed(texts);
    return new Map(
      axes.flatMap((axis) =>
        [
          { name: 'cap', values: cap },
          { name: 'junction', values: junction },
        ].flatMap(({ name, values: [start = '', end = start] }): [string, string][] => [
          [`${axis}-rule-inset-${name}-start`, start],
          [`${axis}-rule-inset-${name}-end`, end],
        ]),
      ),
    );
  };

/** One or two values for the starts and the ends. */
const startAndEnd: Expand = ([start = '', end = start], longhands) =>
  new Map(longhands.map((each) => [each, each.endsWith('end') ? end : start]));

/** Lists of rules in gaps, which may be repeated (CSS Gap Decorations 1, 4.4). */
const gapRule = (...axes: string[]): Expand => {
  const initial = (longhand: string) =>
    longhand.endsWith('width') ? 'medium' : longhand.endsWith('style') ? 'none' : 'currentcolor';
  const one = anyOrder(...lineParts(axes.map((axis) => `${axis}-rule`)));
  const list = layers((texts, longhands) => {
    const [, count, rules] = /^repeat\(([^,]*),(.*)\)$/i.exec(texts[0] ?? '') ?? [];
    const repeated = rules === undefined ? null : list(textsOf(rules) ?? [], longhands);
    return repeated
      ? new Map([...repeated].map(([each, text]) => [each, `repeat(${count}, ${text})`]))
      : one(texts, longhands);
  }, initial);
  return list;
};

/**
 * How each shorthand gives values to its longhands (the standard of each, CSS Cascading 5, 2). What an expansion leaves out gets
 * its initial value.
 */
export function shorthands(initial: (longhand: string) => string): Record<string, Expand> {
  const animation = layers(
    anyOrder(
      ...partsFor(
        'animation-duration',
        'animation-timing-function',
        'animation-delay',
        'animation-iteration-count',
        'animation-direction',
        'animation-fill-mode',
        'animation-play-state',
        'animation-name',
      ),
    ),
    initial,
    { reset: ['animation-timeline', 'animation-range-start', 'animation-range-end'] },
  );
  const transition = layers(
    anyOrder(
      ...partsFor('transition-duration', 'transition-timing-function', 'transition-delay', 'transition-behavior'),
      { sets: ['transition-property'], takes: isOf('transition-property') },
    ),
    initial,
  );
  const position = (x: string, y: string) => layers(anyOrder(positionPart('bg-position', x, y)), initial);
  const line = (prefix: string) => anyOrder(...lineParts([prefix]));
  const columnParts = anyOrder(
    ...partsFor('column-width', 'column-count'),
    ...['column-width', 'column-count', ''].map((after) => ({
      sets: ['column-height'],
      takes: isOf('column-height'),
      after,
    })),
  );
  // "auto" is for whichever of width and count has no other value.
  const columnsOf: Expand = (texts, longhands) => {
    const slash = texts.indexOf('/');
    const isLeft = (text: string, at: number) => !/^auto$/i.test(text) || (slash >= 0 && at > slash);
    return columnParts(texts.filter(isLeft), longhands);
  };
  return {
    animation,
    '-webkit-animation': animation,
    'animation-range': layers(range('normal'), initial),
    background: layers(backgroundLayer, initial, { once: ['background-color'] }),
    'background-position': position('background-position-x', 'background-position-y'),
    border: sides('top', 'right', 'bottom', 'left'),
    'border-block': sides('block-start', 'block-end'),
    'border-inline': sides('inline-start', 'inline-end'),
    ...Object.fromEntries(
      ['top', 'right', 'bottom', 'left', 'block-start', 'block-end', 'inline-start', 'inline-end'].map((name) => [
        `border-${name}`,
        sides(name),
      ]),
    ),
    '-webkit-border-before': sides('block-start'),
    '-webkit-border-after': sides('block-end'),
    '-webkit-border-start': sides('inline-start'),
    '-webkit-border-end': sides('inline-end'),
    'border-image': borderImage('border-image'),
    '-webkit-mask-box-image': borderImage('-webkit-mask-box-image'),
    'border-radius': corners,
    // Two values are those of each corner's two axes.
    '-webkit-border-radius': (texts, longhands) =>
      texts.length === 2 ? new Map(longhands.map((each) => [each, texts.join(' ')])) : corners(texts, longhands),
    'column-rule': gapRule('column'),
    '-webkit-column-rule': gapRule('column'),
    'row-rule': gapRule('row'),
    rule: gapRule('column', 'row'),
    'rule-inset': inset('column', 'row'),
    'column-rule-inset': inset('column'),
    'row-rule-inset': inset('row'),
    'rule-inset-cap': startAndEnd,
    'rule-inset-junction': startAndEnd,
    columns: columnsOf,
    '-webkit-columns': columnsOf,
    container: anyOrder(...partsFor('container-name 9'), {
      sets: ['container-type'],
      takes: isOf('container-type'),
      most: 2,
      after: 'container-name',
    }),
    flex,
    '-webkit-flex': flex,
    'flex-flow': anyOrder(...partsFor('flex-direction', 'flex-wrap')),
    '-webkit-flex-flow': anyOrder(...partsFor('flex-direction', 'flex-wrap')),
    font,
    'font-synthesis': fontSynthesis,
    'font-variant': fontVariant,
    grid,
    'grid-template': gridTemplate,
    'grid-area': gridLine,
    'grid-row': gridLine,
    'grid-column': gridLine,
    'list-style': listStyle,
    marker: alike,
    mask: layers(maskLayer(false), initial),
    '-webkit-mask': layers(maskLayer(true), initial),
    'mask-position': position('-webkit-mask-position-x', '-webkit-mask-position-y'),
    '-webkit-mask-position': position('-webkit-mask-position-x', '-webkit-mask-position-y'),
    offset: inOrder(
      ...partsFor('offset-position 4', 'offset-path 2', 'offset-distance', 'offset-rotate 2', 'offset-distance'),
      ...['offset-position', 'offset-path', 'offset-distance', 'offset-rotate'].map((after) => ({
        sets: ['offset-anchor'],
        takes: isOf('offset-anchor'),
        most: 4,
        after,
      })),
    ),
    outline: line('outline'),
    'place-content': placed('align-content', 'justify-content'),
    'place-items': placed('align-items', 'justify-items'),
    'place-self': placed('align-self', 'justify-self'),
    'position-try': (texts, longhands) => {
      const [first = '', ...rest] = texts;
      const hasOrder = rest.length > 0 && isOf('position-try-order')(first);
      const [order = '', fallbacks = ''] = longhands;
      return set(...(hasOrder ? [[order, first] as [string, string]] : []), [
        fallbacks,
        (hasOrder ? rest : texts).join(' ').replace(/ , ?/g, ', '),
      ]);
    },
    'scroll-timeline': layers(anyOrder(...partsFor('scroll-timeline-name', 'scroll-timeline-axis')), initial),
    'view-timeline': layers(
      anyOrder(...partsFor('view-timeline-name', 'view-timeline-axis', 'view-timeline-inset 2')),
      initial,
    ),
    'timeline-trigger': layers(timelineTrigger, initial),
    'timeline-trigger-activation-range': layers(range('normal'), initial),
    'timeline-trigger-active-range': layers(range('auto'), initial),
    'text-box': then(
      (texts, longhands) =>
        /^normal$/i.test(texts.join())
          ? new Map()
          : anyOrder(...partsFor('text-box-trim', 'text-box-edge 2'))(texts, longhands),
      (found) =>
        found.has('text-box-edge') && !found.has('text-box-trim') ? set(['text-box-trim', 'trim-both']) : undefined,
    ),
    'text-decoration': anyOrder(
      ...partsFor(
        'text-decoration-line 4',
        'text-decoration-thickness',
        'text-decoration-style',
        'text-decoration-color',
      ),
    ),
    'text-emphasis': anyOrder(...partsFor('text-emphasis-style 2', 'text-emphasis-color')),
    '-webkit-text-emphasis': anyOrder(...partsFor('text-emphasis-style 2', 'text-emphasis-color')),
    '-webkit-text-stroke': anyOrder(...partsFor('-webkit-text-stroke-width', '-webkit-text-stroke-color')),
    'text-wrap': anyOrder(...partsFor('text-wrap-mode', 'text-wrap-style')),
    transition,
    '-webkit-transition': transition,
    'white-space': whiteSpace,
  };
}

/** The expansion of shorthands that are not in the table: by the number of their longhands. */
export function expandEvenly(name: string, texts: string[], longhands: string[]): Expansion | null {
  if (/^rule-(break|color|style|visibility-items|width)$|rule-inset-(start|end)$/.test(name))
    return alike(texts, longhands);
  if (longhands.length === 4) return fourSides(texts, longhands);
  return longhands.length === 2 ? twoSides(texts, longhands) : null;
}
