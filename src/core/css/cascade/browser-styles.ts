import { attribute, lineageOf, type Element } from '../../page/document.js';
import { compileSheet, type Sheet } from './sheet.js';

/**
 * The browser's own styles: the style sheet that the HTML Standard suggests (15.3), with Chromium's differences. Only
 * what computed values of a page at rest depend on; tests/browser/browser-styles.test.ts holds it against Chromium,
 * element by element.
 */
const text = `
html, body, address, article, aside, blockquote, center, dd, details, dir, div, dl, dt, fieldset, figcaption, figure,
footer, form, h1, h2, h3, h4, h5, h6, header, hgroup, hr, legend, listing, main, menu, nav, ol, optgroup, option, p,
plaintext, pre, search, section, summary, ul, xmp { display: block; }
area, base, basefont, datalist, head, link, meta, noembed, noframes, param, rp, script, style, template,
title { display: none; }
input[type=hidden i] { display: none !important; }
[hidden]:not([hidden=until-found i], embed) { display: none; }
[hidden=until-found i] { content-visibility: hidden; }
dialog:not([open]), [popover]:not(:popover-open, dialog[open]) { display: none; }
slot { display: contents; }
ruby { display: ruby; } rt { display: ruby-text; }
audio:not([controls]) { display: none !important; }
img, video, canvas { overflow: clip; overflow-clip-margin: content-box; }
iframe { border: 2px inset; }
iframe, object, embed, input[type=image i], select:not([multiple], [size]:not([size=''], [size='0'], [size='1'])) { overflow: clip !important; overflow-clip-margin: content-box !important; }
input:not([type=checkbox i], [type=radio i], [type=range i], [type=image i]) { overflow: clip !important; overflow-clip-margin: 0 !important; }
input[type=file i] { text-align: start !important; }
table { display: table; } caption { display: table-caption; } colgroup { display: table-column-group; }
col { display: table-column; } thead { display: table-header-group; } tbody { display: table-row-group; }
tfoot { display: table-footer-group; } tr { display: table-row; } td, th { display: table-cell; }
input, select, button { display: inline-block; } textarea { display: inline-block; }
meter, progress { display: inline-block; } marquee { display: inline-block; }
li, summary { display: list-item; }
summary { list-style: disclosure-closed inside; } details[open] > summary { list-style-type: disclosure-open; }
body { margin: 8px; }
p, dl, pre, listing, xmp, plaintext, menu, dir, ul, ol { margin-block: 1em; }
blockquote, figure { margin: 1em 40px; } dd { margin-inline-start: 40px; }
dir, menu, ul { padding-inline-start: 40px; list-style-type: disc; }
ol { padding-inline-start: 40px; list-style-type: decimal; }
:is(dir, menu, ol, ul) dir, :is(dir, menu, ol, ul) menu, :is(dir, menu, ol, ul) ol, :is(dir, menu, ol, ul) ul, dl dl { margin-block: 0; }
:is(dir, menu, ol, ul) dir, :is(dir, menu, ol, ul) menu, :is(dir, menu, ol, ul) ul { list-style-type: circle; }
:is(dir, menu, ol, ul) :is(dir, menu, ol, ul) dir, :is(dir, menu, ol, ul) :is(dir, menu, ol, ul) menu, :is(dir, menu, ol, ul) :is(dir, menu, ol, ul) ul { list-style-type: square; }
h1 { margin-block: 0.67em; font-size: 2em; } h2 { margin-block: 0.83em; font-size: 1.5em; }
h3 { margin-block: 1em; font-size: 1.17em; } h4 { margin-block: 1.33em; } h5 { margin-block: 1.67em; font-size: 0.83em; }
h6 { margin-block: 2.33em; font-size: 0.67em; }
h1, h2, h3, h4, h5, h6, b, strong, th { font-weight: bold; }
b, strong { font-weight: bolder; }
cite, dfn, em, i, var, address { font-style: italic; }
code, kbd, samp, tt, listing, plaintext, pre, xmp { font-family: monospace; }
listing, plaintext, pre, xmp { white-space: pre; }
big { font-size: larger; } small, sub, sup { font-size: smaller; }
sub { vertical-align: sub; } sup { vertical-align: super; } rt { font-size: 50%; text-align: start; }
u, ins { text-decoration: underline; } s, strike, del { text-decoration: line-through; }
abbr[title], acronym[title] { text-decoration: underline dotted; }
mark { background: yellow; color: black; }
a:any-link, area:any-link { color: -webkit-link; text-decoration: underline; cursor: pointer; }
a:any-link:active { color: -webkit-activelink; }
center { text-align: -webkit-center; } caption { text-align: -webkit-center; } th { text-align: -internal-center; }
table { box-sizing: border-box; border-spacing: 2px; border-collapse: separate; text-indent: initial; }
td, th { padding: 1px; vertical-align: inherit; } thead, tbody, tfoot { vertical-align: middle; border-color: inherit; }
tr { vertical-align: inherit; border-color: inherit; }
hr { color: gray; border: 1px inset; margin-block: 0.5em; margin-inline: auto; overflow: hidden; unicode-bidi: isolate; }
fieldset { margin-inline: 2px; border: 2px groove rgb(192, 192, 192); padding-block: 0.35em 0.625em; padding-inline: 0.75em; min-inline-size: min-content; }
legend { padding-inline: 2px; }
q::before { content: open-quote; } q::after { content: close-quote; }
nobr { white-space: nowrap; } wbr { display: inline; }
[dir=ltr i] { direction: ltr; } [dir=rtl i] { direction: rtl; }
[dir], bdi, output { unicode-bidi: isolate; } bdo { unicode-bidi: bidi-override; } bdo[dir] { unicode-bidi: isolate-override; }
address, blockquote, center, dialog, div, figure, figcaption, footer, form, header, hr, legend, listing, main, p,
plaintext, pre, search, summary, xmp, article, aside, h1, h2, h3, h4, h5, h6, hgroup, nav, section, table, caption,
colgroup, col, thead, tbody, tfoot, tr, td, th, dir, dd, dl, dt, menu, ol, ul, li, details, fieldset, body, html, optgroup, option { unicode-bidi: isolate; }
html, body { unicode-bidi: normal; }
[popover] { position: fixed; inset: 0; width: fit-content; height: fit-content; margin: auto; border: solid; padding: 0.25em; overflow: auto; color: canvastext; background-color: canvas; }
dialog { position: absolute; inset-inline: 0; width: fit-content; height: fit-content; margin: auto; border: solid; padding: 1em; color: canvastext; background-color: canvas; }
input, textarea, select, button { margin: 0; letter-spacing: initial; word-spacing: initial; line-height: initial;
  text-transform: initial; text-indent: initial; text-shadow: initial; text-align: initial; font: 13.3333px Arial; color: fieldtext; }
input, select, textarea { cursor: text; }
select, button, input:is([type=button i], [type=submit i], [type=reset i], [type=checkbox i], [type=radio i], [type=range i], [type=color i], [type=image i], [type=file i]) { cursor: default; }
input, textarea { background-color: field; border: 2px inset light-dark(rgb(118, 118, 118), rgb(133, 133, 133)); padding: 1px 2px; }
textarea { font-family: monospace; white-space: pre-wrap; padding: 2px; border-width: 1px; border-style: solid; overflow: auto; resize: both; overflow-wrap: break-word; }
select { border: 1px solid light-dark(rgb(118, 118, 118), rgb(133, 133, 133)); background-color: field; white-space: pre; box-sizing: border-box; align-items: center; }
select[multiple] { overflow-x: hidden; overflow-y: scroll; }
button, input:is([type=button i], [type=submit i], [type=reset i]) { text-align: center; padding: 1px 6px; border: 2px outset light-dark(#000, #fff); background-color: buttonface; color: buttontext; box-sizing: border-box; }
input:is([type=button i], [type=submit i], [type=reset i]) { white-space: pre; }
input:is([type=checkbox i], [type=radio i]) { margin: 3px 3px 3px 4px; padding: initial; background-color: initial; border: initial; box-sizing: border-box; }
optgroup { font-weight: bolder; }
label { cursor: default; }
svg:not(:root) { overflow: hidden; }
`;

