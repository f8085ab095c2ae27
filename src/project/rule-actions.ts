import { CssSyntaxError, type AtRule, type Container, type Declaration, type Rule as StyleRule } from 'postcss';
import type { FileUse, RestyleAction } from '../core/action/action.js';
import { actionAtRules } from '../core/action/index.js';
import { finding } from '../core/finding.js';
import { resolveNested, type Selector } from '../core/css/selector.js';
import { renamedHint } from '../core/former-names.js';
import { suggestion } from '../core/nearest.js';
import type { Rule } from '../core/rule/rule.js';
import type { Condition } from '../core/target/condition.js';
import { lowerFirst, parseCss, Reader } from './reader.js';

/** At-rules of CSS that may hold style rules; our actions beside them. */
export const grouping = ['media', 'supports', 'layer', 'container', 'scope', 'starting-style'];
/** At-rules of CSS that define something and select nothing. */
export const defining = [
  'font-face',
  'keyframes',
  '-webkit-keyframes',
  'property',
  'counter-style',
  'font-feature-values',
  'font-palette-values',
  'position-try',
];
/** What may be at the top of a rule beside style rules: at-rules that make actions, and these. */
const ownAtRules = [...actionAtRules.keys(), 'on', 'style-file'];

/** The context of a node inside a rule. */
export interface Enclosing {
  on: Condition[];
  within: AtRule[];
  /** The absolute selectors of the style rule around it. */
  parents: { selectors: Selector[]; text: string } | null;
}

export function readContent(block: Container, around: Enclosing, rule: Rule, reader: Reader): void {
  let run: RestyleAction | null = null;
  for (const node of block.nodes ?? []) {
    if (node.type === 'comment') continue;
    if (node.type === 'decl') {
      if (around.parents) run = addDeclaration(run, node, around, rule, reader);
      else if (around.on.length > 0 || around.within.length > 0) {
        reader.problem(node, 0, `"${node.prop}" is outside of a style rule`, 'Put it in one: SELECTOR { … }.');
      }
      continue;
    }
    run = null;
    if (node.type === 'rule') readStyleRule(node, around, rule, reader);
    else readAtRule(node, around, rule, reader);
  }
}

function addDeclaration(
  run: RestyleAction | null,
  node: Declaration,
  around: Enclosing,
  rule: Rule,
  reader: Reader,
): RestyleAction | null {
  if (!reader.isTaken(node, around.parents?.selectors)) return run;
  const files = reader.filesOf(node);
  if (run) {
    run.declarations.push(node);
    run.files.push(...files);
    return run;
  }
  const parents = around.parents ?? { selectors: [], text: '' };
  const action: RestyleAction = {
    kind: 'restyle',
    selector: parents.text,
    selectors: parents.selectors,
    at: reader.place(node.parent as StyleRule, 0),
    source: node.parent?.source,
    on: around.on,
    declarations: [node],
    files,
    within: around.within,
  };
  rule.actions.push(action);
  return action;
}

function readStyleRule(node: StyleRule, around: Enclosing, rule: Rule, reader: Reader): void {
  const text = node.raws.selector?.raw ?? node.selector;
  const isRelative = around.parents !== null || around.within.some(({ name }) => name.toLowerCase() === 'scope');
  const selectors = reader.selectors(node, text, 0, isRelative);
  if (!selectors) return;
  const absolute = around.parents ? resolveNested(selectors, around.parents.selectors) : selectors;
  readContent(
    node,
    { ...around, parents: { selectors: absolute, text: absolute.map((each) => each.text).join(', ') } },
    rule,
    reader,
  );
}

function readAtRule(node: AtRule, around: Enclosing, rule: Rule, reader: Reader): void {
  const name = node.name.toLowerCase();
  if (grouping.includes(name) && node.nodes)
    return readContent(node, { ...around, within: [...around.within, node] }, rule, reader);
  if (defining.includes(name) || name === 'layer') {
    const files: FileUse[] = [];
    node.walkDecls((declaration) => void files.push(...reader.filesOf(declaration)));
    rule.actions.push({
      kind: 'definition',
      selector: '',
      selectors: [],
      at: reader.place(node, 0),
      source: node.source,
      on: around.on,
      node,
      files,
      within: around.within,
    });
    return;
  }
  if (name === 'import')
    return reader.problem(
      node,
      0,
      '@import is not allowed in a rule',
      'Write @stylesheet url("https://…"); for a file on the web, or @style-file url("…"); for a file of the project.',
    );
  if (!ownAtRules.includes(name)) {
    const known = [...ownAtRules, ...grouping, ...defining];
    return reader.problem(
      node,
      0,
      `@${node.name} is unknown in a rule`,
      renamedHint('atRule', name) ?? suggestion(name, known).replace('mean ', 'mean @'),
    );
  }
  if (around.parents || around.within.length > 0) {
    return reader.problem(
      node,
      0,
      `@${name} is only allowed at the top of a rule or in @on`,
      'Move it to the top of the @needle block.',
    );
  }
  readAction(name, node, around, rule, reader);
}

function readAction(name: string, node: AtRule, around: Enclosing, rule: Rule, reader: Reader): void {
  const params = node.raws.params?.raw ?? node.params;
  const offset = 1 + node.name.length + (node.raws.afterName ?? '').length;
  const atRule = actionAtRules.get(name);
  const block = atRule?.block ?? (name === 'on' ? 'needed' : 'none');
  if (block === 'needed' && !node.nodes)
    return reader.problem(node, 0, `@${name} has no block`, `Write @${name} … { … }.`);
  if (block === 'none' && node.nodes)
    return reader.problem(node, 0, `@${name} takes no block`, `End it with a semicolon: @${name} …;`);
  if (name === 'on') {
    const condition = reader.condition(node, params, offset);
    return readContent(node, { ...around, on: [...around.on, condition] }, rule, reader);
  }
  if (atRule) rule.actions.push(...atRule.read({ node, params, offset, on: around.on }, reader));
  else readStyleFile(node, params, offset, around, rule, reader);
}

function readStyleFile(
  node: AtRule,
  params: string,
  offset: number,
  around: Enclosing,
  rule: Rule,
  reader: Reader,
): void {
  const file = reader.fileUse(node, params, offset, true);
  if (file) readPlainCss(file, reader.locate(node, file.path ?? ''), around, rule, reader);
}

/** Reads a stylesheet that holds plain CSS into actions of a rule. */
export function readPlainCss(file: FileUse, location: string, around: Enclosing, rule: Rule, reader: Reader): void {
  if (!file.content || file.path === null) return;
  const inner = new Reader(file.path, reader.load, reader.result);
  inner.rule = rule;
  try {
    const text = new TextDecoder('utf-8', { fatal: true }).decode(file.content);
    readContent(parseCss(text, location), around, rule, inner);
  } catch (error) {
    if (!(error instanceof CssSyntaxError) && !(error instanceof TypeError)) throw error;
    const syntax = error instanceof CssSyntaxError ? error : null;
    const at = { file: file.path, line: syntax?.line ?? 1, column: syntax?.column ?? 1 };
    const message = syntax ? `This is not valid CSS: ${lowerFirst(syntax.reason)}` : 'It is not UTF-8 text';
    reader.result.findings.push(finding('invalid-css', message, { rule: rule.name, at }));
  }
}
