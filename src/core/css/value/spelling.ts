import { numberText } from './canonical.js';
import { itemsOf, wordsOf } from './items.js';
import { positionParts } from './shorthands.js';

const each = (value: string, change: (item: string) => string) => itemsOf(value).map(change).join(', ');

const isZero = (text: string) => /^[+-]?0(\.0*)?(px|%)?$/.test(text);

/** `1 2 1 2` as `1 2`: sides that the ones before stand for. */
function withoutRepeatedSides(words: string[]): string {
  const [top, right, bottom, left] = words;
  const list = [...words];
  if (list.length === 4 && left === right) list.pop();
  if (list.length === 3 && bottom === top) list.pop();
  if (list.length === 2 && right === top) list.pop();
  return list.join(' ');
}

/** `right 10px` as a distance from the left, as computed values have it. */
function offset(text: string): string {
  const [edge = '', distance] = wordsOf(text);
  const isFar = edge === 'right' || edge === 'bottom';
  if (distance === undefined) {
    if (edge === 'left' || edge === 'top') return '0%';
    return edge === 'center' ? '50%' : isFar ? '100%' : text;
  }
  if (!isFar) return distance;
  if (/^[-\d.e]+%$/.test(distance)) return `${numberText(100 - parseFloat(distance))}%`;
  if (isZero(distance)) return '100%';
  return distance.startsWith('-') ? `calc(100% + ${distance.slice(1)})` : `calc(100% - ${distance})`;
}

/** A list with as many items as there are layers, again from its beginning (CSS Backgrounds 3, 2.1). */
export function layered(value: string, layers: number): string {
  const items = itemsOf(value);
  return Array.from({ length: layers }, (_, at) => items[at % items.length]).join(', ');
}

/** How many layers a list of images has. */
export const layersOf = (images: string) => itemsOf(images).length;

