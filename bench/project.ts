import { cpSync, mkdirSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { demoPages, type DemoPage } from '../demo/pages.js';
import { fileOf, packageFolder, renderPage } from '../demo/site.js';
import { readFolder } from '../src/capture/folder.js';
import type { Page, Site } from '../src/core/page/page.js';
import { readWords } from '../src/core/page/site-words.js';
import { pathCondition } from '../src/core/target/path-condition.js';
import { indexOf } from '../src/core/target/site-index.js';

/** How many rules there are, and how many pages they are for. */
export interface Load {
  rules: number;
  targeted: number;
}

/** Rules in one file, as people have them. */
const rulesInFile = 10;

const numbers = (length: number) => Array.from({ length }, (_, index) => index);

/** Parts of a page as documentation, lists of products and journals have them, by number. */
const parts = [
  (n: number) =>
    `<section class="part part-${n % 17}"><h2 id="crossing-${n}">Crossing ${n}</h2><p class="lead">Leaves at ${n % 24}:10 from <a class="pier internal" href="/harbours/${n}">pier ${n}</a>, in all weathers but a north-easterly gale.</p><ul class="simple"><li><p>Bicycles</p></li><li><p>Dogs, <em>on a lead</em></p></li></ul></section>`,
  (n: number) =>
    `<table class="times"><thead><tr><th>Day</th><th>Out</th><th>Back</th></tr></thead><tbody>${numbers(5)
      .map((day) => `<tr class="day-${day}"><td>${day}</td><td>${n % 24}:10</td><td>${(n + 2) % 24}:40</td></tr>`)
      .join('')}</tbody></table>`,
  (n: number) =>
    `<dl class="fares"><dt class="sig" id="fare-${n}"><code class="name"><span class="pre">adult</span></code><a class="permalink" href="#fare-${n}" title="Link to this fare">#</a></dt><dd><p>${n % 40} pounds, <span class="note">return ${n % 70}</span>.</p></dd></dl>`,
  (n: number) =>
    `<div class="card card-${n % 9}"><img src="/assets/boat-${n % 7}.jpg" alt="" width="320" height="200"><div class="body"><h3>Island ${n}</h3><p>Sheep, a lighthouse and ${n} puffins.</p><a class="button small" href="/islands/${n}">More</a></div></div>`,
];

/** Text as long as it is between the tags of real pages. */
const prose = (n: number) =>
  `The boat of ${n % 24}:10 takes bicycles and dogs, but no lorries; from the pier it is ${n % 9} minutes on foot to the village, and the last bus leaves when everybody is off the boat. In winter ask at the harbour office whether there is a crossing at all: when the wind is from the north-east there may be none for days, and tickets are good for the next one.`;

/** The list of contents beside each page. */
const contents = `<aside class="toc"><ul>${numbers(45)
  .map(
    (n) =>
      `<li class="toc-entry"><a class="internal reference" href="/p/${n % 40}/${n}">Crossing ${n}, all days</a></li>`,
  )
  .join('')}</ul></aside>`;

/** A stylesheet as large as those of real sites, with some selectors that look at siblings and positions. */
const siteSheet = () =>
  [
    '.part { padding: 1rem } .lead { color: #333 } .times td, .times th { padding: 0 .5rem } .button { display: inline-block; color: white }',
    'ul.simple > li:first-child > p { margin-top: 0 } dl.fares dd > :last-child { margin-bottom: 0 } h2 + p { font-size: 1.1em }',
    'a.internal:hover { color: teal } .times tr:nth-child(even) { background: #eee } td > :first-child { margin-top: 0 }',
    ...numbers(17).map(
      (n) => `.part-${n} .lead { border-left: ${n}px solid #ccc } .part-${n} h2 { color: hsl(${n * 20} 40% 30%) }`,
    ),
    ...numbers(9).map(
      (n) =>
        `.card-${n} .body > h3 { margin: ${n}px 0 } @media (max-width: ${600 + n}px) { .card-${n} { float: none } }`,
    ),
    ...numbers(400).map(
      (n) => `.u-${n} { margin: ${n}px } .theme-${n % 12} .u-${n}:not(.plain) { padding: ${n % 30}px }`,
    ),
  ].join('\n');

/** How many parts a page has: some pages are twenty times as long as others, most are short. */
const partsOf = (index: number) => Math.round(11.5 * 1.014 ** ((index * 7919) % 270));

/**
 * A folder of generated pages, in size and number of tags like those of a large manual (docs/performance.md), with the
 * demo's template and a stylesheet of more than 800 rules. `partsOn`: how many parts a page has.
 */
export function makePages(pages: number, partsOn = partsOf): string {
  const directory = mkdtempSync(join(tmpdir(), 'needle-bench-pages-'));
  for (let index = 0; index < pages; index++) {
    const model = demoPages[index % demoPages.length] as DemoPage;
    const content = numbers(partsOn(index)).map(
      (n) => `${parts[(index + n * (1 + (index % 3))) % parts.length]?.(n + index)}<p>${prose(n + index)}</p>`,
    );
    const page: DemoPage = {
      ...model,
      path: `/p/${index % 40}/${index}`,
      id: index + 1,
      entry: undefined,
      bodyId: undefined,
      body: model.body + contents + content.join('\n'),
    };
    const file = join(directory, fileOf(page.path));
    mkdirSync(join(file, '..'), { recursive: true });
    const link = '<link rel="stylesheet" href="/assets/site.css">';
    writeFileSync(file, renderPage(page, 'live').replace('</head>', `${link}</head>`));
  }
  cpSync(join(packageFolder(), 'demo', 'assets'), join(directory, 'assets'), { recursive: true });
  writeFileSync(join(directory, 'assets', 'site.css'), siteSheet());
  return directory;
}

/**
 * A project for a folder of HTML: rules by path, pattern, page ID and class in turn, one rule in ten with a selector that
 * matches nothing. With as many pages targeted as there are, every rule is for all of them, and one element must stay visible.
 */
export function makeProject(folder: string, { rules, targeted }: Load): string {
  const directory = mkdtempSync(join(tmpdir(), 'needle-bench-'));
  const { site } = readFolder('live', resolve(folder), folder, {}, null);
  const all = targeted >= site.pages.length;
  const step = site.pages.length / targeted;
  const chosen = Array.from({ length: all ? 0 : targeted }, (_, index) => site.pages[Math.floor(index * step)] as Page);
  const blocks = Array.from({ length: rules }, (_, rule) => {
    const own = chosen.filter((_page, index) => index % rules === rule);
    const model = own[0] ?? (site.pages[(rule * 97) % site.pages.length] as Page);
    const conditions = all ? ['all'] : (own.length > 0 ? own : [model]).map((page) => conditionFor(page, rule, site));
    const [one, other] = selectorsOf(readFileSync(join(folder, model.file), 'latin1'), rule);
    const missing = rule % 10 === 9 ? ` @hide .no-such-part-${rule};` : '';
    return `@needle rule-${rule} { note: "Number ${rule}."; pages: ${conditions.join(', ')}; @hide ${one};${missing} ${other} { color: teal; margin: 0; } }`;
  });
  if (all) blocks.push('@keep-visible footer a, .footer a { note: "The law wants these."; }');
  mkdirSync(join(directory, 'rules'));
  for (let file = 0; file * rulesInFile < blocks.length; file++) {
    const own = blocks.slice(file * rulesInFile, (file + 1) * rulesInFile);
    writeFileSync(join(directory, `rules/bench-${String(file).padStart(3, '0')}.css`), own.join('\n'));
  }
  writeFileSync(
    join(directory, 'local-needle.yaml'),
    `version: 1\nsites: { live: { folder: ${JSON.stringify(resolve(folder))} } }\n`,
  );
  return directory;
}

/** A condition for a page, of the kind whose turn it is. */
function conditionFor(page: Page, turn: number, site: Site): string {
  const sole = indexOf(site).soleHandle(page);
  const kinds = [
    () => pathCondition(page.path),
    () => patternFor(page, site),
    () => (page.pageId ? `page-id(${page.pageId.value})` : null),
    () => (sole?.kind === 'body-class' ? sole.condition : null),
  ];
  return kinds[turn % kinds.length]?.() ?? pathCondition(page.path);
}

/** The widest pattern by the beginning of a page's path that picks a few pages. */
function patternFor({ path }: Page, site: Site): string | null {
  if (/[^\w/.-]/.test(path)) return null;
  for (let end = 2; end < path.length; end++)
    if (indexOf(site).below(path.slice(0, end)).length <= 4) return `path("${path.slice(0, end)}*")`;
  return null;
}

/** Two selectors that match on a page. */
function selectorsOf(html: string, turn: number): [string, string] {
  const words = readWords(html).trim().split(' ');
  const classes = words.filter((word) => /^\.[a-z][\w-]*$/.test(word));
  const tags = words.filter((word) => /^(h1|h2|p|li|a|dt|td)$/.test(word));
  return [classes[turn % (classes.length || 1)] ?? 'p', tags[turn % (tags.length || 1)] ?? 'p'];
}
