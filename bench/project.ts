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

/** A folder of pages with the demo's template and a body of some 30 KB each, or of fewer parts. */
export function makePages(pages: number, parts = 90): string {
  const directory = mkdtempSync(join(tmpdir(), 'needle-bench-pages-'));
  const text = (seed: number) =>
    Array.from(
      { length: parts },
      (_, index) =>
        `<section class="part part-${(seed + index) % 17}"><h2>Crossing ${index}</h2><p class="lead">Leaves at ${index % 24}:10 from <a href="/harbours/${index}">pier ${index}</a>, in all weathers but a north-easterly gale.</p><ul><li>Bicycles</li><li>Dogs</li></ul></section>`,
    ).join('\n');
  for (let index = 0; index < pages; index++) {
    const model = demoPages[index % demoPages.length] as DemoPage;
    const page: DemoPage = {
      ...model,
      path: `/p/${index % 40}/${index}`,
      id: index + 1,
      entry: undefined,
      bodyId: undefined,
      body: model.body + text(index),
    };
    const file = join(directory, fileOf(page.path));
    mkdirSync(join(file, '..'), { recursive: true });
    writeFileSync(file, renderPage(page, 'live'));
  }
  cpSync(join(packageFolder(), 'demo', 'assets'), join(directory, 'assets'), { recursive: true });
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
  writeFileSync(join(directory, 'rules/bench.css'), blocks.join('\n'));
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
