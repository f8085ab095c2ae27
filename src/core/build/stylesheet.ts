import { AtRule, Comment, Declaration, Root, Rule as StyleRule, type Container } from 'postcss';
import type { Action, Rule } from '../rule/rule.js';
import type { ShippedRule } from './bundle.js';
import { beginMark, endMark } from './marks.js';

/** One stylesheet with every rule scoped and its note above it, and the source map back to the rule files. */
export function stylesheet(rules: ShippedRule[], site: string): { text: string; map: string } {
  const root = new Root();
  root.append(comment(beginMark(site), ''));
  for (const shipped of rules) {
    const styled = shipped.actions.filter(({ action }) => action.kind !== 'swap' && action.kind !== 'script');
    if (styled.length === 0) continue;
    root.append(comment(`${headline(shipped.rule)} `, '\n'));
    for (const { action, selectors } of styled) place(root, action, selectors, shipped.rule);
  }
  root.append(comment(endMark, '\n'));
  const result = root.toResult({
    from: undefined,
    to: 'needle.css',
    map: { inline: false, annotation: 'needle.css.map', sourcesContent: true },
  });
  return { text: result.css + '\n', map: result.map.toString() };
}

/** ` name: note (file:line)`, safe to stand in a comment. */
export function headline(rule: Rule): string {
  const note = rule.note ? `: ${rule.note}` : '';
  return ` ${rule.name}${note} (${rule.at.file}:${rule.at.line})`.replace(/\*\//g, '* /');
}

function comment(text: string, before: string): Comment {
  const node = new Comment({ text: text.trim() });
  node.raws = { before, left: text.startsWith(' ') ? ' ' : '', right: text.endsWith(' ') ? ' ' : '' };
  return node;
}

function place(root: Root, action: Action, selectors: string[], rule: Rule): void {
  const within = 'within' in action ? action.within : [];
  const container = within.reduce<Container>((outer, wrapper) => enclosed(outer, wrapper), root);
  if (action.kind === 'definition') {
    const node = action.node.clone();
    node.raws.before = indent(within.length);
    container.append(node);
    return;
  }
  const style = new StyleRule({ selector: selectors.join(`,${indent(within.length)}`), source: action.source });
  style.raws = { before: indent(within.length), between: ' ', after: indent(within.length), semicolon: true };
  for (const declaration of action.kind === 'restyle' ? action.declarations : [hidden(action)]) {
    const copy = declaration.clone();
    copy.raws = {
      before: indent(within.length + 1),
      between: ': ',
      ...(copy.prop.startsWith('--') ? { value: copy.raws.value } : {}),
    };
    if (rule.strength === 'firm') copy.important = true;
    style.append(copy);
  }
  container.append(style);
}

const indent = (depth: number) => '\n' + '  '.repeat(depth);
const hidden = ({ source }: Action) => new Declaration({ prop: 'display', value: 'none', important: true, source });

/** The at-rule to put a style rule in: the last one, if it comes from the same at-rule of the source, or a copy of it. */
function enclosed(outer: Container, wrapper: AtRule): Container {
  const last = outer.last;
  if (
    last?.type === 'atrule' &&
    last.source?.start?.offset === wrapper.source?.start?.offset &&
    last.source?.input === wrapper.source?.input
  )
    return last;
  const copy = new AtRule({ name: wrapper.name, params: wrapper.params, nodes: [], source: wrapper.source });
  const depth = outer.type === 'root' ? 0 : depthOf(outer) + 1;
  copy.raws = { before: indent(depth), between: ' ', afterName: ' ', after: indent(depth) };
  outer.append(copy);
  return copy;
}

function depthOf(node: Container): number {
  let depth = 0;
  for (let at = node.parent; at && at.type !== 'root'; at = at.parent) depth++;
  return depth;
}
