import { parse, type CssNode, type List } from 'css-tree';
import { list as commaList } from 'postcss';
import { absoluteLengths } from '../lengths.js';

/** A viewport: its size in CSS pixels, and what else of it differs from a desktop screen (`desktop` below). */
export interface Viewport {
  name: string;
  width: number;
  height: number;
  /** A touch screen: nothing hovers, and fingers point coarsely. */
  touch?: boolean;
  /** Device pixels to a CSS pixel; 1 if left out. */
  pixelRatio?: number;
  /** What the visitor prefers. */
  colorScheme?: 'light' | 'dark';
  contrast?: 'more';
  motion?: 'reduce';
  /** The medium; a screen if left out. */
  media?: 'screen' | 'print';
}

/** Discrete media features and their value (Media Queries Level 5), as an unchanged Chromium with a mouse has them. */
const desktop: Record<string, string> = {
  hover: 'hover',
  'any-hover': 'hover',
  pointer: 'fine',
  'any-pointer': 'fine',
  'prefers-color-scheme': 'light',
  'prefers-reduced-motion': 'no-preference',
  'prefers-contrast': 'no-preference',
  'prefers-reduced-transparency': 'no-preference',
  'forced-colors': 'none',
  'color-gamut': 'srgb',
  'dynamic-range': 'standard',
  'display-mode': 'browser',
  scripting: 'enabled',
  update: 'fast',
  'overflow-block': 'scroll',
  'overflow-inline': 'scroll',
  'device-posture': 'continuous',
};

const touchScreen = { hover: 'none', 'any-hover': 'none', pointer: 'coarse', 'any-pointer': 'coarse' };
const paper = { update: 'none', 'overflow-block': 'paged' };

/** The discrete media features of a viewport. */
const words = ({ touch, colorScheme, contrast, motion, media }: Viewport): Record<string, string> => ({
  ...desktop,
  ...(touch ? touchScreen : {}),
  ...(colorScheme ? { 'prefers-color-scheme': colorScheme } : {}),
  ...(contrast ? { 'prefers-contrast': contrast } : {}),
  ...(motion ? { 'prefers-reduced-motion': motion } : {}),
  ...(media === 'print' ? paper : {}),
});

/** Media features that a page can be told apart from its window and machine. */
const told = /^(any-)?(hover|pointer)$|^prefers-(color-scheme|contrast|reduced-motion)$/;

/** What a page must be told to look as at a viewport, besides its size: the medium, and media features by their values. */
export interface Medium {
  type: 'screen' | 'print';
  features: Record<string, string>;
}

/** The medium of a viewport, and what media features say there, but for those of its size and of the machine. */
export function mediumOf(viewport: Viewport): Medium {
  const features = Object.fromEntries(Object.entries(words(viewport)).filter(([name]) => told.test(name)));
  return { type: viewport.media ?? 'screen', features };
}

/** Whether a viewport is a desktop screen but for its size. */
export const isPlain = (viewport: Viewport): boolean =>
  JSON.stringify(mediumOf(viewport)) === JSON.stringify(mediumOf({ name: '', width: 0, height: 0 }));

/** What Chromium takes a printer for, whatever the screen is like, in dots to a CSS pixel. */
const printed = 300 / 96;

/** Range features and their value: lengths in CSS pixels, resolution in dppx. */
const ranges = ({ width, height, pixelRatio = 1, media }: Viewport): Record<string, number> => ({
  width,
  height,
  'device-width': width,
  'device-height': height,
  'aspect-ratio': width / height,
  'device-aspect-ratio': width / height,
  resolution: media === 'print' ? printed : pixelRatio,
  '-webkit-device-pixel-ratio': media === 'print' ? printed : pixelRatio,
  color: 8,
  'color-index': 0,
  monochrome: 0,
  grid: 0,
  'horizontal-viewport-segments': 1,
  'vertical-viewport-segments': 1,
});

/** Kleene's logic: null is "unknown", as Media Queries 4, 3.2 has it. */
export type Truth = boolean | null;

const not = (truth: Truth): Truth => (truth === null ? null : !truth);
const and = (a: Truth, b: Truth): Truth =>
  a === false || b === false ? false : a === null || b === null ? null : true;
const or = (a: Truth, b: Truth): Truth => not(and(not(a), not(b)));

/**
 * A `<media-condition>` or `<supports-condition>` as css-tree reads it: `not X`, `X and Y`, `X or Y`; `test` judges what is
 * neither. Null where the two operators are mixed, which no browser reads.
 */
export function evaluateCondition(children: List<CssNode>, test: (node: CssNode) => Truth): Truth {
  let result: Truth | undefined;
  let operator = '';
  let negated = false;
  const seen = new Set<string>();
  for (const node of children.toArray()) {
    if (node.type === 'Identifier') {
      if (node.name.toLowerCase() === 'not') negated = true;
      else seen.add((operator = node.name.toLowerCase()));
      continue;
    }
    const inner: Truth = node.type === 'Condition' ? evaluateCondition(node.children, test) : test(node);
    const truth: Truth = negated ? not(inner) : inner;
    negated = false;
    result = result === undefined ? truth : operator === 'or' ? or(result, truth) : and(result, truth);
  }
  return seen.size > 1 ? null : (result ?? null);
}

