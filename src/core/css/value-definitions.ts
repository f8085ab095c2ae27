import { lexer } from 'css-tree';
import tables from './browser-tables.json' with { type: 'json' };

/** The channels of each colour function, which a relative colour may name (CSS Color 5, 4.1). */
export const channelsOf: Record<string, string[]> = {
  ...Object.fromEntries(['rgb', 'rgba'].map((name) => [name, ['r', 'g', 'b']])),
  ...Object.fromEntries(['hsl', 'hsla'].map((name) => [name, ['h', 's', 'l']])),
  hwb: ['h', 'w', 'b'],
  ...Object.fromEntries(['lab', 'oklab'].map((name) => [name, ['l', 'a', 'b']])),
  ...Object.fromEntries(['lch', 'oklch'].map((name) => [name, ['l', 'c', 'h']])),
  color: ['r', 'g', 'b', 'x', 'y', 'z'],
};

const alpha = '[ / [ <number> | <percentage> | none | alpha ] ]?';
const relativeOf = (name: string, channels: string[]) => {
  const words = `none | alpha | ${channels.join(' | ')}`;
  const parts = channels.map((channel) =>
    channel === 'h' ? `[ <angle> | <number> | ${words} ]` : `[ <number> | <percentage> | ${words} ]`,
  );
  return `${name}( from <color> ${parts.join(' ')} ${alpha} )`;
};

/** Areas of the grid around an anchor (CSS Anchor Positioning 1, 3.1.2), with the words that Chromium has for them. */
const positionAreas = (() => {
  const spans = (words: string[]) =>
    [...words.flatMap((word) => [word, `span-${word}`]), 'center', 'span-all'].join(' | ');
  const edges = (axis: string) => [`${axis}start`, `${axis}end`];
  const pairs: [string[], string[]][] = [
    [
      ['left', 'right', ...edges('x-'), ...edges('self-x-')],
      ['top', 'bottom', ...edges('y-'), ...edges('self-y-')],
    ],
    [edges('block-'), edges('inline-')],
    [edges('self-block-'), edges('self-inline-')],
  ];
  return [
    ...pairs.map(([one, other]) => `[ ${spans(one)} ] || [ ${spans(other)} ]`),
    ...[edges(''), edges('self-')].map((words) => `[ ${spans(words)} ]{1,2}`),
  ].join(' | ');
})();

/**
 * Definitions that css-tree's syntax data lacks or has from an older draft, as the standards write them. They are generous:
 * `npm run tables` takes out what Chromium refuses.
 */