let sheet: Sheet | undefined;

/** The browser's own stylesheet. */
export const browserSheet = (): Sheet => (sheet ??= compileSheet(text));

type Hint = [property: string, value: (given: string) => string | null];

/** A dimension attribute (HTML Standard, 2.3.4.4): `120` and `50%`. */
const dimension = (given: string) => {
  const [, number, percent] = /^\s*\+?(\d+(?:\.\d+)?)(%?)/.exec(given) ?? [];
  return number === undefined ? null : `${Number(number)}${percent || 'px'}`;
};
const nonZero = (given: string) => {
  const value = dimension(given);
  return value !== null && parseFloat(value) > 0 ? value : null;
};
/** A legacy color value (HTML Standard, 2.3.6), as far as it is a colour that CSS knows too. */
const color = (given: string) => {
  const value = given.trim();
  return value === '' || /^transparent$/i.test(value) ? null : /^[\da-f]{6}$/i.test(value) ? `#${value}` : value;
};
const image = (given: string) => (given.trim() === '' ? null : `url("${given.trim().replace(/["\\\n]/g, '\\$&')}")`);
const keyword = (known: Record<string, string>) => (given: string) => known[given.trim().toLowerCase()] ?? null;
const blockAlign = keyword({
  left: '-webkit-left',
  right: '-webkit-right',
  center: '-webkit-center',
  middle: '-webkit-center',
  justify: 'justify',
});
const listTypes: Record<string, string> = { disc: 'disc', circle: 'circle', square: 'square', none: 'none' };
const marker = (given: string) =>
  listTypes[given.trim().toLowerCase()] ??
  (
    { '1': 'decimal', a: 'lower-alpha', A: 'upper-alpha', i: 'lower-roman', I: 'upper-roman' } as Record<string, string>
  )[given.trim()] ??
  null;

