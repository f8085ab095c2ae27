import escape from 'escape-html';
import type { Block, Region } from '../core/before-after/blocks.js';
import { sheetScript } from './contact-sheet-script.js';
import { count, printable } from './text.js';

/** A pair of pictures as the contact sheet shows it. */
export interface SheetPair {
  path: string;
  /** Those at which it looks the same. */
  viewports: string[];
  state: string | null;
  visitor: string | null;
  template: string;
  /** Further pages of the template that these rules change, or that no rule reaches either. */
  alike: number;
  /** Pages of the template that the rules reach, which were not opened. */
  unopened: number;
  /** The rules that change something on it; none on a page that must stay as it is. */
  actors: string[];
  /** Whether no rule reaches the page. */
  isControl: boolean;
  /** File names beside the sheet, or `data:` addresses. */
  before: string;
  after: string;
  width: number;
  heights: { before: number; after: number };
  share: number;
  blocks: (Omit<Block, 'rules'> & { rules: string[] })[];
}

/** What the sheet says besides its pairs. */
export interface SheetFacts {
  site: string;
  /** Pairs that were not taken: the run was interrupted, goes on, or could not picture them. */
  missing: number;
  /** Pages that a rule reaches, though nothing changes there. */
  unchanged: number;
}

const safe = (text: string) => escape(printable(text));
export const percent = (share: number) =>
  share === 0 ? '0 %' : share < 0.001 ? 'under 0.1 %' : `${(share * 100).toFixed(1)} %`;

/** How a pair differs, in words. */
export function differenceText({ blocks, share }: Pick<SheetPair, 'blocks' | 'share'>): string {
  if (blocks.length === 0) return 'identical';
  const moved = blocks.filter(({ kind }) => kind === 'moved').length;
  const changed = blocks.length - moved;
  const also = moved > 0 ? `${count(moved, 'block')} moved` : '';
  return changed === 0 ? also : [`${percent(share)} changed`, ...(also ? [also] : [])].join(', ');
}

/** The largest changes first, pages that must stay as they are last. */
export function sortedPairs(pairs: SheetPair[]): SheetPair[] {
  const rank = ({ isControl, share, blocks }: SheetPair) => (isControl ? (blocks.length > 0 ? 2 : -1) : share);
  return [...pairs].sort((a, b) => rank(b) - rank(a) || (a.path < b.path ? -1 : a.path > b.path ? 1 : 0));
}

