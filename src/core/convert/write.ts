import { selectorParts } from '../css/selector.js';
import { writeString } from '../css/strings.js';
import type { AtRule, ChildNode, Declaration, Root, Rule as StyleRule } from 'postcss';
import { selectorsOf, withAbsoluteUrls, type RuleGroup, type ConvertedStyle, type Resolve } from './rule-groups.js';
import type { ConvertedScript } from '../convert/script.js';

/** Writes a group as a rule. `allow`: what it accepts, as descriptors. */
export function groupText(name: string, group: RuleGroup, allow: string[]): string {
  const { styles, level, resolve } = group;
  const only = group.except.length > 0 && styles.every(hidesOnly) ? onlyHereText(group) : null;
  const lines = [
    ...(group.note ? [`note: ${writeString(group.note)};`] : []),
    ...(level === 'best' && only
      ? [`pages: ${group.except.join(', ')};`, ...allow, ...only]
      : [
          `pages: ${group.conditions.map((terms) => terms.join(' ')).join(', ')};`,
          ...(group.except.length > 0 ? [`except: ${group.except.join(', ')};`] : []),
          ...allow,
          ...stylesText(styles, level === 'best', resolve),
        ]),
  ];
  return `@needle ${name} {\n${indented(lines)}\n}`;
}

/** Writes the rule of a script. */
export const scriptRuleText = (name: string, { conditions, except, note }: ConvertedScript, file: string) =>
  `@needle ${name} {\n${indented([
    ...(note ? [`note: ${writeString(note)};`] : []),
    `pages: ${conditions.join(', ')};`,
    ...(except.length > 0 ? [`except: ${except.join(', ')};`] : []),
    `@script url(${writeString(file)});`,
  ])}\n}`;

const indented = (lines: string[]) =>
  lines
    .join('\n')
    .split('\n')
    .map((line) => (line === '' ? '' : `  ${line}`))
    .join('\n');

/** Whether a style rule hides and does nothing else. */
function hidesOnly({ node, within }: ConvertedStyle): boolean {
  const content = (node.nodes ?? []).filter(({ type }) => type !== 'comment');
  const [only] = content;
  return (
    within.length === 0 &&
    content.length === 1 &&
    only?.type === 'decl' &&
    only.prop === 'display' &&
    only.value === 'none'
  );
}

/** Hidden on all pages but some: an `@only-here` for those. */
const onlyHereText = ({ conditions, styles }: RuleGroup) =>
  conditions.every(([term]) => term === 'all')
    ? styles.map(({ selectors }) => `@only-here ${selectors.join(', ')};`)
    : null;

function stylesText(styles: ConvertedStyle[], best: boolean, resolve: Resolve | null): string[] {
  const lines: string[] = [];
  let open: AtRule[] = [];
  const close = (depth: number) => {
    for (; open.length > depth; open = open.slice(0, -1)) lines.push(`${'  '.repeat(open.length - 1)}}`);
  };
  for (const style of styles) {
    const { within, node, selectors } = style;
    const shared = within.findIndex((each, index) => open[index] !== each);
    close(shared < 0 ? within.length : shared);
    for (const wrapper of within.slice(open.length)) {
      lines.push(`${'  '.repeat(open.length)}@${wrapper.name}${wrapper.params ? ` ${wrapper.params}` : ''} {`);
      open = [...open, wrapper];
    }
    const depth = '  '.repeat(open.length);
    if (best && hidesOnly(style) && selectors.every((each) => selectorParts(each).pseudo === ''))
      lines.push(`${depth}@hide ${selectors.join(', ')};`);
    else
      lines.push(
        `${depth}${selectors.join(`,\n${depth}`)} {`,
        ...contentText(node, `${depth}  `, resolve),
        `${depth}}`,
      );
  }
  close(0);
  return lines;
}

function contentText(container: StyleRule | AtRule, indent: string, resolve: Resolve | null): string[] {
  return (container.nodes ?? []).flatMap((node: ChildNode): string[] => {
    if (node.type === 'decl') return [`${indent}${declarationText(node, resolve)};`];
    if (node.type === 'comment') return [`${indent}/* ${node.text} */`];
    const head = node.type === 'rule' ? node.selector : `@${node.name}${node.params ? ` ${node.params}` : ''}`;
    return node.nodes
      ? [`${indent}${head} {`, ...contentText(node, `${indent}  `, resolve), `${indent}}`]
      : [`${indent}${head};`];
  });
}

function declarationText({ prop, value, important, raws }: Declaration, resolve: Resolve | null): string {
  const written = prop.startsWith('--') ? (raws.value?.raw ?? value) : value;
  return `${prop}: ${withAbsoluteUrls(written, resolve)}${important ? ' !important' : ''}`;
}

/** The rest of a stylesheet after these groups are converted, unchanged; null if nothing is left. */
export function leftoverOf(root: Root, groups: RuleGroup[]): string | null {
  const converted = new Map<StyleRule, string[]>();
  for (const { styles, level } of groups)
    for (const { node, originals } of level === 'left' ? [] : styles)
      converted.set(node, [...(converted.get(node) ?? []), ...originals]);
  const copy = root.clone();
  const [originals, copies] = [rulesOf(root), rulesOf(copy)];
  originals.forEach((node, index) => {
    const [own, gone] = [copies[index], converted.get(node)];
    if (!own || !gone) return;
    const kept = selectorsOf(node).filter((selector) => !gone.includes(selector));
    if (kept.length > 0) own.selector = kept.join(', ');
    else removeWithComment(own);
  });
  for (let empty: AtRule | undefined = emptied(copy); empty; empty = emptied(copy)) removeWithComment(empty);
  return copy.nodes.some(({ type }) => type !== 'comment') ? copy.toString() : null;
}

function rulesOf(root: Root): StyleRule[] {
  const rules: StyleRule[] = [];
  root.walkRules((node) => void rules.push(node));
  return rules;
}

/** A conditional group rule of which nothing is left. */
function emptied(root: Root): AtRule | undefined {
  let found: AtRule | undefined;
  root.walkAtRules(/^(media|supports|layer|container)$/i, (node) => {
    if (node.nodes?.every(({ type }) => type === 'comment')) found ??= node;
  });
  return found;
}

function removeWithComment(node: StyleRule | AtRule): void {
  const before = node.prev();
  if (before?.type === 'comment' && !/\n\s*\n/.test(node.raws.before ?? '')) before.remove();
  node.remove();
}
