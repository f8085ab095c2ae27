import { stringify } from 'csv-stringify/sync';
import type { CheckReport } from '../core/check/verdict.js';
import type { pagesReport } from './pages.js';

/** Prevents a spreadsheet from reading a page's text as a formula. */
const form = { record_delimiter: 'windows', escape_formulas: true } as const;

/** The cells of a check as CSV (RFC 4180): a line for each action of a rule on a page, and for each cell without any. */
export function checkCsv(report: CheckReport): string {
  const rules = new Map(report.rules.map((each) => [each.rule, each]));
  const rows = report.cells.flatMap(({ rule, page, verdict, sure, actions }) => {
    const { file = '', line = '' } = rules.get(rule) ?? {};
    const cell = { rule, page, verdict, sure: sure ? 'yes' : 'no', file, line };
    const none = { action: '', selector: '', elements: 0, pairs: 0, won: 0 };
    return (actions.length > 0 ? actions : [none]).map(({ action, selector, elements, pairs, won }) => ({
      ...cell,
      ...{ action, selector, elements, pairs, won },
    }));
  });
  const columns = ['rule', 'page', 'verdict', 'sure', 'action', 'selector', 'elements', 'pairs', 'won', 'file', 'line'];
  return stringify(rows, { header: true, columns, ...form });
}

/** The pages of a site as CSV (RFC 4180), a line for each; classes and handles are separated by spaces. */
export function pagesCsv({ pages }: ReturnType<typeof pagesReport>): string {
  const rows = pages.map((page) => ({
    ...page,
    bodyClasses: page.bodyClasses.join(' '),
    soleHandles: page.soleHandles.join(' '),
  }));
  const columns = ['path', 'url', 'pageId', 'bodyId', 'bodyClasses', 'soleHandles', 'title'];
  return stringify(rows, { header: true, columns, ...form });
}