/** A shadow with all its lengths, its colour first (CSS Backgrounds 3, 6.1). */
function shadow(lengths: number): (item: string) => string {
  return (item: string) => {
    if (item === 'none') return item;
    const parts: string[] = wordsOf(item);
    const numbers = parts.filter((word) => /^[-+.\d]/.test(word) || /^(calc|min|max|clamp)\(/.test(word));
    const colour = parts.find((word) => !numbers.includes(word) && word !== 'inset') ?? 'currentcolor';
    while (numbers.length < lengths) numbers.push('0');
    return [colour, ...numbers, ...(parts.includes('inset') ? ['inset'] : [])].join(' ');
  };
}

const ratio = (value: string) => (value.endsWith('%') ? numberText(parseFloat(value) / 100) : value);
const fraction = (value: string) => {
  const number = Number(ratio(value));
  return Number.isNaN(number) ? value : numberText(Math.min(1, Math.max(0, number)));
};

const sorted = (value: string) => wordsOf(value).sort().join(' ');

const words = (table: Record<string, string>) => (value: string) =>
  Object.hasOwn(table, value) ? (table[value] ?? '') : value;

const shapes = words({
  round: 'superellipse(1)',
  squircle: 'superellipse(2)',
  square: 'superellipse(infinity)',
  bevel: 'superellipse(0)',
  scoop: 'superellipse(-1)',
  notch: 'superellipse(-infinity)',
});

const easing = (item: string) =>
  words({ 'step-start': 'steps(1, start)', 'step-end': 'steps(1)' })(item)
    .replace(/^steps\((\d+), (end|jump-end)\)$/, 'steps($1)')
    .replace(/^steps\((\d+), jump-start\)$/, 'steps($1, start)');

/** A gradient without what is so anyway: its direction down, its shape an ellipse. */
const gradient = (value: string) =>
  value
    .replace(/((?:repeating-)?linear-gradient\()(?:to bottom|180deg), /g, '$1')
    .replace(
      /((?:repeating-)?radial-gradient\()(?:ellipse(?: farthest-corner)?|farthest-corner)(?: at center)?, /g,
      '$1',
    );

const wide = words({
  tb: 'vertical-rl',
  'tb-rl': 'vertical-rl',
  lr: 'horizontal-tb',
  'lr-tb': 'horizontal-tb',
  rl: 'horizontal-tb',
  'rl-tb': 'horizontal-tb',
});

const filterDefaults: Record<string, string> = { blur: '0', 'hue-rotate': '0' };

/** Filters with their numbers: `grayscale()` is `grayscale(1)`, `50%` is `0.5` (Filter Effects 1, 6.1). */
const filters = (value: string) =>
  value
    .replace(
      /\b(blur|brightness|contrast|grayscale|hue-rotate|invert|opacity|saturate|sepia)\(([^()]*)\)/g,
      (_, name: string, argument: string) => {
        const number = argument === '' ? (filterDefaults[name] ?? '1') : ratio(argument);
        return `${name}(${isZero(number) || number === '0deg' ? '0' : number})`;
      },
    )
    .replace(
      /\bdrop-shadow\(((?:[^()]|\([^()]*\))*)\)/g,
      (_, argument: string) => `drop-shadow(${shadow(3)(argument)})`,
    );

/** Functions of `transform` for one axis as those for two (CSS Transforms 1, 12). */
const transforms = (value: string) =>
  value
    .replace(/\b(translate|scale)([xy])\(([^()]*)\)/g, (_, name: string, axis: string, amount: string) => {
      const none = name === 'scale' ? '1' : '0';
      return axis === 'x' ? `${name}(${amount}, ${none})` : `${name}(${none}, ${amount})`;
    })
    .replace(/\bscale\(([^(),]*)\)/g, 'scale($1, $1)')
    .replace(/\btranslate\(([^(),]*)\)/g, 'translate($1, 0)')
    .replace(/\brotatez\(/g, 'rotate(')
    .replace(/\b(rotate|skew)([xy]?)\((0|0deg)\)/g, '$1$2(0)');

/** Longhands whose values are spelt in more ways than one, by their names. */
const spellings: [longhands: RegExp, one: (value: string) => string][] = [
  [/^(background|-webkit-mask)-position-[xy]$/, (value) => each(value, offset)],
  [/^(object-position|perspective-origin|offset-(anchor|position))$/, (value) => position(value)],
  [/^transform-origin$/, origin],
  [/^(background|mask)-repeat$/, (value) => each(value, repeat)],
  [
    /^(background|mask)-size$/,
    (value) => each(value, (item) => (/^(cover|contain)$/.test(item) ? item : item.replace(/ auto$/, ''))),
  ],
  [/^(border-image|-webkit-mask-box-image)-(slice|width|outset|repeat)$/, sides],
  [/^border-.*-radius$/, (value) => withoutRepeatedSides(wordsOf(value))],
  [/^(view-timeline-inset|scroll-snap-align)$/, (value) => each(value, (item) => withoutRepeatedSides(wordsOf(item)))],
  [/^hyphenate-limit-chars$/, (value) => value.replace(/( auto)+$/, '')],
  [/^scale$/, (value) => withoutRepeatedSides(wordsOf(value.replace(/^(\S+ \S+) 1$/, '$1')).map(ratio))],
  [/^translate$/, (value) => value.replace(/^(\S+ \S+) 0$/, '$1').replace(/^(\S+) 0$/, '$1')],
  [
    /^rotate$/,
    (value) =>
      value
        .replace(/^(z|0 0 1) /, '')
        .replace(/^1 0 0 /, 'x ')
        .replace(/^0 1 0 /, 'y '),
  ],
  [/^corner-.*-shape$/, shapes],
  [/^mask-(clip|origin)$/, (value) => each(value, (item) => item.replace(/^(border|padding|content)$/, '$1-box'))],
  [/^box-shadow$/, (value) => each(value, shadow(4))],
  [/^text-shadow$/, (value) => each(value, shadow(3))],
  [/^(animation|transition)-timing-function$/, (value) => each(value, easing)],
  [/^animation-duration$/, (value) => each(value, words({ auto: '0s' }))],
  [/-image(-source)?$/, gradient],
  [/opacity$|^shape-image-threshold$/, fraction],
  [/^zoom$/, (value) => (value === 'normal' || isZero(value) ? '1' : ratio(value))],
  [/^stroke-(width|dashoffset)$/, (value) => (isZero(value) ? '0' : value.replace(/^[-+.\de]+$/, '$&px'))],
  [/^baseline-shift$/, words({ baseline: '0' })],
  [/^(letter|word)-spacing$/, words({ normal: '0' })],
  [/^caret-color$/, words({ auto: 'currentcolor' })],
  [
    /^(border-.*|outline|(column|row)-rule)-width$/,
    (value) => value.replace(/\b(thin|medium|thick)\b/g, words({ thin: '1px', medium: '3px', thick: '5px' })),
  ],
  [
    /^font-stretch$/,
    words({
      'ultra-condensed': '50%',
      'extra-condensed': '62.5%',
      condensed: '75%',
      'semi-condensed': '87.5%',
      normal: '100%',
      'semi-expanded': '112.5%',
      expanded: '125%',
      'extra-expanded': '150%',
      'ultra-expanded': '200%',
    }),
  ],
  [/^font-style$/, words({ 'oblique 0': 'normal', 'oblique 0deg': 'normal', 'oblique 14deg': 'oblique' })],
  [/^font-family$/, (value) => value.replace(/"([a-z_-][\w-]*)"/gi, '$1').toLowerCase()],
  [/^font-feature-settings$/, (value) => value.replace(/ (1|on)\b/g, '').replace(/ off\b/g, ' 0')],
  [/^offset-rotate$/, (value) => rotation(value)],
  [/^overflow-clip-margin$/, (value) => value.replace(/ ?padding-box ?/, '').replace(/^(\S+-box) 0$/, '$1') || '0'],
  [/^text-emphasis-position$/, (value) => sorted(value.replace(/ ?\bright\b ?/, ''))],
  [/^text-emphasis-style$/, (value) => value.replace(/^filled (?=\S)| filled$/, '').replace(/^filled$/, 'dot')],
  [/^justify-items$/, (value) => (value === 'legacy' ? 'normal' : sorted(value))],
  [/^(align|justify)-(content|items|self)$/, (value) => value.replace(/^first (?=baseline)/, '')],
  [/^(text-decoration-line|font-variant-.*|text-transform)$/, sorted],
  [
    /^contain$/,
    (value) => words({ 'layout paint size style': 'strict', 'layout paint style': 'content' })(sorted(value)),
  ],
  [/^grid-auto-flow$/, (value) => sorted(value.replace(/^row (?=dense)| row$/, ''))],
  [/^grid-(row|column)-(start|end)$/, gridLine],
  [
    /^aspect-ratio$/,
    (value) =>
      value.replace(/(^|\s)(\d*\.?\d+)$/, (whole, space: string, number: string) =>
        /\/ ?\S+$/.test(value) ? whole : `${space}${number} / 1`,
      ),
  ],
  [/^writing-mode$/, wide],
  [/^scroll-snap-type$/, (value) => value.replace(/ proximity$/, '')],
  [/^counter-increment$/, (value) => counters(value, '1')],
  [/^counter-(reset|set)$/, (value) => counters(value, '0')],
  [
    /^((min|max)-)?(width|height|(block|inline)-size)$|^flex-basis$/,
    (value) => value.replace(/^-webkit-(?=(min|max|fit)-content$)/, ''),
  ],
  [/^container-type$/, sorted],
  [
    /^text-indent$/,
    (value) =>
      wordsOf(value)
        .sort((one, other) => Number(/^[a-z]+(-[a-z]+)?$/.test(one)) - Number(/^[a-z]+(-[a-z]+)?$/.test(other)))
        .join(' '),
  ],
  [/^text-emphasis-style$/, (value) => value.replace(/^open$/, 'open dot')],
  [/^break-(before|after)$/, words({ always: 'page' })],
  [/^(animation|container)-name$|^view-transition-name$/, (value) => value.replace(/"([a-z_-][\w-]*)"/gi, '$1')],
  [
    /^(perspective|cx|cy|r|rx|ry|x|y|baseline-shift)$/,
    (value) => value.replace(/^[-+.\de]+$/, (number) => (isZero(number) ? '0' : `${number}px`)),
  ],
  [/^resize$/, words({ auto: 'both' })],
  [/^(backdrop-)?filter$/, filters],
  [/^transform$/, transforms],
  [/^overflow-(x|y|block|inline)$/, words({ overlay: 'auto' })],
  [/^unicode-bidi$/, (value) => value.replace(/^-webkit-/, '')],
  [/^cursor$/, (value) => value.replace(/-webkit-(?=zoom|grab)/g, '')],
  [/^clip$/, (value) => value.replace(/^rect\((\S+) (\S+) (\S+) (\S+)\)$/, 'rect($1, $2, $3, $4)')],
  // No stylesheet of a page sets it.
  [/^overlay$/, () => 'none'],
];

function sides(value: string): string {
  const isFilled = /\bfill\b/.test(value);
  return withoutRepeatedSides(wordsOf(value).filter((word) => word !== 'fill')) + (isFilled ? ' fill' : '');
}

const position = (value: string) =>
  /^(auto|normal|none)$/.test(value) ? value : positionParts(value).map(offset).join(' ');

/** A position with how far it is in front of the page; none is left out. */
function origin(value: string): string {
  const [x = '', y, z] = wordsOf(value);
  return position(y === undefined ? x : `${x} ${y}`) + (z === undefined || isZero(z) ? '' : ` ${z}`);
}

const repeat = (item: string) =>
  words({ 'repeat no-repeat': 'repeat-x', 'no-repeat repeat': 'repeat-y' })(item.replace(/^(\S+) \1$/, '$1'));

function rotation(value: string): string {
  const angle = /(?:^|\s)([-\d.]+)(deg)?(?=\s|$)/.exec(value)?.[1] ?? '0';
  if (/\breverse\b/.test(value)) return `auto ${numberText(Number(angle) + 180)}deg`;
  return /\bauto\b/.test(value) ? `auto ${angle}deg` : value;
}

/** `a 2` as `2 a`, `1 span` as `span 1`. */
function gridLine(value: string): string {
  const list = wordsOf(value);
  const rank = (word: string) => (word === 'span' ? 0 : /^[-+\d]/.test(word) ? 1 : 2);
  return list.sort((one, other) => rank(one) - rank(other)).join(' ');
}

/** Counters with their numbers. */
function counters(value: string, number: string): string {
  if (value === 'none') return value;
  const list = wordsOf(value);
  return list
    .flatMap((word, at) => (/^[-+\d]/.test(word) || /^[-+\d]/.test(list[at + 1] ?? '') ? [word] : [word, number]))
    .join(' ');
}

const known = new Map<string, ((value: string) => string) | null>();

/**
 * A canonical value (canonical.ts) in the one spelling that computed values of its longhand have, so that values are the same
 * where their texts are: `round round` is `round`, `right 10%` is `90%`.
 */
export function oneSpelling(longhand: string, value: string): string {
  if (longhand.startsWith('--')) return value;
  let spell = known.get(longhand);
  if (spell === undefined) {
    const own = spellings.filter(([longhands]) => longhands.test(longhand)).map(([, one]) => one);
    spell = own.length === 0 ? null : (text) => own.reduce((before, one) => one(before), text);
    known.set(longhand, spell);
  }
  return spell ? spell(value) : value;
}
