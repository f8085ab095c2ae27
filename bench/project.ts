import { cpSync, mkdirSync, mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { demoPages, type DemoPage } from '../demo/pages.js';
import { fileOf, packageFolder, renderPage } from '../demo/site.js';

/** A folder of pages with the demo's template and a body of some 30 KB, every `step`th of them targeted by rules. */
export function makeProject(pages: number, rules: number, targeted: number): string {
  const directory = mkdtempSync(join(tmpdir(), 'needle-bench-'));
  const text = (seed: number) =>
    Array.from(
      { length: 90 },
      (_, index) =>
        `<section class="part part-${(seed + index) % 17}"><h2>Crossing ${index}</h2><p class="lead">Leaves at ${index % 24}:10 from <a href="/harbours/${index}">pier ${index}</a>, in all weathers but a north-easterly gale.</p><ul><li>Bicycles</li><li>Dogs</li></ul></section>`,
    ).join('\n');
  for (let index = 0; index < pages; index++) {
    const model = demoPages[index % demoPages.length] as DemoPage;
    const page: DemoPage = {
      ...model,
      path: `/p/${index}`,
      id: index + 1,
      entry: undefined,
      bodyId: undefined,
      body: model.body + text(index),
    };
    const file = join(directory, 'public', fileOf(page.path));
    mkdirSync(join(file, '..'), { recursive: true });
    writeFileSync(file, renderPage(page, 'live'));
  }
  const step = Math.max(1, Math.floor(pages / targeted));
  const blocks = Array.from({ length: rules }, (_, rule) => {
    const ids = Array.from(
      { length: Math.ceil(targeted / rules) },
      (_, index) => `page-id(${(((rule + index * rules) * step) % pages) + 1})`,
    );
    const where = targeted === pages ? 'all' : ids.join(', ');
    return `@needle rule-${rule} { note: "Number ${rule}."; pages: ${where}; @hide .band.sign-up; .part-${rule % 17} h2 { color: teal; margin: 0; } }`;
  });
  if (targeted === pages) blocks.push('@guard .legal a { note: "The law wants these."; }');
  cpSync(join(packageFolder(), 'demo', 'assets'), join(directory, 'public', 'assets'), { recursive: true });
  mkdirSync(join(directory, 'rules'));
  writeFileSync(join(directory, 'rules/bench.css'), blocks.join('\n'));
  writeFileSync(join(directory, 'local-needle.yaml'), 'version: 1\nsites: { live: { folder: public } }\n');
  return directory;
}
