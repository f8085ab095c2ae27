import escape from 'escape-html';
import { printable } from './text.js';

/** A pair of pictures as the contact sheet shows it. */
export interface SheetPair {
  path: string;
  viewport: string;
  state: string | null;
  /** The rules that target the page; none for a page that must stay as it is. */
  rules: string[];
  /** The rules that change something on it. */
  actors: string[];
  /** File names beside the sheet. */
  before: string;
  after: string;
  width: number;
  heights: { before: number; after: number };
  share: number;
  regions: { x: number; y: number; width: number; height: number; rules: string[] }[];
}

const safe = (text: string) => escape(printable(text));
export const percent = (share: number) =>
  share === 0 ? '0 %' : share < 0.001 ? 'under 0.1 %' : `${(share * 100).toFixed(1)} %`;

/** All pairs on one page, what changed outlined, controls last. */
export function contactSheet(site: string, pairs: SheetPair[]): string {
  const targeted = pairs.filter(({ rules }) => rules.length > 0);
  const controls = pairs.filter(({ rules }) => rules.length === 0);
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${safe(site)}: before and after</title>
<style>
:root { color-scheme: light dark; --ink: light-dark(#16232b, #e4ecef); --soft: light-dark(#4c616c, #a5b8c1); --paper: light-dark(#fff, #12191d); --line: light-dark(#cfdbdf, #33444d); --mark: #d1242f; }
body { margin: 0 auto; max-width: 1240px; padding: 16px 24px; color: var(--ink); background: var(--paper); font: 15px/1.45 system-ui, sans-serif; }
h1 { font-size: 24px; } h2 { font-size: 19px; margin: 24px 0 8px; } h3 { font-size: 15px; margin: 0 0 6px; } h3 span { color: var(--soft); font-weight: normal; }
article { border-top: 1px solid var(--line); padding: 12px 0; } .pair { display: grid; grid-template-columns: 1fr 1fr; gap: 14px; }
figure { margin: 0; } figcaption { color: var(--soft); font-size: 13px; } figure { max-width: 560px; } .picture { position: relative; max-height: 1100px; overflow: hidden; border: 1px solid var(--line); }
.phone figure { max-width: 230px; } .phone .pair { grid-template-columns: 240px 240px; } .frame { position: relative; } img { display: block; width: 100%; height: auto; } .region { position: absolute; outline: 2px solid var(--mark); outline-offset: -1px; }
.same { color: light-dark(#17673a, #7fd6a0); } .differs { color: light-dark(#a3221a, #ff9a90); }
</style>
</head>
<body>
<h1>${safe(site)}: before and after</h1>
<section><h2>Pages that rules are for</h2>
${targeted.map(pairHtml).join('\n') || '<p>None.</p>'}
</section>
<section><h2>Pages that must stay as they are</h2>
${controls.map(pairHtml).join('\n') || '<p>Every page has a rule, so there is no page to compare.</p>'}
</section>
</body>
</html>
`;
}

function pairHtml(pair: SheetPair): string {
  const { path, viewport, state, rules, actors, share, width } = pair;
  const isControl = rules.length === 0;
  const told =
    share === 0
      ? `<strong class="${isControl ? 'same' : ''}">identical</strong>`
      : `<strong class="${isControl ? 'differs' : ''}">${percent(share)} of the page changed</strong>`;
  return `<article${width < 600 ? ' class="phone"' : ''}><h3>${safe(path)} <span>at ${safe(viewport)}${state === null ? '' : `, ${safe(state)}`}${isControl ? '' : `: ${safe(actors.join(', ') || 'no rule changes anything here')}`}</span> ${told}</h3>
<div class="pair">${figureHtml(pair, 'before')}${figureHtml(pair, 'after')}</div></article>`;
}

function figureHtml({ path, before, after, width, heights, regions }: SheetPair, which: 'before' | 'after'): string {
  const height = heights[which];
  const boxes = regions
    .filter(({ y }) => y < height)
    .map(
      (each) =>
        `<div class="region" title="${safe(each.rules.join(', '))}" style="left:${(each.x / width) * 100}%;top:${(each.y / height) * 100}%;width:${(each.width / width) * 100}%;height:${(Math.min(each.height, height - each.y) / height) * 100}%"></div>`,
    )
    .join('');
  const file = which === 'before' ? before : after;
  return `<figure><div class="picture"><div class="frame"><img src="${safe(file)}" alt="${safe(path)} ${which}" loading="lazy">${boxes}</div></div><figcaption>${which}</figcaption></figure>`;
}
