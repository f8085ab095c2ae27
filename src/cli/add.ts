import type { NewRule } from '../core/rule/write.js';
import { ProblemError } from '../core/place.js';
import { usualFile, writeAddition } from '../project/addition.js';
import { checkText } from '../report/check-text.js';
import { styleFor } from '../report/text.js';
import { openCheck } from '../app/check-input.js';
import { defineCommand, type ArgumentsOf, status } from './command.js';
import { tryRule } from '../app/try-rule.js';

const terms = (name: string, values: string[] | undefined) =>
  (values ?? []).map((value) => `${name}(${name === 'path' ? `"${value.replace(/"/g, '%22')}"` : value})`);

/** Options that take pairs: a selector and what goes there. */
function pairs(option: string, values: string[] | undefined): [string, string][] {
  const list = values ?? [];
  if (list.length % 2 !== 0)
    throw new ProblemError([
      {
        message: `--${option} needs a selector and its new content`,
        hint: `Write --${option} ".logo img" ${option === 'swap-image' ? '../assets/logo.svg' : '"New words"'}.`,
      },
    ]);
  return list.flatMap((value, index): [string, string][] => (index % 2 === 0 ? [[value, list[index + 1] ?? '']] : []));
}

function newRule(args: AddArguments): NewRule {
  const pages = [
    ...terms('path', args.path),
    ...terms('page-id', args['page-id']),
    ...terms('body-id', args['body-id']),
    ...terms('body-class', args['body-class']),
    ...(args.all ? ['all'] : []),
  ];
  if (pages.length === 0)
    throw new ProblemError([
      {
        message: 'The rule does not say which pages it is for',
        hint: 'Add --path "/tickets/pay", --page-id 46, --body-class season-winter or --all. local-needle pages lists the pages.',
      },
    ]);
  const rule: NewRule = {
    name: args.name,
    note: args.note ?? null,
    pages,
    except: terms('path', args['except-path']),
    important: args.important,
    addedByScript: args['added-by-script'],
    state: args.state ?? null,
    visitor: args.visitor ?? null,
    paused: args.paused,
    until: args.until ?? null,
    hide: args.hide ?? [],
    onlyHere: args['only-here'] ?? [],
    swapImage: pairs('swap-image', args['swap-image']),
    swapText: pairs('swap-text', args['swap-text']),
    styles: args.style ?? [],
  };
  if ([rule.hide, rule.onlyHere, rule.swapImage, rule.swapText, rule.styles].every((list) => list.length === 0)) {
    throw new ProblemError([
      {
        message: 'The rule does nothing',
        hint: 'Add --hide ".masthead .menu", --style ".button { color: teal; }", --swap-text SELECTOR WORDS, …',
      },
    ]);
  }
  return rule;
}

const positionals = {
  name: {
    type: 'string',
    describe: 'Name of the rule: letters, digits, hyphens',
    demandOption: true,
  },
} as const;

const options = {
  path: { type: 'string', array: true, nargs: 1, describe: 'Pages: a path or a pattern' },
  'page-id': { type: 'string', array: true, nargs: 1, describe: 'Pages: a page ID' },
  'body-id': { type: 'string', array: true, nargs: 1, describe: 'Pages: a body ID' },
  'body-class': { type: 'string', array: true, nargs: 1, describe: 'Pages: body classes, separated by spaces' },
  all: { type: 'boolean', default: false, describe: 'Pages: all' },
  'except-path': { type: 'string', array: true, nargs: 1, describe: 'Exclude this path or pattern' },
  hide: { type: 'string', array: true, nargs: 1, describe: 'Hide what the selector matches' },
  'only-here': {
    type: 'string',
    array: true,
    nargs: 1,
    describe: 'Show it on these pages only: hide it on all others',
  },
  'swap-image': {
    type: 'string',
    array: true,
    nargs: 2,
    describe: 'SELECTOR FILE: show another image (path relative to the rule file)',
  },
  'swap-text': { type: 'string', array: true, nargs: 2, describe: 'SELECTOR TEXT: show another text' },
  style: { type: 'string', array: true, nargs: 1, describe: 'Restyle: ".button { color: teal; }"' },
  note: { type: 'string', describe: 'Why the rule exists; ships as a comment' },
  important: { type: 'boolean', default: false, describe: 'Make every declaration !important' },
  'added-by-script': { type: 'boolean', default: false, describe: 'The element is added by a script' },
  state: { type: 'string', describe: 'State of local-needle.yaml in which the rule is checked' },
  visitor: { type: 'string', describe: 'Visitor of local-needle.yaml as whom it is checked' },
  until: { type: 'string', describe: 'The last day on which it ships, such as 2027-03-31' },
  paused: { type: 'boolean', default: false, describe: 'Add the rule paused' },
  file: { type: 'string', describe: `Rule file to write to (default: ${usualFile})` },
  'dry-run': { type: 'boolean', default: false, describe: 'Show what the rule would do; write nothing' },
  force: { type: 'boolean', default: false, describe: 'Write the rule even if it has errors' },
} as const;

type AddArguments = ArgumentsOf<typeof positionals, typeof options>;

export const command = defineCommand<AddArguments>({
  positionals,
  options,
  examples: [
    ['$0 add no-menu --path /tickets/pay --hide .menu --dry-run', 'shows the rule and what it would do'],
    ['$0 add no-menu --path /tickets/pay --hide .menu --note "Pay first."', 'writes it, with its reason'],
    ['$0 add winter --body-class season-winter --hide .hero', 'for all pages with a body class'],
  ],
  async run(args, { out, log }) {
    const wanted = newRule(args);
    const all = openCheck(args);
    const { addition, report } = tryRule(all, wanted, args.file ?? usualFile);
    const { file, block } = addition;
    out(`${block}\n`);
    out(checkText(report, styleFor(process.stdout, process.env), { pagesShown: Infinity }));
    const { errors } = report.totals;
    if (args['dry-run']) out(`\nNothing was written (--dry-run). It would be added to the end of ${file}.`);
    else if (errors > 0 && !args.force)
      log('Nothing was written because of the errors above. Add --force to write the rule anyway.');
    else {
      writeAddition(all.project, addition);
      out(`\nAdded to the end of ${file}. Nothing else in the file changed.`);
    }
    return errors > 0 ? status.findings : status.fine;
  },
});
