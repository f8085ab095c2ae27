import { statusOf } from '../core/rule/status.js';
import type { CheckReport } from '../core/check/verdict.js';
import type { Rule } from '../core/rule/rule.js';
import { count, printable, shortened, table, type Style } from './text.js';

/** The JSON form of a rule: what it is for, what it does, and its verdicts. */
export function rulesReport(rules: Rule[], report: CheckReport | null, today: string) {
  return {
    kind: 'local-needle.rules',
    version: 1,
    rules: rules.map((rule) => ({
      rule: rule.name,
      file: rule.at.file,
      line: rule.at.line,
      note: rule.note,
      status: statusOf(rule, today),
      pages: rule.pages?.text ?? null,
      targets: report?.rules.find((each) => each.rule === rule.name)?.pages.length ?? null,
      actions: rule.actions.map(({ kind, selector }) => ({ action: kind, selector })),
      verdicts: report ? verdictsOf(rule, report) : null,
    })),
  };
}

function verdictsOf(rule: Rule, report: CheckReport): Record<string, number> {
  const counts: Record<string, number> = {};
  for (const cell of report.cells) if (cell.rule === rule.name) counts[cell.verdict] = (counts[cell.verdict] ?? 0) + 1;
  return counts;
}

/** Every rule as text, with its reason. */
export function rulesText(rules: Rule[], report: CheckReport | null, today: string, style: Style): string {
  const { colour } = style;
  if (rules.length === 0) return 'There are no rules yet. local-needle add NAME writes one.';
  const list = rulesReport(rules, report, today).rules;
  const rows = list.map((each) => {
    const verdicts = Object.entries(each.verdicts ?? {}).map(([verdict, number]) => `${number} ${verdict}`);
    const actions = [...new Set(each.actions.map(({ action }) => action))].map(
      (kind) => `${each.actions.filter(({ action }) => action === kind).length} ${kind}`,
    );
    return [
      each.status === 'active' ? each.rule : colour.dim(each.rule),
      each.status === 'active' ? each.status : colour.amber(each.status),
      each.targets === null ? '?' : String(each.targets),
      actions.join(', '),
      each.status !== 'active' ? '' : verdicts.length > 0 ? verdicts.join(', ') : colour.red(report ? 'no page' : '?'),
      colour.dim(`${printable(each.file)}:${each.line}`),
      each.note === null ? colour.dim('no note') : printable(shortened(each.note, 200)),
    ];
  });
  const paused = list.filter(({ status }) => status === 'paused').length;
  return [
    table(
      [
        ...['rule', 'status', 'pages'].map((title) => ({ title })),
        { title: 'does', wrap: 14 },
        { title: 'verdicts', wrap: 14 },
        { title: 'place', drop: true },
        { title: 'note', wrap: 24 },
      ],
      rows,
      style,
    ),
    '',
    `${count(list.length, 'rule')}${paused > 0 ? `, ${paused} paused` : ''}.`,
  ].join('\n');
}
