import { explain } from '../core/explain/explain.js';
import { selectorFault } from '../core/css/selector.js';
import { ProblemError } from '../core/place.js';
import { styleFor } from '../report/text.js';
import { whyText } from '../report/why.js';
import { ruleNamed } from '../app/rule-named.js';
import { defineCommand, type ArgumentsOf, status, lookOptions } from './command.js';
import { pageAt } from '../app/page-at.js';
import { openCheck } from '../app/check-input.js';

const positionals = {
  rule: { type: 'string', describe: 'Name of the rule', demandOption: true },
  page: { type: 'string', describe: 'Path of the page', demandOption: true },
} as const;

const options = {
  element: {
    type: 'string',
    describe: 'Selector of the elements to explain (default: the first five of each action)',
  },
  ...lookOptions,
} as const;

type WhyArguments = ArgumentsOf<typeof positionals, typeof options>;

export const command = defineCommand<WhyArguments>({
  formats: ['text', 'json'],
  positionals,
  options,
  examples: [
    ['$0 why camera-colour /harbours/skerry', 'what wins, and the smallest change that would'],
    ['$0 why camera-colour /harbours/skerry --viewport phone', 'the same on a phone'],
  ],
  run(args, { out }) {
    const { project, source, content, input, keep } = openCheck(args);
    const rule = ruleNamed(args.rule, project.rules);
    const page = pageAt(args.page, content.site, source.pathOptions);
    if (args.element !== undefined) checkSelector(args.element);
    const report = explain({ ...input, loading: null }, rule, page, args.element ?? null);
    keep(false);
    out(
      args.format === 'json' ? JSON.stringify(report, null, 2) : whyText(report, styleFor(process.stdout, process.env)),
    );
    return Promise.resolve(status.fine);
  },
});

function checkSelector(selector: string): void {
  const fault = selectorFault(selector);
  if (fault) throw new ProblemError([{ message: `--element: ${fault.message}`, hint: fault.hint }]);
}
