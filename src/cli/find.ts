import { find, type Query } from '../core/find/find.js';
import { parseSelectorList, selectorFault } from '../core/css/selector.js';
import { ProblemError } from '../core/place.js';
import { findText } from '../report/find.js';
import { styleFor } from '../report/text.js';
import { defineCommand, type ArgumentsOf, status, lookOptions } from './command.js';
import { viewOptions, openProject } from '../app/open.js';
import { pageAt } from '../app/page-at.js';

/** Reads the search. Throws ProblemError with the place in the selector that is invalid. */
export function queryOf({ selector, text }: Pick<FindArguments, 'selector' | 'text'>): Query {
  if ((selector === undefined) === (text === undefined))
    throw new ProblemError([
      {
        message: 'Name a selector, or text of the page with --text',
        hint: 'local-needle find ".masthead .logo", or local-needle find --text "Sign up"',
      },
    ]);
  if (selector === undefined) {
    if ((text ?? '').trim() === '') throw new ProblemError([{ message: '--text is empty' }]);
    return { words: text ?? '' };
  }
  const fault = selectorFault(selector);
  if (!fault) return { selectors: parseSelectorList(selector), text: selector.trim() };
  const at = { file: 'selector', line: 1, column: fault.offset + 1 };
  throw new ProblemError([{ message: fault.message, at, source: selector, hint: fault.hint }]);
}

const positionals = { selector: { type: 'string', describe: 'A selector or a selector list' } } as const;

const options = {
  text: { type: 'string', describe: 'Text on the page, instead of a selector' },
  page: { type: 'string', describe: 'Page to propose selectors for (default: the first match)' },
  timeout: { type: 'number', default: 60, describe: 'Time limit of the search, in seconds' },
  ...lookOptions,
} as const;

type FindArguments = ArgumentsOf<typeof positionals, typeof options>;

export const command = defineCommand<FindArguments>({
  positionals,
  formats: ['text', 'json'],
  options,
  examples: [
    ['$0 find ".masthead .logo"', 'where it matches, and selectors for it'],
    ['$0 find --text "Sign up" --page /contact', 'selectors for what you see'],
  ],
  async run(args, { out }) {
    const query = queryOf(args);
    const { project, source, content } = openProject(args);
    const look = viewOptions(args, project, source, content);
    const view = look.view(look.visitor) ?? content;
    const end = Date.now() + args.timeout * 1000;
    const report = find({
      view,
      query,
      page: args.page === undefined ? null : pageAt(args.page, view.site, source.pathOptions),
      state: look.state === null ? null : (look.states[look.state] ?? null),
      isLate: () => Date.now() > end,
    });
    out(
      args.format === 'json'
        ? JSON.stringify(report, null, 2)
        : findText(report, styleFor(process.stdout, process.env)),
    );
    return status.fine;
  },
});
