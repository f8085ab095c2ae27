import { ProblemError } from '../core/place.js';
import { parseCondition } from '../core/target/condition.js';
import { conditionPages } from '../core/target/pages.js';
import { pageReport, pageText } from '../report/page.js';
import { pagesReport, pagesText, templatesReport, templatesText } from '../report/pages.js';
import { styleFor } from '../report/text.js';
import { defineCommand, type ArgumentsOf, status } from './command.js';
import { pageAt } from '../app/page-at.js';
import { openPages } from '../app/sites.js';

/** Maximum number of rows without `--all`. */
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

const oneFormOnly = { message: 'One page is shown as text or JSON', hint: 'Leave out the page for a list as CSV.' };

const positionals = { page: { type: 'string', describe: 'Path of a page, to show every way to target it' } } as const;

const options = {
  path: { type: 'string', describe: 'Only pages whose path matches, such as "/winter/*"' },
  'page-id': { type: 'string', describe: 'Only the page with this ID' },
  all: { type: 'boolean', default: false, describe: 'List all pages, however many' },
  templates: { type: 'boolean', default: false, describe: 'List the templates alone: pages of the same make' },
  'body-class': { type: 'string', describe: 'Only pages with all of these classes on body' },
} as const;

type PagesArguments = ArgumentsOf<typeof positionals, typeof options>;

export const command = defineCommand<PagesArguments>({
  positionals,
  formats: ['text', 'json', 'csv'],
  options,
  examples: [
    ['$0 pages', 'every page with its handles'],
    ['$0 pages --body-class season-winter', 'some, and a condition for them'],
    ['$0 pages --templates', 'the few makes of page that there are'],
    ['$0 pages /tickets/pay', 'each way to target one page, ready to paste'],
  ],
  async run(args, { out }) {
    const { content, source } = openPages(args);
    const { site, found } = content;
    const style = styleFor(process.stdout, process.env);
    const json = (value: unknown) => JSON.stringify(value, null, 2);
    if (args.page !== undefined) {
      const page = pageAt(args.page, site, source.pathOptions);
      if (args.format === 'csv') throw new ProblemError([oneFormOnly]);
      out(args.format === 'json' ? json(pageReport(page, site)) : pageText(page, site, style));
      return status.fine;
    }
    const condition = conditionOf(args);
    if (args.templates) {
      if (condition || args.format === 'csv')
        throw new ProblemError([
          {
            message: '--templates lists the templates of all pages as text or JSON',
            hint: 'Leave out the other options.',
          },
        ]);
      const templates = content.templates();
      out(args.format === 'json' ? json(templatesReport(site, templates)) : templatesText(templates, style, Infinity));
      return status.fine;
    }
    const shown = condition ? [...conditionPages(condition, site)] : null;
    const report = pagesReport(site, shown ?? site.pages);
    // Nothing is left out when output is piped.
    const most = args.all || !Number.isFinite(style.width) ? Infinity : rowsAtMost;
    if (args.format === 'json') out(json(report));
    else if (args.format === 'csv') out((await import('../report/csv.js')).pagesCsv(report).trimEnd());
    else out(pagesText(site, found, content.templates(), style, most, shown));
    return status.fine;
  },
});