/** Whether a media query list holds at a viewport (Media Queries Level 4, section 2). An empty list does. */
export function mediaHolds(list: string, viewport: Viewport): boolean {
  if (list.trim() === '') return true;
  let tree: CssNode;
  try {
    tree = parse(list, { context: 'mediaQueryList' });
  } catch {
    // One query that cannot be read is `not all`; the others of the list still count.
    const parts = commaList.comma(list);
    return parts.length > 1 && parts.some((part) => part.trim() !== '' && mediaHolds(part, viewport));
  }
  return tree.type === 'MediaQueryList' && tree.children.toArray().some((query) => queryHolds(query, viewport));
}

function queryHolds(query: CssNode, viewport: Viewport): boolean {
  if (query.type !== 'MediaQuery') return false;
  const { modifier, mediaType, condition } = query;
  const type = mediaType?.toLowerCase() ?? 'all';
  // `or` may not stand beside a media type.
  const mixed =
    mediaType !== null &&
    condition?.type === 'Condition' &&
    condition.children.some((node) => node.type === 'Identifier' && node.name.toLowerCase() === 'or');
  if (mixed) return false;
  const features =
    condition?.type === 'Condition'
      ? evaluateCondition(condition.children, (node) => featureHolds(node, viewport))
      : true;
  const truth = and(type === 'all' || type === (viewport.media ?? 'screen'), features);
  return (modifier?.toLowerCase() === 'not' ? not(truth) : truth) === true;
}

const comparisons: Record<string, (a: number, b: number) => boolean> = {
  '<': (a, b) => a < b,
  '<=': (a, b) => a <= b,
  '>': (a, b) => a > b,
  '>=': (a, b) => a >= b,
  '=': (a, b) => a === b,
};

function featureHolds(node: CssNode, viewport: Viewport): Truth {
  if (node.type === 'Feature') return plainFeature(node.name.toLowerCase(), node.value, viewport);
  if (node.type !== 'FeatureRange') return null;
  const known = ranges(viewport);
  const nameOf = (side: CssNode) => (side.type === 'Identifier' ? side.name.toLowerCase() : null);
  const { left, leftComparison, middle, rightComparison, right } = node;
  const name = nameOf(middle) ?? nameOf(left);
  if (name === null || !Object.hasOwn(known, name)) return null;
  const value = (side: CssNode) => (nameOf(side) === name ? (known[name] ?? null) : numberOf(side, name));
  const compare = (a: CssNode, sign: string, b: CssNode): Truth => {
    const [first, second] = [value(a), value(b)];
    return first === null || second === null ? null : (comparisons[sign]?.(first, second) ?? null);
  };
  const first = compare(left, leftComparison, middle);
  return right && rightComparison ? and(first, compare(middle, rightComparison, right)) : first;
}

function plainFeature(name: string, value: CssNode | null, viewport: Viewport): Truth {
  const sizes = ranges(viewport);
  const [, prefix = '', bare = name] = /^(-webkit-)?(?:min-|max-)/.test(name)
    ? (/^(-webkit-)?(?:min-|max-)(.*)$/.exec(name) ?? [])
    : [null, '', name];
  const feature = prefix + bare;
  if (Object.hasOwn(sizes, feature)) {
    const own = sizes[feature] ?? 0;
    if (value === null) return feature === name ? own !== 0 : null;
    const wanted = numberOf(value, feature);
    if (wanted === null) return null;
    return feature === name ? own === wanted : name.includes('min-') ? own >= wanted : own <= wanted;
  }
  const ident = value?.type === 'Identifier' ? value.name.toLowerCase() : null;
  if (name === 'orientation') {
    const own = viewport.height >= viewport.width ? 'portrait' : 'landscape';
    return value === null ? true : ident === 'portrait' || ident === 'landscape' ? ident === own : null;
  }
  if (name === '-webkit-transform-3d') return value === null || numberOf(value, name) === 1;
  const known = words(viewport);
  if (!Object.hasOwn(known, name)) return null;
  const own = known[name] ?? '';
  if (value === null) return own !== 'none' && own !== 'no-preference';
  if (ident === null) return null;
  return ident === own;
}

const pixels: Record<string, number> = { ...absoluteLengths, em: 16, rem: 16 };
const dotsPerPixel: Record<string, number> = { dppx: 1, x: 1, dpi: 1 / 96, dpcm: 2.54 / 96 };

/** A value in the unit that its feature is counted in; null if it is none. Font-relative lengths count by the initial font. */
function numberOf(node: CssNode, feature: string): number | null {
  const plain = /ratio|color|monochrome|grid|3d|segments/.test(feature);
  if (node.type === 'Ratio') {
    const part = (side: CssNode | null) => (side === null ? 1 : side.type === 'Number' ? Number(side.value) : NaN);
    const ratio = part(node.left) / part(node.right);
    return feature.endsWith('aspect-ratio') && !Number.isNaN(ratio) ? ratio : null;
  }
  if (node.type === 'Number') {
    const value = Number(node.value);
    return plain || value === 0 ? value : null;
  }
  if (node.type !== 'Dimension' || plain) return null;
  const units = feature === 'resolution' ? dotsPerPixel : pixels;
  const factor = units[node.unit.toLowerCase()];
  return factor === undefined ? null : Number(node.value) * factor;
}
