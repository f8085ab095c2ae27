import { BoundedMap } from '../../bounded-map.js';
import { calc } from '@csstools/css-calc';
import { color as readColor, serializeRGB, SyntaxFlag } from '@csstools/css-color-parser';
import { parseComponentValue } from '@csstools/css-parser-algorithms';
import { tokenize } from '@csstools/css-tokenizer';
import { generate, parse, type CssNode } from 'css-tree';
import { absoluteLengths } from '../lengths.js';
import { itemsOf } from './items.js';

/** What lengths and colours of a value are relative to. Sizes in CSS pixels. */
export interface Relative {
  fontSize: () => number;
  rootFontSize: () => number;
  viewport: { width: number; height: number };
  /** Whether the element's colours are those of a dark page (CSS Color Adjustment 1, 2.3). */
  isDark: () => boolean;
  /** What `currentcolor` stands for. */
  currentColor: () => string;
  /** The address that `url()` counts from. */
  base: string | null;
}

const angles: Record<string, number> = { deg: 1, grad: 0.9, rad: 180 / Math.PI, turn: 360 };

/** A number as it is compared: six digits count. */
export const numberText = (value: number) => String(Number(value.toPrecision(6)));

/** Names of colours by the colour, each list of names in one text. */
const byName = (colours: Record<string, string>): Record<string, string> =>
  Object.fromEntries(
    Object.entries(colours).flatMap(([colour, names]) => names.split(' ').map((name) => [name, colour])),
  );

/** The system colours that Chromium uses on a light page, and its own names for the colours of links. */
const lightColors = byName({
  '#0075ff': 'accentcolor',
  '#ffffff':
    'accentcolortext canvas field highlighttext selecteditemtext activecaption appworkspace background inactivecaption infobackground menu scrollbar window',
  '#ff0000': 'activetext -webkit-activelink',
  '#000000':
    'buttonborder buttontext canvastext fieldtext marktext activeborder captiontext inactiveborder infotext menutext threeddarkshadow threedhighlight threedlightshadow threedshadow windowframe windowtext -webkit-text',
  '#efefef': 'buttonface buttonhighlight buttonshadow threedface',
  '#808080': 'graytext inactivecaptiontext',
  '#0000ee': 'linktext -webkit-link',
  '#ffff00': 'mark',
  '#1967d2': 'selecteditem',
  '#551a8b': 'visitedtext',
  '#0041c6cc': 'highlight',
});

/** The same on a dark page, where they differ. */
const darkColors: Record<string, string> = {
  ...lightColors,
  ...byName({
    '#ffffff':
      'highlighttext buttonborder buttontext canvastext fieldtext activeborder captiontext inactiveborder infotext menutext threeddarkshadow threedhighlight threedlightshadow threedshadow windowframe windowtext -webkit-text',
    '#121212': 'canvas activecaption appworkspace background inactivecaption infobackground menu scrollbar window',
    '#3b3b3b': 'field selecteditemtext',
    '#ff9e9e': '-webkit-activelink',
    '#6b6b6b': 'buttonface buttonhighlight buttonshadow threedface',
    '#9e9eff': 'linktext -webkit-link',
    '#99c8ff': 'selecteditem',
    '#d0adf0': 'visitedtext',
  }),
};

/**
 * A value in a form in which two that compute to the same are the same text (CSS Values and Units 4, computed values):
 * lengths in pixels, colours as rgb, keywords in lower case. Values that it cannot reduce stay unchanged.
 */
export function canonical(value: string, relative: Relative): string {
  const nodes = parsed(value);
  return nodes ? nodesText(nodes, relative) : value.trim();
}

const parsedValues = new BoundedMap<string, CssNode[] | null>(50_000);

/** The parts of a value; null if css-tree cannot read it. */
function parsed(value: string): CssNode[] | null {
  let nodes = parsedValues.get(value);
  if (nodes === undefined) {
    nodes = null;
    try {
      const tree = parse(value, { context: 'value' });
      if (tree.type === 'Value') nodes = tree.children.toArray();
    } catch {
      // It is compared unchanged.
    }
    parsedValues.set(value, nodes);
  }
  return nodes;
}

function nodesText(nodes: CssNode[], relative: Relative): string {
  return nodes
    .filter(({ type }) => type !== 'WhiteSpace' && type !== 'Comment')
    .map((node) => nodeText(node, relative))
    .join(' ')
    .replace(/ , /g, ', ');
}

function nodeText(node: CssNode, relative: Relative): string {
  switch (node.type) {
    case 'Number':
      return numberText(Number(node.value));
    case 'Percentage':
      return `${numberText(Number(node.value))}%`;
    case 'Dimension':
      return dimensionText(Number(node.value), node.unit.toLowerCase(), relative);
    case 'Identifier':
      return identifierText(node.name, relative);
    case 'Hash':
      return colorText(`#${node.value}`) ?? `#${node.value}`;
    case 'String':
      return JSON.stringify(node.value);
    case 'Url':
      return `url(${JSON.stringify(relative.base !== null && URL.canParse(node.value, relative.base) ? new URL(node.value, relative.base).href : node.value)})`;
    case 'Function':
      return functionText(node.name.toLowerCase(), node, relative);
    case 'Operator':
      return node.value.trim();
    default:
      return generate(node);
  }
}