/** All pairs on one page, what changed outlined; a page of its own that needs no network, and works with JavaScript off. */
export function contactSheet({ site, missing, unchanged }: SheetFacts, given: SheetPair[]): string {
  const pairs = sortedPairs(given);
  const targeted = pairs.filter(({ isControl }) => !isControl);
  const controls = pairs.filter(({ isControl }) => isControl);
  const broken = controls.filter(({ blocks }) => blocks.length > 0);
  const facts = [
    `${count(pairs.length, 'pair')} of pictures, without and with the rules`,
    ...(missing > 0
      ? [`${count(missing, 'pair')} not here: not taken yet, interrupted, or they could not be pictured`]
      : []),
    ...(unchanged > 0 ? [`${count(unchanged, 'page')} left out, since the rules change nothing there`] : []),
    ...(broken.length > 0 ? [`${count(broken.length, 'page')} without a rule changed`] : []),
  ];
  const viewports = [...new Set(pairs.flatMap((pair) => pair.viewports))];
  const rules = [...new Set(pairs.flatMap(({ actors }) => actors))].sort();
  const choice = (name: string, label: string, all: string, values: string[]) =>
    values.length > 1
      ? `<label>${label} <select name="${name}"><option value="">${all}</option>${values.map((value) => `<option>${safe(value)}</option>`).join('')}</select></label>`
      : '';
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${safe(site)}: before and after</title>
<style>${css}</style>
</head>
<body>
<h1>${safe(site)}: before and after</h1>
<p class="facts">${facts.map(safe).join('. ')}.</p>
<p class="key"><span class="changed"></span> changed <span class="gone"></span> gone <span class="new"></span> new <span class="moved"></span> moved</p>
<form id="filter" hidden><label>Page or rule <input type="search" name="words"></label>${choice('rule', 'Rule', 'every rule', rules)}${choice('viewport', 'Viewport', 'every viewport', viewports)}<output></output></form>
<main>
<section><h2>Changed by rules</h2>
<div class="cards">${targeted.map(pairHtml).join('\n') || '<p>None.</p>'}</div>
</section>
<section><h2>Must stay as they are</h2>
<div class="cards">${controls.map(pairHtml).join('\n') || '<p>The rules reach every page, so there is no page to compare.</p>'}</div>
</section>
</main>
<dialog id="large"><header><button type="button" value="previous" aria-label="Previous pair">←</button><h2></h2><button type="button" value="next" aria-label="Next pair">→</button><fieldset><legend>Show</legend>${modes.map(([mode, key, label]) => `<label><input type="radio" name="mode" value="${mode}"> ${label} <kbd>${key}</kbd></label>`).join('')}</fieldset><label class="outlines"><input type="checkbox" name="outlines" checked> Outlines <kbd>o</kbd></label><button type="button" value="close">Close</button></header><p class="told"></p><div class="compared"></div><label class="edge">Edge <input type="range" name="edge" min="0" max="100" value="50"></label></dialog>
<script>(${sheetScript.toString()})()</script>
</body>
</html>
`;
}

/** How a pair is shown in full, each with its key. */
const modes = [
  ['beside', '1', 'Side by side'],
  ['slider', '2', 'Slider'],
  ['overlay', '3', 'Overlay'],
  ['flicker', '4', 'Flicker'],
] as const;

const css = `
:root { color-scheme: light dark; --ink: light-dark(#16232b, #e4ecef); --soft: light-dark(#4c616c, #a5b8c1); --paper: light-dark(#fff, #12191d); --raised: light-dark(#f3f7f8, #1b252b); --line: light-dark(#cfdbdf, #33444d); --changed: #d1242f; --gone: #a63bb8; --new: #17803d; --moved: #2f6fb3; }
body { margin: 0 auto; max-width: 1400px; padding: 16px 24px; color: var(--ink); background: var(--paper); font: 15px/1.45 system-ui, sans-serif; }
h1 { font-size: 24px; margin: 0; } h2 { font-size: 19px; margin: 20px 0 8px; } .facts, .key { margin: 4px 0; color: var(--soft); }
.key span { display: inline-block; width: 14px; height: 10px; margin: 0 2px 0 10px; border: 2px solid var(--changed); } .key .gone { border-color: var(--gone); } .key .new { border-color: var(--new); } .key .moved { border: 1px dashed var(--moved); }
form:not([hidden]) { display: flex; flex-wrap: wrap; gap: 6px 18px; align-items: center; position: sticky; top: 0; z-index: 1; background: var(--paper); padding: 8px 0; } input, select, button { font: inherit; }
.cards { display: grid; grid-template-columns: repeat(auto-fill, minmax(330px, 1fr)); gap: 14px; align-items: start; }
article { border: 1px solid var(--line); border-radius: 6px; padding: 10px 12px; background: var(--raised); min-width: 0; } article h3 { font-size: 15px; margin: 0; overflow-wrap: anywhere; } article p { margin: 2px 0 8px; font-size: 13px; color: var(--soft); overflow-wrap: anywhere; } article p strong { color: var(--ink); }
.pair { display: grid; grid-template-columns: 1fr 1fr; gap: 8px; } figure { margin: 0; min-width: 0; } figcaption { color: var(--soft); font-size: 12px; } .picture { display: block; max-height: 260px; overflow: hidden; border: 1px solid var(--line); background: #fff; }
.frame { position: relative; display: block; } img { display: block; width: 100%; height: auto; } .block { position: absolute; min-width: 3px; min-height: 3px; outline: 2px solid var(--changed); } .block.gone { outline-color: var(--gone); } .block.new { outline-color: var(--new); } .block.moved { outline: 1px dashed var(--moved); outline-offset: -1px; }
.same { color: light-dark(#17673a, #7fd6a0); } .differs { color: light-dark(#a3221a, #ff9a90); }
dialog { box-sizing: border-box; width: 100vw; height: 100dvh; max-width: none; max-height: none; margin: 0; border: 0; padding: 0 16px 16px; color: var(--ink); background: var(--paper); overflow: auto; }
dialog header { position: sticky; top: 0; z-index: 1; display: flex; flex-wrap: wrap; gap: 4px 12px; align-items: center; background: var(--paper); padding: 10px 0; } dialog h2 { margin: 0; font-size: 17px; overflow-wrap: anywhere; } fieldset { display: flex; flex-wrap: wrap; gap: 2px 10px; border: 0; padding: 0; margin: 0 0 0 auto; } legend { float: left; padding: 0 8px 0 0; color: var(--soft); } kbd { font-size: 12px; color: var(--soft); } .told { margin: 0 0 6px; color: var(--soft); }
.compared { display: grid; grid-template-columns: 1fr 1fr; gap: 12px; align-items: start; } .compared .frame { border: 1px solid var(--line); margin-top: 0 !important; } .compared:not(.beside) { grid-template-columns: minmax(0, 1fr); } .compared:not(.beside) .frame { grid-area: 1 / 1; max-width: var(--width); justify-self: center; width: 100%; box-sizing: border-box; background: #fff; }
.compared.beside .frame { max-width: var(--width); } .compared.slider .frame:last-child { clip-path: inset(0 0 0 var(--edge)); } .compared.slider::after { content: ''; grid-area: 1 / 1; justify-self: center; align-self: stretch; width: min(100%, var(--width)); background: linear-gradient(to right, transparent calc(var(--edge) - 1px), var(--changed) 0 calc(var(--edge) + 1px), transparent 0); pointer-events: none; } .compared.overlay .frame:last-child { mix-blend-mode: difference; } .compared.flicker.first .frame:last-child, .compared.flicker:not(.first) .frame:first-child { visibility: hidden; }
.edge { display: none; } .compared.slider + .edge { position: fixed; bottom: 12px; left: 50%; translate: -50%; display: block; background: var(--raised); border: 1px solid var(--line); border-radius: 6px; padding: 2px 10px; } .compared.plain .block { display: none; }
@media (max-width: 600px) { body { padding: 12px; } .cards { grid-template-columns: minmax(0, 1fr); } }
`;

function pairHtml(pair: SheetPair): string {
  const { path, viewports, state, visitor, actors, blocks, isControl, template, alike, unopened, width } = pair;
  const told = differenceText(pair);
  const tone = isControl ? (blocks.length > 0 ? 'differs' : 'same') : '';
  const look = [...viewports, ...(state === null ? [] : [state]), ...(visitor === null ? [] : [visitor])];
  const more = [
    ...(alike > 0
      ? [`${count(alike, 'more page')} of ${template} ${isControl ? 'that no rule reaches' : 'changed by these rules'}`]
      : []),
    ...(unopened > 0 ? [`${count(unopened, 'page')} not looked at`] : []),
  ];
  const like = more.length > 0 ? `; ${more.join(', ')}` : '';
  const who = isControl ? 'no rule reaches it' : actors.length > 0 ? `by ${actors.join(', ')}` : 'no rule changes it';
  return `<article data-path="${safe(path)}" data-viewports="${safe(viewports.join(' '))}" data-rules="${safe(actors.join(' '))}" data-width="${width}"><h3>${safe(path)}</h3><p>at ${safe(look.join(', '))}${safe(like)}: <strong class="${tone}">${told}</strong> ${safe(who)}</p>
<div class="pair">${figureHtml(pair, 'before')}${figureHtml(pair, 'after')}</div></article>`;
}

function figureHtml({ path, before, after, width, heights, blocks }: SheetPair, which: 'before' | 'after'): string {
  const height = heights[which];
  const outlines = blocks.flatMap(({ kind, rules, ...places }) => {
    const place = places[which];
    if (!place || place.y >= height) return [];
    const title = kind === 'moved' ? 'moved' : `${kind}: ${rules.join(', ')}`;
    return [`<span class="block ${kind}" title="${safe(title)}" style="${styleOf(place, width, height)}"></span>`];
  });
  const file = which === 'before' ? before : after;
  const frame = `<span class="frame" style="margin-top: -${hiddenAbove(blocks, which, width)}%"><img src="${safe(file)}" alt="${safe(path)} ${which}" width="${width}" height="${height}" loading="lazy">${outlines.join('')}</span>`;
  // A browser opens no data: address.
  const picture = file.startsWith('data:')
    ? `<div class="picture">${frame}</div>`
    : `<a class="picture" href="${safe(file)}">${frame}</a>`;
  return `<figure>${picture}<figcaption>${which}</figcaption></figure>`;
}

/** What of a picture is above its thumbnail, in hundredths of its width, so that the first change is in view. */
function hiddenAbove(blocks: SheetPair['blocks'], which: 'before' | 'after', width: number): number {
  const first = blocks.find((block) => block.kind !== 'moved' && block[which]);
  const { y = 0, height = 0 } = first?.[which] ?? {};
  return y + height < 1.3 * width ? 0 : Math.round((y / width - 0.3) * 100);
}

function styleOf({ x, y, width, height }: Region, whole: number, high: number): string {
  const part = (length: number, of: number) => `${+((length / of) * 100).toFixed(3)}%`;
  return `left:${part(x, whole)};top:${part(y, high)};width:${part(width, whole)};height:${part(Math.min(height, high - y), high)}`;
}
