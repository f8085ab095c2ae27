import { availableParallelism } from 'node:os';
import { relative, resolve } from 'node:path';
import { isOneFile, takePictures } from '../app/before-after.js';
import { openCheck } from '../app/check-input.js';
import { pageAt } from '../app/page-at.js';
import { ruleNamed } from '../app/rule-named.js';
import { siteFolder } from '../app/sites.js';
import { pagesToPicture } from '../core/before-after/pages-to-picture.js';
import type { CheckInput } from '../core/check/input.js';
import { ProblemError } from '../core/place.js';
import { requireOwnFolder } from '../project/outputs.js';
import { differenceText, type SheetPair } from '../report/contact-sheet.js';
import { count, printable, styleFor, table, type Style } from '../report/text.js';
import { defineCommand, logFailed, lookOptions, pageTimeout, status, type ArgumentsOf } from './command.js';
import { progressBar } from './progress.js';

const options = {
  rule: { type: 'string', describe: 'Only this rule, on its pages' },
  page: { type: 'string', describe: 'Only this page' },
  all: { type: 'boolean', default: false, describe: 'Every page, not one of each template for each rule' },
  parallel: { type: 'number', describe: 'Pages of the browser at once (default: one for two cores, at most 4)' },
  out: {
    type: 'string',
    default: 'before-after',
    describe: 'Output folder, or one file such as before-after.html',
  },
  ...pageTimeout,
  ...lookOptions,
} as const;

type BeforeAfterArguments = ArgumentsOf<Record<never, never>, typeof options>;

const mostParallel = 4;

export const command = defineCommand<BeforeAfterArguments>({
  options,
  examples: [
    ['$0 before-after', 'what every rule changes, a page of each template, and pages that must not change'],
    ['$0 before-after --rule winter-logo --all', 'what one rule does, on each of its pages'],
    ['$0 before-after --out before-after.html', 'one file to send'],
  ],
  async run(args, output) {
    const { out, log } = output;
    const opened = openCheck(args);
    const { project, source, content, input: all } = opened;
    // With a rule named, the other rules are left out.
    const rules = args.rule === undefined ? project.rules : [ruleNamed(args.rule, project.rules)];
    const viewports =
      args.viewport === undefined ? all.viewports : all.viewports.filter(({ name }) => name === args.viewport);
    const input: CheckInput = { ...all, viewports, rules, findings: [], others: [], loading: null };
    const page = args.page === undefined ? null : pageAt(args.page, content.site, source.pathOptions);
    const plan = pagesToPicture(input, page, args.all);
    const { subjects, unchanged } = plan;
    if (unchanged === 0 && subjects.every(({ isControl }) => isControl))
      throw new ProblemError([
        { message: 'No rule targets this page', hint: 'local-needle check lists the rules with their pages.' },
      ]);
    const target = resolve(args.out);
    if (!isOneFile(target)) requireOwnFolder(project.directory, target, siteFolder(project.directory, source));
    const shown = relative(process.cwd(), target) || '.';
    const bar = progressBar('pairs', subjects.length);
    const stop = new AbortController();
    const interrupted = () => stop.abort();
    process.once('SIGINT', interrupted);
    try {
      const { pairs, taken, failed } = await takePictures({
        ...{ ...plan, opened, input, target, stop: stop.signal, timeoutMs: args.timeout * 1000 },
        parallel: Math.max(1, args.parallel ?? Math.min(mostParallel, Math.ceil(availableParallelism() / 2))),
        progress: {
          taking: (done, { page: { path } }) => bar?.update(done, { path: printable(path).slice(0, 50) }),
          written: (done) => {
            if (!bar) log(`${done} of ${count(subjects.length, 'pair')} in ${shown}.`);
          },
        },
      });
      bar?.stop();
      if (stop.signal.aborted && taken === 0) {
        log('Interrupted before the first pair: nothing was written.');
        return status.access;
      }
      if (stop.signal.aborted)
        log(`Interrupted: ${taken} of ${count(subjects.length, 'pair')} were taken, and can be looked at.`);
      else if (!process.stderr.isTTY) log(`${count(taken, 'pair')} taken.`);
      const style = styleFor(process.stdout, process.env);
      logFailed(failed, 'pictured', output);
      if (taken === 0) {
        log('No pair was taken, so nothing was written.');
        return status.access;
      }
      out(pairsTable(pairs, style));
      out('');
      const controls = pairs.filter(({ isControl }) => isControl);
      const changed = controls.filter(({ blocks }) => blocks.length > 0);
      if (unchanged > 0) out(`${count(unchanged, 'page')} left out: the rules change nothing there.`);
      if (plan.unopened > 0)
        out(`${count(plan.unopened, 'more page')} like those not looked at; --page PATH or --all shows them.`);
      if (changed.length > 0)
        out(style.colour.red(`${count(changed.length, 'picture')} of pages without a rule changed.`));
      else if (controls.length > 0) out(`${count(controls.length, 'picture')} of pages without a rule: identical.`);
      else if (!page && !stop.signal.aborted)
        out('The rules reach every page, so there is no page that must stay the same. --rule NAME shows one rule.');
      const held = isOneFile(target) ? '' : ': index.html, contact-sheet.png and pictures';
      out(`${shown}${held}.`);
      if (stop.signal.aborted || failed.length > 0) return status.access;
      return changed.length > 0 ? status.findings : status.fine;
    } finally {
      process.off('SIGINT', interrupted);
      bar?.stop();
    }
  },
});

/** How many pages a pair stands for. */
function likeIt({ alike, unopened }: SheetPair): string {
  const like = alike > 0 ? ` and ${alike} like it` : '';
  return unopened > 0 ? `${like}, ${unopened} not looked at` : like;
}

function pairsTable(pairs: SheetPair[], style: Style): string {
  const { colour } = style;
  const rows = pairs.map((pair) => [
    `${printable(pair.path)}${colour.dim(likeIt(pair))}`,
    [...pair.viewports, ...(pair.state === null ? [] : [pair.state])].join(', '),
    pair.isControl
      ? colour.dim('no rule: must not change')
      : printable(pair.actors.join(', ')) || colour.dim('no rule changes anything'),
    pair.blocks.length > 0 && pair.isControl ? colour.red(differenceText(pair)) : differenceText(pair),
  ]);
  return table(
    [{ title: 'page' }, { title: 'viewport' }, { title: 'changed by', shorten: 16 }, { title: 'difference' }],
    rows,
    style,
  );
}