export const ownTypes: Record<string, string> = {
  ...Object.fromEntries(
    Object.entries(channelsOf).map(([name, channels]) => [`relative-${name}`, relativeOf(name, channels)]),
  ),
  'color-function': [
    ...Object.keys(channelsOf).flatMap((name) => [`<${name}()>`, `<relative-${name}>`]),
    '<contrast-color()>',
  ].join(' | '),
  'relative-color': ['<predefined-rgb> r g b', '<xyz-space> x y z']
    .map((form) => form.split(' '))
    .map(
      ([space, ...names]) =>
        `color( from <color> ${space} [ <number> | <percentage> | none | alpha | ${names.join(' | ')} ]{3} ${alpha} )`,
    )
    .join(' | '),
  shadow: 'inset? && [ <length>{2} [ <length [0,∞]> <length>? ]? ] && <color>?',
  ...Object.fromEntries(
    ['brightness', 'contrast', 'grayscale', 'invert', 'opacity', 'saturate', 'sepia'].map((name) => [
      `${name}()`,
      `${name}( [ <number [0,∞]> | <percentage [0,∞]> ]? )`,
    ]),
  ),
  'blur()': 'blur( <length [0,∞]>? )',
  'shadow-t': '[ <length>{2} <length [0,∞]>? ] && <color>?',
  'drop-shadow()': 'drop-shadow( <color>? && [ <length>{2} <length [0,∞]>? ] )',
  'linear()': 'linear( [ <number> && <percentage>{0,2} ]#{2,} )',
  'single-transition':
    '<single-transition-property> || <time [0,∞]> || <easing-function> || <time> || <transition-behavior-value>',
  'single-animation':
    '[ <time [0,∞]> | auto ] || <easing-function> || <time> || <single-animation-iteration-count> || <single-animation-direction> || <single-animation-fill-mode> || <single-animation-play-state> || [ none | <custom-ident> | <string> ]',
  'mask-layer':
    '<mask-reference> || <position> [ / <bg-size> ]? || <repeat-style> || <coord-box> || [ <coord-box> | no-clip ] || <compositing-operator> || <masking-mode>',
  'position-area': positionAreas,
  'steps()':
    'steps( <integer [2,∞]> , jump-none ) | steps( <integer [1,∞]> ) | steps( <integer [1,∞]> , [ jump-start | jump-end | jump-both | start | end ] )',
  'step-easing-function': 'step-start | step-end | <steps()>',
  'circle()': 'circle( [ <length-percentage [0,∞]> | closest-side | farthest-side ]? [ at <position> ]? )',
  'ellipse()': 'ellipse( [ [ <length-percentage [0,∞]> | closest-side | farthest-side ]{2} ]? [ at <position> ]? )',
  'content-list': '[ <string> | <image> | <counter> | <quote> | <attr()> ]+',
  'text-edge': 'text | [ text | cap | ex ] [ text | alphabetic ]',
  // What Chromium has of these; -webkit-focus-ring-color is for outlines alone.
  '-non-standard-color': '-webkit-activelink | -webkit-link | -webkit-text',
  'image()': 'image( <color> )',
  'image-set-option': '[ <url> | <gradient> | <string> ] [ <resolution [0,∞]> || type( <string> ) ]',
  'contrast-color()': 'contrast-color( <color> )',
  'color-mix()': 'color-mix( [ <color-interpolation-method> , ]? [ <color> && <percentage [0,100]>? ]#{2} )',
  'bg-layer':
    '<bg-image> || <bg-position> [ / <bg-size> ]? || <repeat-style> || <attachment> || <bg-clip> || <visual-box>',
  'final-bg-layer':
    "<bg-image> || <bg-position> [ / <bg-size> ]? || <repeat-style> || <attachment> || <bg-clip> || <visual-box> || <'background-color'>",
};

const cursors =
  `auto default none context-menu help pointer progress wait cell crosshair text vertical-text alias copy move no-drop
  not-allowed e-resize n-resize ne-resize nw-resize s-resize se-resize sw-resize w-resize ew-resize ns-resize nesw-resize
  nwse-resize col-resize row-resize all-scroll zoom-in zoom-out grab grabbing -webkit-grab -webkit-grabbing
  -webkit-zoom-in -webkit-zoom-out`.split(/\s+/);

/** Rules in the gaps of columns and rows (CSS Gap Decorations 1). */
const gapRules = Object.fromEntries(
  ['column-rule', 'row-rule', 'rule'].flatMap((prefix): [string, string][] => {
    const listOf = (term: string) => `[ ${term} | repeat( [ <integer [1,∞]> | auto ] , [ ${term} ]# ) ]#`;
    const inset = '[ <length-percentage> | overlap-join ]';
    return [
      [prefix, listOf('[ <line-width> || <line-style> || <color> ]')],
      [`${prefix}-width`, listOf('<line-width>')],
      [`${prefix}-style`, listOf('<line-style>')],
      [`${prefix}-color`, listOf('<color>')],
      [`${prefix}-break`, 'none | normal | intersection'],
      [`${prefix}-visibility-items`, 'normal | all | around | between'],
      [`${prefix}-inset`, `${inset}{1,2} [ / ${inset}{1,2} ]?`],
      [`${prefix}-inset-cap`, `${inset}{1,2}`],
      [`${prefix}-inset-junction`, `${inset}{1,2}`],
      ...['start', 'end', 'cap-start', 'cap-end', 'junction-start', 'junction-end'].map((side): [string, string] => [
        `${prefix}-inset-${side}`,
        inset,
      ]),
    ];
  }),
);

const timelineRange = '<length-percentage> | <timeline-range-name> <length-percentage>?';

/** What starts an animation when a timeline enters a range (CSS Animations 2 and Animation Triggers 1). */
const timelineTriggers = {
  'timeline-trigger-name': '[ none | <dashed-ident> ]#',
  'timeline-trigger-source': '<single-animation-timeline>#',
  ...Object.fromEntries(
    ['activation', 'active'].flatMap((kind) => {
      const range = `[ ${kind === 'active' ? 'auto | ' : ''}normal | ${timelineRange} ]`;
      const name = `timeline-trigger-${kind}-range`;
      return [
        [`${name}-start`, `${range}#`],
        [`${name}-end`, `${range}#`],
        [name, `[ ${range} ${range}? ]#`],
      ];
    }),
  ),
  'timeline-trigger': `[ [ none | <dashed-ident> ] <single-animation-timeline>? [ [ normal | ${timelineRange} ]{1,2} ]? [ / [ auto | normal | ${timelineRange} ]{1,2} ]? ]#`,
};