function dimensionText(value: number, unit: string, relative: Relative): string {
  const pixels = lengthIn(unit, relative);
  if (pixels !== null) return value === 0 ? '0' : `${numberText(value * pixels)}px`;
  const degrees = angles[unit];
  if (degrees !== undefined) return `${numberText(value * degrees)}deg`;
  if (unit === 'ms') return `${numberText(value / 1000)}s`;
  return `${numberText(value)}${unit}`;
}

/** Pixels per unit of length; null if that needs layout. */
function lengthIn(unit: string, { fontSize, rootFontSize, viewport }: Relative): number | null {
  const fixed = absoluteLengths[unit];
  if (fixed !== undefined) return fixed;
  if (unit === 'em') return fontSize();
  if (unit === 'rem') return rootFontSize();
  const [, side] = /^[sld]?v(w|h|i|b|min|max)$/.exec(unit) ?? [];
  const { width, height } = viewport;
  if (side === 'w' || side === 'i') return width / 100;
  if (side === 'h' || side === 'b') return height / 100;
  if (side === 'min') return Math.min(width, height) / 100;
  return side === 'max' ? Math.max(width, height) / 100 : null;
}

function identifierText(name: string, relative: Relative): string {
  const word = name.toLowerCase();
  if (word === 'currentcolor') return relative.currentColor();
  if (Object.hasOwn(lightColors, word))
    return colorText((relative.isDark() ? darkColors : lightColors)[word] ?? '') ?? word;
  return colorText(word) ?? (name.startsWith('--') ? name : word);
}

const colorFunctions = /^(rgba?|hsla?|hwb|lab|lch|oklab|oklch|color|color-mix|light-dark|contrast-color)$/;
const mathFunctions =
  /^(calc|min|max|clamp|round|mod|rem|abs|sign|sin|cos|tan|asin|acos|atan|atan2|pow|sqrt|hypot|log|exp)$/;

function functionText(name: string, node: Extract<CssNode, { type: 'Function' }>, relative: Relative): string {
  const inner = nodesText(node.children.toArray(), relative);
  if (name === 'light-dark') return itemsOf(inner)[relative.isDark() ? 1 : 0] ?? inner;
  if (colorFunctions.test(name)) return colorText(`${name}(${inner})`) ?? `${name}(${inner})`;
  if (mathFunctions.test(name)) {
    const folded = calc(`${name}(${inner})`, { precision: 6 });
    // CSS Values 4, 10.9.1: no number is none, and what is too large is the largest that Chromium has.
    if (/^calc\(NaN\b/i.test(folded)) return '0';
    const [, sign] = /^calc\((-?)infinity \* 1px\)$/i.exec(folded) ?? [];
    if (sign !== undefined) return `${sign}33554400px`;
    // What stays a function has been folded as far as it goes.
    return /^-?[a-z-]+\(/i.test(folded) ? folded : canonical(folded, relative);
  }
  return name === 'image-set' ? `image-set(${imageSet(inner)})` : `${name}(${inner})`;
}

/** The options of `image-set()` with their addresses and resolutions (CSS Images 4, 2.4). */
const imageSet = (options: string) =>
  itemsOf(options)
    .map((option) => {
      const whole = option.replace(/^"/, 'url("').replace(/^(url\("[^"]*")(?!\))/, '$1)');
      const given = whole.replace(
        / (\d*\.?\d+)(x|dppx|dpi)\b/,
        (_, number: string, unit: string) => ` ${numberText(Number(number) / (unit === 'dpi' ? 96 : 1))}x`,
      );
      return / [\d.]+x\b/.test(given) ? given : given.replace(/^(\S+\((?:[^()]|\([^()]*\))*\))/, '$1 1x');
    })
    .join(', ');

const colorsKnown = new BoundedMap<string, string | null>(50_000);

/** A colour as `rgb(r, g, b, a)` with whole numbers; null if the text is not a colour. */
function colorText(text: string): string | null {
  let known = colorsKnown.get(text);
  if (known === undefined) {
    known = readAsColor(text);
    colorsKnown.set(text, known);
  }
  return known;
}

function readAsColor(text: string): string | null {
  const component = parseComponentValue(tokenize({ css: text }));
  const data = component ? readColor(component) : false;
  if (!data) return null;
  const { colorNotation, channels, alpha, syntaxFlags } = data;
  const isMixed = syntaxFlags.has(SyntaxFlag.RelativeColorSyntax) || syntaxFlags.has(SyntaxFlag.ColorMix);
  if (/^(rgb|hex|hsl|hwb)$/.test(colorNotation)) {
    // Mixed and relative ones compute to `color(srgb …)` (CSS Color 5, 4.2), which is no legacy colour.
    const legacy = serializeRGB(data)
      .toString()
      .replace(/0\.\d+(?=\)$)/, (alpha) => numberText(Number(Number(alpha).toFixed(2))));
    return isMixed ? `color(srgb ${legacy})` : legacy;
  }
  if (colorNotation === 'srgb') return `color(srgb ${serializeRGB(data).toString()})`;
  const parts = channels.map((channel) => (channel === null ? 'none' : Number(channel).toPrecision(4)));
  return `${colorNotation}(${parts.join(' ')} / ${numberText(Number(alpha))})`;
}
