import { relative, resolve } from 'node:path';
import { takePair, takeSheet, type PicturePair } from '../browser/pictures.js';
import { launchChromium } from '../browser/render.js';
import { pagesToPicture } from '../core/before-after/pages-to-picture.js';
import type { CheckInput } from '../core/check/input.js';
import { ProblemError } from '../core/place.js';
import { fillFolder, writeSet } from '../disk/file-set.js';
import { notedOutputs, requireOwnFolder } from '../project/outputs.js';
import { contactSheet, percent, type SheetPair } from '../report/contact-sheet.js';
import { count, printable, styleFor, table } from '../report/text.js';
import { browserSource, bundleMaker } from '../app/browser.js';
import { ruleNamed } from '../app/rule-named.js';
import { defineCommand, type ArgumentsOf, status, lookOptions } from './command.js';
import { openCheck } from '../app/check-input.js';
import { pageAt } from '../app/page-at.js';
import { progressBar } from './progress.js';
import { siteFolder } from '../app/sites.js';

const options = {
  rule: { type: 'string', describe: 'Only this rule, on its pages' },
  page: { type: 'string', describe: 'Only this page' },
  out: { type: 'string', default: 'before-after', describe: 'Output folder, relative to the current directory' },
  ...lookOptions,
} as const;

type BeforeAfterArguments = ArgumentsOf<Record<never, never>, typeof options>;

export const command = defineCommand<BeforeAfterArguments>({
  options,
  examples: [
    ['$0 before-after', 'every page that a rule is for, at every viewport, and pages that must not change'],
    ['$0 before-after --rule winter-logo', 'what one rule does'],
  ],
  async run(args, { out, log }) {
    const opened = openCheck(args);
    const { project, source, content, input: all } = opened;
    // With a rule named, the other rules are left out.
    const rules = args.rule === undefined ? project.rules : [ruleNamed(args.rule, project.rules)];
    const viewports =
      args.viewport === undefined ? all.viewports : all.viewports.filter(({ name }) => name === args.viewport);
    const input: CheckInput = { ...all, viewports, rules, findings: [], others: [], loading: null };
    const page = args.page === undefined ? null : pageAt(args.page, content.site, source.pathOptions).path;
    const subjects = pagesToPicture(input, page);
    if (!subjects.some((each) => each.rules.length > 0))
      throw new ProblemError([
        { message: 'No rule targets this page', hint: 'local-needle check lists the rules with their pages.' },
      ]);
    const folder = resolve(args.out);
    requireOwnFolder(project.directory, folder, siteFolder(project.directory, source));
    const browser = await launchChromium();
    const bar = progressBar('pairs', subjects.length);
    try {
      const bundleFor = bundleMaker({ ...opened, input });
      const pairs: PicturePair[] = [];
      for (const subject of subjects) {
        bar?.update(pairs.length, { path: printable(subject.page.path).slice(0, 50) });
        pairs.push(await takePair(browser, subject, bundleFor(subject.view), browserSource(opened), input));
      }
      bar?.stop();
      if (!process.stderr.isTTY) log(`${count(pairs.length, 'pair')} taken.`);
      const sheet = pairs.map(sheetPair);
      const html = contactSheet(content.site.name, sheet);
      const files = new Map(
        pairs.flatMap(({ before, after }, index): [string, Buffer][] => {
          const names = sheet[index];
          return names
            ? [
                [names.before, before],
                [names.after, after],
              ]
            : [];
        }),
      );
      const picture = await takeSheet(browser, html, files);
      writeSet(project.directory, (set) => {
        set.file(...notedOutputs(project.directory, folder));
        set.folder(folder, (made) =>
          fillFolder(
            made,
            new Map<string, string | Buffer>([['index.html', html], ['contact-sheet.png', picture], ...files]),
          ),
        );
      });
      const style = styleFor(process.stdout, process.env);
      const rows = sheet.map(({ path, viewport, rules: own, actors, share }) => [
        printable(path),
        viewport,
        own.length === 0
          ? style.colour.dim('no rule: must not change')
          : printable(actors.join(', ')) || style.colour.dim('no rule changes anything'),
        share === 0 ? 'identical' : percent(share),
      ]);
      const columns = [
        { title: 'page' },
        { title: 'viewport' },
        { title: 'changed by', shorten: 16 },
        { title: 'changed' },
      ];
      out(table(columns, rows, style));
      const changed = sheet.filter(({ rules: own, share }) => own.length === 0 && share > 0);
      const controls = sheet.filter(({ rules: own }) => own.length === 0);
      out('');
      if (changed.length > 0)
        out(style.colour.red(`${count(changed.length, 'picture')} of pages without a rule changed.`));
      else if (controls.length > 0) out(`${count(controls.length, 'picture')} of pages without a rule: identical.`);
      else out('The rules target every page, so there is no page that must stay the same. --rule NAME shows one rule.');
      out(
        `${relative(process.cwd(), folder) || '.'}: index.html, contact-sheet.png and ${count(sheet.length * 2, 'picture')}.`,
      );
      return changed.length > 0 ? status.findings : status.fine;
    } finally {
      bar?.stop();
      await browser.close();
    }
  },
});

function sheetPair(
  { page, settings, rules, actors, difference, rulesOfRegions }: PicturePair,
  index: number,
): SheetPair {
  const name = `${String(index + 1).padStart(3, '0')}-${
    page.path
      .replace(/[^A-Za-z0-9]+/g, '-')
      .replace(/^-|-$/g, '')
      .slice(0, 60) || 'front'
  }-${settings.viewport.name.replace(/[^\w-]+/g, '-')}`;
  const { width, heights, share } = difference;
  const regions = difference.regions.map((region, at) => ({ ...region, rules: rulesOfRegions[at] ?? [] }));
  return {
    ...{ path: page.path, viewport: settings.viewport.name, state: settings.state, rules, actors },
    ...{ before: `pictures/${name}-before.png`, after: `pictures/${name}-after.png`, width, heights, share, regions },
  };
}