export const ownProperties: Record<string, string> = {
  ...gapRules,
  ...timelineTriggers,
  ...Object.fromEntries(
    ['', '-source', '-slice', '-width', '-outset', '-repeat'].map((part) => [
      `-webkit-mask-box-image${part}`,
      `<'border-image${part}'>`,
    ]),
  ),
  '-webkit-border-horizontal-spacing': '<length [0,∞]>',
  '-webkit-border-vertical-spacing': '<length [0,∞]>',
  '-webkit-border-before-width': '<line-width>',
  '-webkit-border-before-style': '<line-style>',
  '-webkit-border-before-color': '<color>',
  '-webkit-border-before': '<line-width> || <line-style> || <color>',
  filter: 'none | [ <filter-function> | <url> ]+',
  'backdrop-filter': 'none | [ <filter-function> | <url> ]+',
  'align-content': 'normal | first? baseline | <content-distribution> | <overflow-position>? <content-position>',
  zoom: 'normal | <number [0,∞]> | <percentage [0,∞]>',
  'initial-letter': 'normal | [ <number [1,∞]> <integer [1,∞]>? ]',
  'text-underline-position': 'auto | [ [ from-font | under ] || [ left | right ] ]',
  // "none" stands alone (CSS Transitions 1, 2.1).
  transition:
    '[ none || <time [0,∞]> || <easing-function> || <time> || <transition-behavior-value> ] | <single-transition>#',
  'animation-trigger': '[ none | [ <dashed-ident> <animation-action>{1,2} ]+ ]#',
  cursor: `[ [ <url> | <image-set()> ] [ <number>{2} ]? , ]* [ ${cursors.join(' | ')} ]`,
  'flex-basis':
    'auto | content | min-content | max-content | fit-content | stretch | -webkit-fill-available | <length-percentage [0,∞]>',
  // In this order css-tree reads names that begin with that of a generic family.
  'font-family': '[ <generic-family> | <family-name> ]#',
  contain:
    'none | strict | content | [ size || layout || style || paint ] | [ inline-size || layout || style || paint ]',
  overflow: '[ visible | hidden | clip | scroll | auto | overlay ]{1,2}',
  'transform-origin':
    '[ <length-percentage> | left | center | right | top | bottom ] | [ <length-percentage> | left | center | right ] [ <length-percentage> | top | center | bottom ] <length>? | [ [ left | center | right ] && [ top | center | bottom ] ] <length>?',
  'position-try-fallbacks': 'none | [ [ <dashed-ident> || <try-tactic> ] | <position-area> ]#',
  // The older names take the older words alone.
  '-webkit-mask-origin': '[ border-box | padding-box | content-box | border | padding | content ]#',
  '-webkit-mask-clip': '[ border-box | padding-box | content-box | text | border | padding | content ]#',
  '-webkit-mask-position-x': '[ center | [ [ left | right ]? <length-percentage>? ]! ]#',
  '-webkit-mask-position-y': '[ center | [ [ top | bottom ]? <length-percentage>? ]! ]#',
  'container-type': 'normal | [ [ size | inline-size ] || scroll-state ]',
};

/** css-tree's own lexer takes the definitions: one of our own would take 20 ms to make. */
const definitions = lexer as unknown as {
  addType_: (name: string, syntax: string) => void;
  addProperty_: (name: string, syntax: string) => void;
};

/** Gives css-tree other definitions of types and properties. */
export function define({ types, properties }: { types: Record<string, string>; properties: Record<string, string> }) {
  for (const [name, syntax] of Object.entries(types)) definitions.addType_(name, syntax);
  for (const [name, syntax] of Object.entries(properties)) definitions.addProperty_(name, syntax);
}

let isDefined = false;

/** The grammar of values as Chromium has it. */
export function valueLexer(): typeof lexer {
  if (!isDefined) {
    define({ types: ownTypes, properties: ownProperties });
    define(tables.grammar);
    isDefined = true;
  }
  return lexer;
}
