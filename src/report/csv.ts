import { stringify } from 'csv-stringify/sync';
import type { CheckReport } from '../core/check/verdict.js';

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
  return stringify(rows, { header: true, columns, record_delimiter: 'windows' });
}