const width: Hint = ['width', dimension];
const height: Hint = ['height', dimension];
const space = (...sides: string[]): Hint[] => sides.map((side): Hint => [`margin-${side}`, dimension]);
const replaced: Record<string, Hint[]> = {
  width: [width],
  height: [height],
  hspace: space('left', 'right'),
  vspace: space('top', 'bottom'),
  border: [
    ['border-width', dimension],
    ['border-style', (given) => (nonZero(given) ? 'solid' : null)],
  ],
  align: [
    ['float', keyword({ left: 'left', right: 'right' })],
    [
      'vertical-align',
      keyword({
        left: 'top',
        right: 'top',
        top: 'top',
        middle: '-webkit-baseline-middle',
        center: 'middle',
        bottom: 'baseline',
        absmiddle: 'middle',
        texttop: 'text-top',
        absbottom: 'bottom',
      }),
    ],
  ],
};
const cell: Record<string, Hint[]> = {
  bgcolor: [['background-color', color]],
  background: [['background-image', image]],
  width: [['width', nonZero]],
  height: [['height', nonZero]],
  align: [['text-align', blockAlign]],
  valign: [['vertical-align', keyword({ top: 'top', middle: 'middle', bottom: 'bottom', baseline: 'baseline' })]],
  nowrap: [['white-space', () => 'nowrap']],
};
const blocks: Record<string, Hint[]> = { align: [['text-align', blockAlign]] };

