import postcss, { AtRule, Comment, Declaration, Root, Rule as StyleRule, type Container } from 'postcss';
import normaliseWhitespace from 'postcss-normalize-whitespace';
import { swapContent } from '../css/swap-content.js';
import { withUrls } from '../css/urls.js';
import type { Action, FileUse, Rule } from '../rule/rule.js';
import type { ShippedRule } from './shipment.js';
import { beginMark, endMark } from './marks.js';

/** How a stylesheet is written. */
export interface StylesheetForm {
  site: string;
  /** The address that a file ships under. */
  served: (file: FileUse) => string;
  /** Without notes and spaces; the marks stay. */
  minify: boolean;
  /** Whether each rule's note stands above it; else its name alone. */
  notes: boolean;
}

/** One stylesheet with every rule scoped and its note above it, and the source map back to the rule files. */
export function stylesheet(
  rules: ShippedRule[],
  form: StylesheetForm,
): { text: string; map: string; isEmpty: boolean } {
  const root = new Root();
  root.append(comment(beginMark(form.site), ''));
  for (const shipped of rules) {
    const styled = shipped.actions.filter(({ action }) => hasStyles(action));
    if (styled.length === 0) continue;
    if (!form.minify) root.append(comment(`${headline(shipped.rule, form.notes)} `, '\n'));
    for (const { action, selectors } of styled) place(root, action, selectors, shipped.rule, form.served);
  }
  const isEmpty = root.every((node) => node.type === 'comment');
  root.append(comment(endMark, '\n'));
  const map = { inline: false, annotation: false, sourcesContent: true };
  const to = 'needle.css';
  const result = form.minify
    ? postcss([normaliseWhitespace()]).process(root, { from: undefined, to, map })
    : root.toResult({ from: undefined, to, map });
  return { text: result.css + '\n', map: result.map.toString(), isEmpty };
}

/** Whether an action is one of the stylesheet. */
export const hasStyles = (action: Action) =>
  action.kind === 'swap' ? action.image !== null : action.kind !== 'script' && action.kind !== 'stylesheet';

/** ` name: note (file:line)`, safe to stand in a comment. */
export function headline(rule: Rule, withNote = true): string {
  const note = withNote && rule.note ? `: ${rule.note}` : '';
  return ` ${rule.name}${note} (${rule.at.file}:${rule.at.line})`.replace(/\*\//g, '* /');
}

function comment(text: string, before: string): Comment {
  const node = new Comment({ text: text.trim() });
  node.raws = { before, left: text.startsWith(' ') ? ' ' : '', right: text.endsWith(' ') ? ' ' : '' };
  return node;
}

function place(root: Root, action: Action, selectors: string[], rule: Rule, served: (file: FileUse) => string): void {
  const within = 'within' in action ? action.within : [];
  const container = within.reduce<Container>((outer, wrapper) => enclosed(outer, wrapper), root);
  const files = new Map(('files' in action ? action.files : []).map((file) => [file.url, file]));
  const withFiles = (value: string) =>
    withUrls(value, (url) => {
      const file = files.get(url);
      return file?.content ? served(file) : null;
    });
  if (action.kind === 'definition') {
    const node = action.node.clone();
    node.raws.before = indent(within.length);
    node.walkDecls((declaration) => {
      const value = withFiles(declaration.value);
      if (value !== declaration.value)
        Object.assign(declaration, { value, raws: { ...declaration.raws, value: undefined } });
    });
    container.append(node);
    return;
  }
  const style = new StyleRule({ selector: selectors.join(`,${indent(within.length)}`), source: action.source });
  style.raws = { before: indent(within.length), between: ' ', after: indent(within.length), semicolon: true };
  for (const declaration of declarationsOf(action, served)) {
    const copy = declaration.clone();
    const value = withFiles(copy.value);
    copy.raws = {
      before: indent(within.length + 1),
      between: ': ',
      ...(copy.prop.startsWith('--') && value === copy.value ? { value: copy.raws.value } : {}),
    };
    copy.value = value;
    if (rule.strength === 'firm') copy.important = true;
    style.append(copy);
  }
  container.append(style);
}

function declarationsOf(action: Action, served: (file: FileUse) => string): Declaration[] {
  const { source } = action;
  if (action.kind === 'restyle' || action.kind === 'mark-current') return action.declarations;
  if (action.kind === 'swap' && action.image)
    return swapContent(served(action.image), action.alt).map(
      (value) => new Declaration({ prop: 'content', value, source }),
    );
  return [new Declaration({ prop: 'display', value: 'none', important: true, source })];
}

const indent = (depth: number) => '\n' + '  '.repeat(depth);

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
