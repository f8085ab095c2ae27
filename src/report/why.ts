import type { WhyAction, WhyElement, WhyPair, WhyReport } from '../core/explain/explain.js';
import { verdictText } from './check-text.js';
import { count, firstFew, printable, type Style } from './text.js';

const steps: Record<string, string> = {
  important: 'importance',
  animation: 'an animation',
  inline: 'the style attribute',
  shadow: 'the shadow tree of the element',
  layer: 'the order of layers',
  specificity: 'specificity',
  scope: 'the nearer @scope',
  order: 'order of appearance',
};

/** One verdict explained, as text. */
export function whyText(report: WhyReport, style: Style): string {
  const { colour } = style;
  const { rule, page, targeted, verdict } = report;
  const head = [
    `${colour.bold(rule.rule)} on ${colour.bold(printable(page))}  ${rule.file}:${rule.line}`,
    ...(rule.note ? [`  ${colour.dim(rule.note)}`] : []),
    `  ${report.site}, at ${report.viewport}${report.state ? `, state ${report.state}` : ''}${report.visitor ? `, as ${report.visitor}` : ''}`,
    '',
  ];
  if (!targeted.holds) return [...head, ...notTargeted(report, style)].join('\n');
  const lines = [
    ...head,
    `  Targeted by ${colour.cyan(targeted.condition)}${rule.paused ? '; the rule is paused and does not ship' : ''}.`,
    `  Verdict: ${verdict ? verdictText(verdict, style) : ''}${report.sure ? '' : `, not sure: it depends on ${printable(firstFew(report.dependsOn, 3))}`}`,
  ];
  for (const action of report.actions) lines.push('', ...actionLines(action, style));
  const hints = report.findings.flatMap(({ code, hint }) => (code === 'missing-element' && hint ? [hint] : []));
  if (hints.length > 0) lines.push('', ...hints.map((hint) => `  ${colour.cyan('→')} ${printable(hint)}`));
  return lines.join('\n');
}

function notTargeted({ targeted, rule }: WhyReport, { colour }: Style): string[] {
  if (targeted.excepted !== null)
    return [
      `  Not targeted: ${colour.cyan(targeted.condition)} matches it, but except: ${colour.cyan(targeted.excepted)} excludes it.`,
    ];
  const others = targeted.missing.length > 1 ? 'do not match' : 'does not match';
  return [
    `  Not targeted. Nearest is ${colour.cyan(targeted.condition)}: ${targeted.missing.join(', ')} ${others} there.`,
    `  ${colour.cyan('→')} local-needle pages PATH shows how to target it; the conditions are in ${printable(rule.file)}:${rule.line}.`,
  ];
}

function actionLines(action: WhyAction, style: Style): string[] {
  const { colour } = style;
  const title = `  ${colour.bold(`${action.action === 'restyle' ? '' : `@${action.action} `}${printable(action.selector)}`)}  ${action.file}:${action.line}`;
  if (action.leftOut !== null) return [title, `    left out here: ${action.leftOut} does not match`];
  if (action.action === 'script')
    return [title, '    only a browser can tell what a script does: local-needle check --browser'];
  if (action.action === 'stylesheet' && action.elements === 0)
    return [title, '    was not captured or styles nothing here; see local-needle check --browser'];
  const lines = [
    `${title}  ${action.elements === 0 ? colour.red('matches nothing') : `matches ${count(action.elements, 'element')}`}`,
  ];
  for (const element of action.shown) lines.push(...elementLines(element, action, style));
  if (action.elements > action.shown.length)
    lines.push(`    and ${action.elements - action.shown.length} more; --element SELECTOR shows some of them`);
  return lines;
}

function elementLines(element: WhyElement, { action }: WhyAction, style: Style): string[] {
  const { colour } = style;
  const lines = [
    `    ${printable(element.element)}${element.words ? `  ${colour.dim(`"${printable(element.words)}"`)}` : ''}`,
  ];
  if (action === 'only-here')
    lines.push(
      element.shown
        ? `      ${colour.green('shown')} here`
        : `      ${colour.red('hidden')} by ${printable(element.hiddenBy ?? 'the page')}`,
    );
  for (const group of byDeclaration(element.pairs)) lines.push(...declarationLines(group, style));
  return lines;
}

/** Pairs of one declaration, in the order of the rule. */
function byDeclaration(pairs: WhyPair[]): WhyPair[][] {
  const groups = new Map<string, WhyPair[]>();
  for (const pair of pairs)
    groups.set(`${pair.line} ${pair.ours}`, [...(groups.get(`${pair.line} ${pair.ours}`) ?? []), pair]);
  return [...groups.values()];
}

const isSame = ({ won, value, without }: WhyPair) => won && value === without;

/** A declaration with its longhands; those with the same result share a line. */
function declarationLines(pairs: WhyPair[], style: Style): string[] {
  const { colour } = style;
  const [first] = pairs;
  if (!first) return [];
  const lines = [`      ${printable(first.ours)}  ${colour.dim(`line ${first.line}`)}`];
  const told = new Map<string, string[]>();
  for (const pair of pairs.filter((each) => !isSame(each))) {
    const text = pairLines(pair, style).join('\n');
    told.set(text, [...(told.get(text) ?? []), pair.property]);
  }
  for (const [text, properties] of told) lines.push(text.replace('\u0000', properties.join(', ')));
  const same = pairs.filter(isSame);
  const [one] = same;
  if (one && same.length === 1)
    lines.push(`        ${colour.amber('same')} ${one.property}: is ${printable(one.value)} without the rule too`);
  else if (one)
    lines.push(
      `        ${colour.dim(`same ${same.length === pairs.length ? 'all' : 'the other'} ${same.length} longhands of it are the same without the rule`)}`,
    );
  return lines;
}

/** The result of one pair; a null character is the placeholder for the property names. */
function pairLines(pair: WhyPair, { colour }: Style): string[] {
  const { winner, step } = pair;
  const by = winner
    ? `${winner.rule ? `rule ${winner.rule}, ` : ''}${winner.file}${winner.line > 0 ? `:${winner.line}` : ''} ${printable(winner.selector)} ${winner.specificity}`
    : '';
  const decided = step ? ` by ${steps[step]}` : '';
  const lines = pair.won
    ? [
        `        ${colour.green('won')}  \u0000: ${printable(pair.without)} → ${printable(pair.value)}`,
        `             ${colour.dim(winner ? `over ${by},${decided}` : 'nothing else sets it')}`,
      ]
    : [
        `        ${colour.red('lost')} \u0000: stays ${printable(pair.value)}`,
        `             ${printable(winner?.declaration ?? '')} wins${decided}: ${by}${step === 'specificity' ? ` against ${pair.specificity}` : ''}`,
      ];
  if (pair.change !== null) lines.push(`             ${colour.cyan('→')} ${printable(pair.change)}`);
  if (pair.text && (pair.text.of > 1 || pair.text.takes < pair.text.of)) {
    const { takes, of, others } = pair.text;
    lines.push(
      `             its text: ${takes} of ${count(of, 'element')} with text take it${takes < of ? '; not:' : ''}`,
    );
    for (const { element, from } of others) lines.push(`               ${printable(element)} (${printable(from)})`);
  }
  return lines;
}