/** Presentational hints by element and attribute (HTML Standard, 15.3 and 15.4). */
const hints: Record<string, Record<string, Hint[]>> = {
  body: {
    bgcolor: [['background-color', color]],
    background: [['background-image', image]],
    text: [['color', color]],
    marginheight: space('top', 'bottom'),
    topmargin: space('top'),
    bottommargin: space('bottom'),
    marginwidth: space('left', 'right'),
    leftmargin: space('left'),
    rightmargin: space('right'),
  },
  table: {
    ...{ bgcolor: cell['bgcolor'] ?? [], background: cell['background'] ?? [] },
    width: [['width', nonZero]],
    height: [height],
    cellspacing: [['border-spacing', dimension]],
    border: [
      ['border-width', (given) => dimension(given) ?? '1px'],
      ['border-style', (given) => (given === '0' ? null : 'outset')],
    ],
    bordercolor: [['border-color', color]],
    align: [
      ['float', keyword({ left: 'left', right: 'right' })],
      ['margin-inline', keyword({ center: 'auto' })],
    ],
  },
  tr: { ...cell, width: [], nowrap: [] },
  td: cell,
  th: cell,
  thead: { bgcolor: cell['bgcolor'] ?? [], align: cell['align'] ?? [], valign: cell['valign'] ?? [] },
  tbody: { bgcolor: cell['bgcolor'] ?? [], align: cell['align'] ?? [], valign: cell['valign'] ?? [] },
  tfoot: { bgcolor: cell['bgcolor'] ?? [], align: cell['align'] ?? [], valign: cell['valign'] ?? [] },
  col: { width: [['width', nonZero]] },
  font: {
    color: [['color', color]],
    face: [['font-family', (given) => given.trim() || null]],
    size: [
      [
        'font-size',
        keyword({
          '1': 'x-small',
          '2': 'small',
          '3': 'medium',
          '4': 'large',
          '5': 'x-large',
          '6': 'xx-large',
          '7': '-webkit-xxx-large',
        }),
      ],
    ],
  },
  hr: {
    width: [width],
    color: [['color', color]],
    align: [
      ['margin-left', keyword({ left: '0' })],
      ['margin-right', keyword({ right: '0' })],
    ],
  },
  img: replaced,
  iframe: {
    width: [width],
    height: [height],
    frameborder: [['border-width', (given) => (given.trim() === '0' ? '0' : null)]],
  },
  video: { width: [width], height: [height] },
  canvas: {},
  embed: replaced,
  object: replaced,
  div: blocks,
  p: blocks,
  h1: blocks,
  h2: blocks,
  h3: blocks,
  h4: blocks,
  h5: blocks,
  h6: blocks,
  ol: { type: [['list-style-type', marker]] },
  ul: { type: [['list-style-type', marker]] },
  li: { type: [['list-style-type', marker]] },
  br: { clear: [['clear', keyword({ left: 'left', right: 'right', all: 'both', both: 'both' })]] },
  pre: { wrap: [['white-space', () => 'pre-wrap']] },
  svg: { width: [width], height: [height] },
};

/** Whether an attribute may count as a declaration, for its element or the cells in it, or tells what kind of control an element is. */
export const isHintAttribute = (tagName: string, name: string) =>
  (Object.hasOwn(hints, tagName) && Object.hasOwn(hints[tagName] ?? {}, name)) ||
  (tagName === 'table' && name === 'cellpadding') ||
  (tagName === 'input' && name === 'type') ||
  (tagName === 'select' && name === 'size');

/** An element's presentational attributes as declarations; most elements have none. */
export function presentationalHints(element: Element): [property: string, value: string][] {
  const found: [string, string][] = [];
  const own = Object.hasOwn(hints, element.tagName) ? hints[element.tagName] : undefined;
  for (const { name, value } of own ? element.attrs : []) {
    const list = own && Object.hasOwn(own, name) ? (own[name] ?? []) : [];
    for (const [property, read] of list) {
      const given = read(value);
      if (given !== null) found.push([property, given]);
    }
  }
  if (element.tagName === 'td' || element.tagName === 'th') found.push(...fromTable(element));
  return found;
}

/** Declarations for the cells of a table from its `border` and `cellpadding`. */
function fromTable(cellElement: Element): [string, string][] {
  const table = lineageOf(cellElement).find(({ tagName }) => tagName === 'table');
  if (!table) return [];
  const padding = dimension(attribute(table, 'cellpadding') ?? '');
  const border = attribute(table, 'border');
  return [
    ...(padding === null ? [] : [['padding', padding] as [string, string]]),
    ...(border === undefined || border === '0'
      ? []
      : ([
          ['border-width', '1px'],
          ['border-style', 'inset'],
        ] as [string, string][])),
  ];
}
