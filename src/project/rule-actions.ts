import { parse as parseScript } from 'acorn';
import { CssSyntaxError, parse, type AtRule, type Container, type Declaration, type Rule as StyleRule } from 'postcss';
import { finding } from '../core/check/finding.js';
import { declarationFault } from '../core/css/declaration.js';
import { resolveNested, type Selector } from '../core/css/selector.js';
import { suggestion } from '../core/nearest.js';
import type { Condition } from '../core/rule/condition.js';
import type { FileUse, RestyleAction, Rule, ScriptAction } from '../core/rule/rule.js';
import { ScriptDescriptors, SwapDescriptors } from './configuration.js';
import { checkDescriptors, descriptorValues, lowerFirst, Reader, unquote, valueOffset } from './reader.js';

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
const actionNames = ['hide', 'only-here', 'swap', 'mark-current', 'on', 'style', 'script', 'stylesheet'];

/** What stands around a node inside a rule. */
export interface Around {
  on: Condition[];
  within: AtRule[];
  /** The absolute selectors of the style rule around it. */
  parents: { selectors: Selector[]; text: string } | null;
}

export function readContent(block: Container, around: Around, rule: Rule, reader: Reader): void {
  let run: RestyleAction | null = null;
  for (const node of block.nodes ?? []) {
    if (node.type === 'comment') continue;
    if (node.type === 'decl') {
      if (around.parents) run = addDeclaration(run, node, around, rule, reader);
      else if (around.on.length > 0 || around.within.length > 0) {
        reader.problem(node, 0, `"${node.prop}" stands outside of a style rule`, 'Put it into one: SELECTOR { … }.');
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
  around: Around,
  rule: Rule,
  reader: Reader,
): RestyleAction | null {
  if (!isTaken(node, reader)) return run;
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

/** Whether browsers take a declaration; else a finding says why not. */
function isTaken(node: Declaration, reader: Reader): boolean {
  const fault = declarationFault(node.prop, node.value);
  if (fault) reader.found('bad-css', node, 0, `${fault.message}: browsers drop it`, { hint: fault.hint });
  return fault === null;
}

function readStyleRule(node: StyleRule, around: Around, rule: Rule, reader: Reader): void {
  const text = node.raws.selector?.raw ?? node.selector;
  const selectors = reader.selectors(node, text, 0);
  if (!selectors) return;
  const absolute = around.parents ? resolveNested(selectors, around.parents.selectors) : selectors;
  readContent(
    node,
    { ...around, parents: { selectors: absolute, text: absolute.map((each) => each.text).join(', ') } },
    rule,
    reader,
  );
}

function readAtRule(node: AtRule, around: Around, rule: Rule, reader: Reader): void {
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
      '@import cannot stand in a rule',
      'Write @stylesheet url("https://…"); for one that is served, @style url("…"); for one of the project.',
    );
  if (!actionNames.includes(name)) {
    const known = [...actionNames, ...grouping, ...defining];
    return reader.problem(
      node,
      0,
      `@${node.name} is not known in a rule`,
      suggestion(name, known).replace('mean ', 'mean @'),
    );
  }
  if (around.parents || around.within.length > 0) {
    return reader.problem(
      node,
      0,
      `@${name} cannot stand inside another block than @on`,
      'Move it to the top of the @needle block.',
    );
  }
  readAction(name, node, around, rule, reader);
}

function readAction(name: string, node: AtRule, around: Around, rule: Rule, reader: Reader): void {
  const params = node.raws.params?.raw ?? node.params;
  const offset = 1 + node.name.length + (node.raws.afterName ?? '').length;
  const needsBlock = name === 'on' || name === 'swap' || name === 'mark-current';
  if (needsBlock && !node.nodes) return reader.problem(node, 0, `@${name} has no block`, `Write @${name} … { … }.`);
  if (!needsBlock && name !== 'script' && node.nodes)
    return reader.problem(node, 0, `@${name} takes no block`, `End it with a semicolon: @${name} …;`);
  if (name === 'on') {
    const condition = reader.condition(node, params, offset);
    return readContent(node, { ...around, on: [...around.on, condition] }, rule, reader);
  }
  if (name === 'hide' || name === 'only-here') {
    for (const selector of reader.selectors(node, params, offset) ?? []) {
      rule.actions.push({
        kind: name,
        selector: selector.text,
        selectors: [selector],
        at: reader.place(node, offset + selector.offset),
        source: node.source,
        on: around.on,
      });
    }
  }
  if (name === 'swap') readSwap(node, params, offset, around, rule, reader);
  if (name === 'script') readScript(node, params, offset, around, rule, reader);
  if (name === 'mark-current') readMarkCurrent(node, params, offset, around, rule, reader);
  if (name === 'stylesheet') readStylesheet(node, params, offset, around, rule, reader);
  if (name === 'style') readStyleFile(node, params, offset, around, rule, reader);
}

function readSwap(node: AtRule, params: string, offset: number, around: Around, rule: Rule, reader: Reader): void {
  const { values, nodes } = descriptorValues(node, reader, []);
  const faulty = checkDescriptors(SwapDescriptors, values, nodes, reader);
  reader.noOtherContent(node, 'swap');
  const selectors = reader.selectors(node, params, offset);
  const given = (key: string) => (faulty.has(key) ? undefined : (values[key] as string | undefined));
  const [image, alt, text, html] = [given('image'), given('alt'), given('text'), given('html')];
  if (
    [image, text, html].filter((each) => each !== undefined).length > 1 ||
    (alt !== undefined && (text ?? html) !== undefined)
  ) {
    reader.problem(
      node,
      0,
      '@swap takes an image (with alt), a text or an html file, one of them',
      'Write a @swap for each.',
    );
  } else if (
    image === undefined &&
    alt === undefined &&
    text === undefined &&
    html === undefined &&
    faulty.size === 0
  ) {
    reader.problem(
      node,
      0,
      '@swap does not say what to put there',
      'Add image: url("…");, text: "…"; or html: url("…");',
    );
  }
  if (!selectors) return;
  const file = (key: string, value: string | undefined) => {
    const declaration = nodes.get(key);
    return value === undefined || !declaration
      ? null
      : reader.fileUse(declaration, value, valueOffset(declaration), key === 'html');
  };
  rule.actions.push({
    kind: 'swap',
    selector: selectors.map((each) => each.text).join(', '),
    selectors,
    at: reader.place(node, offset),
    source: node.source,
    on: around.on,
    image: file('image', image),
    alt: alt === undefined ? null : unquote(alt),
    text: text === undefined ? null : unquote(text),
    html: file('html', html),
  });
}

function readScript(node: AtRule, params: string, offset: number, around: Around, rule: Rule, reader: Reader): void {
  const { values, nodes } = descriptorValues(node, reader, []);
  const faulty = checkDescriptors(ScriptDescriptors, values, nodes, reader);
  reader.noOtherContent(node, 'script');
  const file = reader.fileUse(node, params, offset, true);
  const waiting = nodes.get('wait-for');
  const waitFor = waiting && !faulty.has('wait-for') ? unquote(waiting.value) : null;
  if (waiting && waitFor !== null && !reader.selectors(waiting, waitFor, valueOffset(waiting) + 1)) return;
  if (file) addScript(file, waitFor, { at: reader.place(node, 0), source: node.source, on: around.on }, rule, reader);
}

/** Adds a script to a rule, or a finding where browsers could not read it. */
export function addScript(
  file: FileUse,
  waitFor: string | null,
  where: Pick<ScriptAction, 'at' | 'source' | 'on'>,
  rule: Rule,
  reader: Reader,
): void {
  if (!file.content) return;
  try {
    parseScript(new TextDecoder().decode(file.content), {
      ecmaVersion: 'latest',
      sourceType: 'script',
      allowReturnOutsideFunction: true,
    });
  } catch (error) {
    const { message, loc } = error as Error & { loc?: { line: number; column: number } };
    const at = { file: file.path ?? '', line: loc?.line ?? 1, column: (loc?.column ?? 0) + 1 };
    const said = `Browsers cannot read this script: ${lowerFirst(message.replace(/ \(\d+:\d+\)$/, ''))}`;
    reader.result.findings.push(
      finding('bad-script', said, { rule: rule.name, at, hint: 'It does not ship until it is mended.' }),
    );
    return;
  }
  rule.actions.push({ kind: 'script', selector: '', selectors: [], ...where, file, waitFor });
}

function readStyleFile(node: AtRule, params: string, offset: number, around: Around, rule: Rule, reader: Reader): void {
  const file = reader.fileUse(node, params, offset, true);
  if (file) readPlainCss(file, reader.locate(node, file.path ?? ''), around, rule, reader);
}

/** Reads a stylesheet that holds plain CSS into actions of a rule. */
export function readPlainCss(file: FileUse, location: string, around: Around, rule: Rule, reader: Reader): void {
  if (!file.content || file.path === null) return;
  const inner = new Reader(file.path, reader.load, reader.result);
  inner.rule = rule;
  try {
    const text = new TextDecoder('utf-8', { fatal: true }).decode(file.content);
    readContent(parse(text, { from: location }), around, rule, inner);
  } catch (error) {
    if (!(error instanceof CssSyntaxError) && !(error instanceof TypeError)) throw error;
    const syntax = error instanceof CssSyntaxError ? error : null;
    const at = { file: file.path, line: syntax?.line ?? 1, column: syntax?.column ?? 1 };
    const message = syntax ? `This is not valid CSS: ${lowerFirst(syntax.reason)}` : 'It is not UTF-8 text';
    reader.result.findings.push(finding('bad-css', message, { rule: rule.name, at }));
  }
}

function readMarkCurrent(
  node: AtRule,
  params: string,
  offset: number,
  around: Around,
  rule: Rule,
  reader: Reader,
): void {
  const selectors = reader.selectors(node, params, offset);
  const declarations: Declaration[] = [];
  const files: FileUse[] = [];
  let sections = false;
  for (const child of node.nodes ?? []) {
    if (child.type === 'comment') continue;
    if (child.type !== 'decl') {
      reader.problem(child, 0, '@mark-current takes declarations and sections, and no rules');
    } else if (child.prop === 'sections') {
      sections = child.value.trim() === 'yes';
      if (!/^(yes|no)$/.test(child.value.trim()))
        reader.problem(child, valueOffset(child), '"sections" must be yes or no');
    } else if (isTaken(child, reader)) {
      declarations.push(child);
      files.push(...reader.filesOf(child));
    }
  }
  if (!selectors) return;
  const [at, source, on] = [reader.place(node, offset), node.source, around.on];
  const selector = selectors.map((each) => each.text).join(', ');
  rule.actions.push({ kind: 'mark-current', selector, selectors, at, source, on, declarations, files, sections });
}

function readStylesheet(
  node: AtRule,
  params: string,
  offset: number,
  around: Around,
  rule: Rule,
  reader: Reader,
): void {
  const use = reader.fileUse(node, params, offset, false);
  if (!use) return;
  if (use.path !== null)
    return reader.problem(
      node,
      offset,
      `${use.url} is no address that a page can load`,
      'Write @style url("…"); for a file of the project, or the address that serves it: "https://…" or "/…".',
    );
  const [at, source, on] = [reader.place(node, 0), node.source, around.on];
  rule.actions.push({ kind: 'stylesheet', selector: '', selectors: [], at, source, on, address: use.url });
}
