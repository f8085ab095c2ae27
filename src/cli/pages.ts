import { ProblemError } from '../core/place.js';
import { parseCondition } from '../core/target/condition.js';
import { conditionPages } from '../core/target/pages.js';
import { pageReport, pageText } from '../report/page.js';
import { pagesReport, pagesText } from '../report/pages.js';
import { styleFor } from '../report/text.js';
import { defineCommand, type ArgumentsOf, status } from './command.js';
import { pageAt } from '../app/page-at.js';
import { openPages } from '../app/sites.js';

/** Rows of the text without `--all`: more than a person reads. */
const rowsAtMost = 200;

/** The condition that the options say, as a rule would write it; null without options. Throws ProblemError. */
function conditionOf(args: PagesArguments) {
  const terms = [
    ...(args.path === undefined ? [] : [`path("${args.path}")`]),
    ...(args['page-id'] === undefined ? [] : [`page-id(${args['page-id']})`]),
    ...(args['body-class'] === undefined ? [] : [`body-class(${args['body-class']})`]),
  ];
  if (terms.length === 0) return null;
  const { condition, faults } = parseCondition(terms.join(' '));
  if (faults.length > 0) throw new ProblemError(faults.map(({ message, hint }) => ({ message, hint })));
  return condition;
}

const positionals = { page: { type: 'string', describe: 'Path of a page: show everything about it' } } as const;

const options = {
  path: { type: 'string', describe: 'Only pages whose path fits, such as "/winter/*"' },
  'page-id': { type: 'string', describe: 'Only the page with this ID' },
  all: { type: 'boolean', default: false, describe: 'List every page, however many' },
  'body-class': { type: 'string', describe: 'Only pages with all of these classes on body' },
} as const;

type PagesArguments = ArgumentsOf<typeof positionals, typeof options>;

export const command = defineCommand<PagesArguments>({
  positionals,
  formats: ['text', 'json'],
  options,
  examples: [
    ['$0 pages --site staging', 'the pages of the staging copy with their handles'],
    ['$0 pages --body-class season-winter', 'a part of them, and the condition that picks just these'],
    ['$0 pages /tickets/pay', 'each way to target one page, ready to paste'],
  ],
  async run(args, { out }) {
    const { content } = openPages(args);
    const { site, found } = content;
    const style = styleFor(process.stdout, process.env);
    const json = (value: unknown) => JSON.stringify(value, null, 2);
    if (args.page !== undefined) {
      const page = pageAt(args.page, site);
      out(args.format === 'json' ? json(pageReport(page, site)) : pageText(page, site, style));
      return status.fine;
    }
    const condition = conditionOf(args);
    const shown = condition ? [...conditionPages(condition, site)] : null;
    if (args.format === 'json') out(json(pagesReport(site, shown ?? site.pages)));
    else out(pagesText(site, found, style, args.all ? Infinity : rowsAtMost, shown));
    return status.fine;
  },
});
