import { cpSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import { writeDemoSite } from '../../demo/site.js';
import type { CheckReport } from '../../src/core/check/verdict.js';
import { classesOf } from '../../src/core/find/describe.js';
import { parentOf, readDocument, type Element } from '../../src/core/page/document.js';
import { describeInBrowser, folderWith, noteFigure, run, runsOf } from '../helpers.js';
import { inTestBrowser } from './chromium.js';
import { randomFrom } from '../oracle/value-samples.js';

/** Folders of sites with colons between them: SITE_FOLDERS=/a:/b npm run test:long tests/browser/site-folders; else the demo's. */
const folders = (process.env['SITE_FOLDERS'] ?? 'demo').split(':');

const declarations =
  `color: teal; background: none; background-color: #fff; border: 0; border-top: 1px solid; margin: 0 auto;
  margin-inline-start: 4px; padding: 0; font: bold 14px/1.5 serif; font-size: .9em; font-weight: 400; display: flex; display: block;
  list-style: none; text-decoration: none; outline: 0; box-shadow: none; transition: none; animation: none; flex: 1 1 0; opacity: 1;
  width: 100%; max-width: none; line-height: 1.5; text-align: start; position: static; overflow: hidden; border-radius: 0;
  color: var(--bs-body-color, teal); border-color: currentcolor; gap: 0; grid-template-columns: none; letter-spacing: normal`
    .split(/;\s*/)
    .map((each) => each.trim());

const written = (name: string) => /^[a-z_][\w-]*$/i.test(name);

/** A selector that a person might write for an element, in one of seven ways. */
function selectorFor(element: Element, pick: <T>(list: T[]) => T): string {
  const named = (of: Element) => classesOf(of).filter(written);
  const own = named(element).length > 0 ? `.${pick(named(element))}` : element.tagName;
  const parent = parentOf(element);
  const outer = parent && named(parent).length > 0 ? `.${pick(named(parent))}` : (parent?.tagName ?? 'body');
  const ways = [own, element.tagName + (own === element.tagName ? '' : own), `${outer} ${own}`, `${outer} > ${own}`];
  return pick([...ways, `${own}:first-child`, `:is(${own}, .none)`, `${own}:not(.none)`]);
}

describeInBrowser('Verdicts of random rules', () => {
  const seed = Number(process.env['ORACLE_SEED'] ?? Math.floor(Math.random() * 2 ** 31));

  test.each(folders)(`are as in Chromium on %s (seed ${seed})`, async (from) => {
    const random = randomFrom(seed);
    const pick = <T>(list: T[]): T => list[Math.floor(random() * list.length)] as T;
    const folder = from === 'demo' ? join(folderWith({}), 'demo') : from;
    if (from === 'demo') writeDemoSite(folder, 'live');
    const all = readdirSync(folder, { recursive: true }).map(String);
    const pages = Array.from({ length: runsOf(5, 12) }, () => pick(all.filter((file) => file.endsWith('.html'))));
    const directory = folderWith({ 'local-needle.yaml': 'version: 1\nsites: { live: { folder: public } }\n' });
    for (const file of all.filter((each) => each.endsWith('.css')))
      cpSync(join(folder, file), join(directory, 'public', file), { dereference: true });
    let rules = '';
    for (const file of new Set(pages)) {
      // Without scripts: what they change, the static check cannot see.
      const html = readFileSync(join(folder, file), 'latin1').replace(/<script\b[^]*?<\/script>/gi, '');
      cpSync(join(folder, file), join(directory, 'public', file), { dereference: true });
      writeFileSync(join(directory, 'public', file), html, 'latin1');
      const { elements } = readDocument(html);
      for (let count = 0; count < runsOf(4, 30); count++) {
        const important = pick(['', '', '', 'important: yes; ']);
        const body = `${pick(declarations)}; ${pick(declarations)};`;
        const name = `r${rules.length}`;
        rules += `@needle ${name} { pages: path("/${file}"); ${important}${selectorFor(pick(elements), pick)} { ${body} } }\n`;
      }
    }
    mkdirSync(join(directory, 'rules'));
    writeFileSync(join(directory, 'rules/a.css'), rules);
    const words = ['check', '--browser', '--format', 'json', '--fail-on', 'never'];
    const { out, log } = await run(directory, words, inTestBrowser);
    if (out === '') throw new Error(log);
    const report = JSON.parse(out) as CheckReport & {
      differences: { rule: string; static: string; browser: string }[];
    };
    const wrong = report.differences.map(
      (each) => `${JSON.stringify(each)} ${rules.split('\n').find((line) => line.startsWith(`@needle ${each.rule} `))}`,
    );
    noteFigure('sites', `${report.cells.length} cells on ${basename(folder)}: ${wrong.length} differ`);
    const verdicts = report.cells.map(({ verdict }) => verdict);
    expect(verdicts).toContain('hit');
    expect(wrong).toEqual([]);
  });
});
