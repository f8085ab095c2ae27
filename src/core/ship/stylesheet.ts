import postcss, { AtRule, Comment, Root, Rule as StyleRule, type Container } from 'postcss';
import normaliseWhitespace from 'postcss-normalize-whitespace';
import { withUrls } from '../css/urls.js';
import type { Action, FileUse } from '../action/action.js';
import { actionKind } from '../action/index.js';
import type { Rule } from '../rule/rule.js';
import type { ShippedRule } from './shipment.js';
import { beginMark, endMark } from '../page/build-comments.js';

/** How a stylesheet is written. */
export interface StylesheetForm {
  site: string;
  /** The address that a file ships under. */
  served: (file: FileUse) => string;
  /** Without notes and spaces; the marks stay. */
  minify: boolean;
  /** Whether each rule's note is above it; else its name alone. */
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
  const to = 'local-needle.css';
  const result = form.minify
    ? postcss([normaliseWhitespace()]).process(root, { from: undefined, to, map })
    : root.toResult({ from: undefined, to, map });
  return { text: result.css + '\n', map: result.map.toString(), isEmpty };
}

/** What an action writes into a stylesheet; null for nothing. */
const cssOf = (action: Action, served: (file: FileUse) => string) => actionKind(action).css(action, served);

/** Whether an action writes a style rule or an at-rule. */
export const hasStyles = (action: Action) => cssOf(action, ({ url }) => url) !== null;

/** Whether what an action writes is a style rule. */
export const hasStyleRule = (action: Action) => Array.isArray(cssOf(action, ({ url }) => url));

/** ` name: note (file:line)`, safe to be in a comment. */
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
  const { within, files } = action;
  const css = cssOf(action, served);
  if (css === null) return;
  const container = within.reduce<Container>((outer, wrapper) => enclosed(outer, wrapper), root);
  const byUrl = new Map(files.map((file) => [file.url, file]));
  const withFiles = (value: string) =>
    withUrls(value, (url) => {
      const file = byUrl.get(url);
      return file?.content ? served(file) : null;
    });
  if (!Array.isArray(css)) {
    const node = css.clone();
    node.raws.before = indent(within.length);
    node.walkDecls((declaration) => {
      const value = withFiles(declaration.value);
      if (value !== declaration.value)
        Object.assign(declaration, { value, raws: { ...declaration.raws, value: undefined } });
    });
    container.append(node);
    return;
  }
  // Without a selector it would be for every element, or for none: neither is what anybody wrote.
  if (selectors.length === 0) throw new Error(`A style of "${rule.name}" has no selector`);
  const style = new StyleRule({ selector: selectors.join(`,${indent(within.length)}`), source: action.source });
  style.raws = { before: indent(within.length), between: ' ', after: indent(within.length), semicolon: true };
  for (const declaration of css) {
    const copy = declaration.clone();
    copy.source ??= action.source;
    const value = withFiles(copy.value);
    copy.raws = {
      before: indent(within.length + 1),
      between: ': ',
      ...(copy.prop.startsWith('--') && value === copy.value ? { value: copy.raws.value } : {}),
    };
    copy.value = value;
    if (rule.important) copy.important = true;
    style.append(copy);
  }
  container.append(style);
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
