import { parse as parseScript } from 'acorn';
import {
  CssSyntaxError,
  parse,
  type AtRule,
  type ChildNode,
  type Container,
  type Declaration,
  type Root,
  type Rule as StyleRule,
} from 'postcss';
import parseValue from 'postcss-value-parser';
import { finding, findingCodes, type Finding, type FindingCode } from '../core/check/finding.js';
import { declarationFault } from '../core/css/declaration.js';
import { parseSelectorList, resolveNested, SelectorError, type Selector } from '../core/css/selector.js';
import { suggestion } from '../core/nearest.js';
import type { Place, Problem } from '../core/place.js';
import { parseCondition, type Condition } from '../core/rule/condition.js';
import { pathCondition } from '../core/page/expression.js';
import type { FileUse, RestyleAction, Rule, ScriptAction } from '../core/rule/rule.js';
import { RuleDescriptors, ScriptDescriptors, SwapDescriptors } from './configuration.js';
import { withSource } from './files.js';
import { knownKeys, shapeFaults } from './shape.js';

/** Loads a file that a rule names. */
export type LoadFile = (fromFile: string, url: string, at: Place) => { use: FileUse; fault: string | null };

/** What a rule file holds. With problems, the file cannot be used; findings leave it usable. */
export interface RuleFile {
  rules: Rule[];
  findings: Finding[];
  problems: Problem[];
}

/** At-rules of CSS that may hold style rules; our actions beside them. */
const grouping = ['media', 'supports', 'layer', 'container', 'scope', 'starting-style'];
/** At-rules of CSS that define something and select nothing. */
const defining = [
  'font-face',
  'keyframes',
  '-webkit-keyframes',
  'property',
  'counter-style',
  'font-feature-values',
  'font-palette-values',
  'position-try',
];
const actionNames = ['hide', 'only-here', 'swap', 'on', 'style', 'script'];

/** Reads one rule file; `file` is its path in the project, `location` its absolute path (for source maps). Never throws. */
export function readRuleFile(text: string, file: string, location: string, load: LoadFile): RuleFile {
  const result: RuleFile = { rules: [], findings: [], problems: [] };
  let root: Root;
  try {
    root = parse(text, { from: location });
  } catch (error) {
    if (!(error instanceof CssSyntaxError)) throw error;
    const at = { file, line: error.line ?? 1, column: error.column ?? 1 };
    result.problems = withSource(
      [{ message: `This is not valid CSS: ${lowerFirst(error.reason)}`, at, hint: syntaxHint(error.reason) }],
      text,
    );
    return result;
  }
  for (const node of root.nodes) readTopLevel(node, new Reader(file, load, result));
  result.problems = withSource(result.problems, text);
  return result;
}

const lowerFirst = (text: string) => text.charAt(0).toLowerCase() + text.slice(1);

function syntaxHint(reason: string): string | undefined {
  const hints: [RegExp, string][] = [
    [/Unclosed block/, 'Close it with a }.'],
    [/Unclosed string/, 'Close it with the quote that opened it, on the same line.'],
    [/Unclosed comment/, 'Close it with */. A path with /* in it needs quotes: path("/winter/*").'],
    [/Unclosed bracket/, 'Close it with a ).'],
    [/Unexpected }/, 'There is one } too many, or a { is missing before it.'],
    [/Unknown word/, 'A descriptor is written name: value; and a style rule selector { … }.'],
  ];
  return hints.find(([pattern]) => pattern.test(reason))?.[1];
}

function readTopLevel(node: ChildNode, reader: Reader): void {
  if (node.type === 'comment') return;
  if (node.type === 'decl') {
    reader.problem(
      node,
      0,
      `"${node.prop}" stands outside of any block`,
      'Put it into a style rule of a @needle block.',
    );
  } else if (
    node.type === 'rule' ||
    [...grouping, ...defining, 'import', 'charset'].includes(node.name.toLowerCase())
  ) {
    const shown = node.type === 'rule' ? node.selector.replace(/\s+/g, ' ') : `@${node.name}`;
    reader.found(
      'unscoped',
      node,
      0,
      `${shown} stands outside of any @needle block: it would reach every page, so it does not ship`,
      {
        hint: `Wrap it: @needle NAME { pages: path("/…"); ${node.type === 'rule' ? `${shown} { … }` : `${shown} …`} }`,
      },
    );
  } else if (node.name !== 'needle') {
    reader.problem(
      node,
      0,
      `@${node.name} is not known at the top of a rule file`,
      suggestion(node.name, ['needle']).replace('mean needle', 'mean @needle'),
    );
  } else {
    readNeedle(node, reader);
  }
}

function readNeedle(node: AtRule, reader: Reader): void {
  const name = node.params.trim();
  if (!node.nodes) return reader.problem(node, 0, '@needle has no block', 'Write @needle NAME { … }.');
  if (!/^[A-Za-z_][\w-]*$/.test(name)) {
    const message = name === '' ? '@needle has no name' : `"${name}" is no name for a rule`;
    return reader.problem(
      node,
      '@needle '.length,
      message,
      'A name is letters, digits and hyphens, such as @needle calm-payment { … }.',
    );
  }
  const rule = emptyRule(name, reader.place(node, 0));
  reader.rule = rule;
  readDescriptors(node, rule, reader);
  readContent(node, { on: [], within: [], parents: null }, rule, reader);
  if (!rule.pages && !rule.actions.some((action) => action.on.length > 0)) {
    reader.problem(node, 0, `"${name}" does not say which pages it is for`, 'Add pages: path("/…"); or an @on block.');
  } else if (!rule.pages && rule.actions.some((action) => action.on.length === 0)) {
    const action = rule.actions.find((each) => each.on.length === 0);
    reader.result.problems.push({
      message: `"${name}" has an action outside of its @on blocks and no pages`,
      at: action?.at,
      hint: 'Add pages: …, or move the action into an @on block.',
    });
  }
  reader.result.rules.push(rule);
}

/** A rule that does nothing yet. */
function emptyRule(name: string, at: Place): Rule {
  return {
    name,
    at,
    note: null,
    pages: null,
    except: null,
    expects: null,
    strength: 'as-written',
    state: null,
    visitor: null,
    viewport: null,
    arrivesLate: false,
    paused: false,
    until: null,
    allow: [],
    actions: [],
  };
}

/** The declarations of a block as an object for class-validator: one value a key, a list for `allow`. */
function descriptorValues(
  block: Container,
  reader: Reader,
  listKeys: string[],
): { values: Record<string, string | string[]>; nodes: Map<string, Declaration> } {
  const values: Record<string, string | string[]> = {};
  const nodes = new Map<string, Declaration>();
  for (const node of block.nodes ?? []) {
    if (node.type !== 'decl') continue;
    const value = rawValue(node).trim();
    const known = values[node.prop];
    if (listKeys.includes(node.prop)) values[node.prop] = [...((known as string[] | undefined) ?? []), value];
    else if (known !== undefined) reader.problem(node, 0, `"${node.prop}" is given twice`, 'Keep one of them.');
    else values[node.prop] = value;
    nodes.set(node.prop, node);
  }
  return { values, nodes };
}

function checkDescriptors(
  shape: new () => object,
  values: object,
  nodes: Map<string, Declaration>,
  reader: Reader,
): Set<string> {
  const faulty = new Set<string>();
  for (const { keys, message, hint, unknownKey } of shapeFaults(shape, values)) {
    const node = nodes.get(keys[0] ?? '');
    if (!node) continue;
    faulty.add(node.prop);
    const css = unknownKey && shape === RuleDescriptors && declarationFault(node.prop, node.value) === null;
    const remedy = css ? `Put it into a style rule: SELECTOR { ${node.prop}: ${node.value}; }` : hint;
    reader.problem(node, unknownKey ? 0 : valueOffset(node), message, remedy);
  }
  return faulty;
}

const unquote = (text: string) =>
  text
    .slice(1, -1)
    .replace(/\\(["'\\])/g, '$1')
    .replace(/\s*\n\s*/g, ' ');

function readDescriptors(block: AtRule, rule: Rule, reader: Reader): void {
  const { values, nodes } = descriptorValues(block, reader, ['allow']);
  const faulty = checkDescriptors(RuleDescriptors, values, nodes, reader);
  const given = (key: keyof RuleDescriptors) =>
    typeof values[key] === 'string' && !faulty.has(key) ? values[key] : undefined;
  const note = given('note');
  if (note !== undefined) rule.note = unquote(note);
  const pages = nodes.get('pages');
  if (pages) rule.pages = reader.condition(pages, rawValue(pages), valueOffset(pages));
  const except = nodes.get('except');
  if (except) rule.except = reader.condition(except, rawValue(except), valueOffset(except));
  const expects = nodes.get('expects');
  if (expects && given('expects')) rule.expects = { pages: parseInt(expects.value, 10), at: reader.place(expects, 0) };
  if (given('strength')) rule.strength = 'firm';
  rule.state = given('state') ?? null;
  rule.visitor = given('visitor') ?? null;
  rule.viewport = given('viewport') ?? null;
  rule.arrivesLate = given('arrives') === 'late';
  rule.paused = given('paused') === 'yes';
  const until = nodes.get('until');
  if (until && given('until')) rule.until = { day: until.value, at: reader.place(until, 0) };
  if (faulty.has('allow')) return;
  for (const entry of (values['allow'] as string[] | undefined) ?? []) {
    const [, code = '', reason = ''] = /^([a-z-]+)\s+([^]+)$/.exec(entry) ?? [];
    if (Object.hasOwn(findingCodes, code)) rule.allow.push({ code, reason: unquote(reason) });
    else
      reader.problem(
        nodes.get('allow') as Declaration,
        0,
        `"${code}" is no finding`,
        suggestion(code, Object.keys(findingCodes)),
      );
  }
}

/** What stands around a node inside a rule. */
interface Around {
  on: Condition[];
  within: AtRule[];
  /** The absolute selectors of the style rule around it. */
  parents: { selectors: Selector[]; text: string } | null;
}

function readContent(block: Container, around: Around, rule: Rule, reader: Reader): void {
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
  const fault = declarationFault(node.prop, node.value);
  if (fault) {
    reader.found('bad-css', node, 0, `${fault.message}: browsers drop it`, { hint: fault.hint });
    return run;
  }
  if (run) {
    run.declarations.push(node);
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
    within: around.within,
  };
  rule.actions.push(action);
  return action;
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
    rule.actions.push({
      kind: 'definition',
      selector: '',
      selectors: [],
      at: reader.place(node, 0),
      source: node.source,
      on: around.on,
      node,
      within: around.within,
    });
    return;
  }
  if (name === 'import')
    return reader.problem(
      node,
      0,
      '@import cannot stand in a rule',
      'Write @style url("…"); for a stylesheet of the project.',
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
  const needsBlock = name === 'on' || name === 'swap';
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
function addScript(
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
function readPlainCss(file: FileUse, location: string, around: Around, rule: Rule, reader: Reader): void {
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

const nothingAround: Around = { on: [], within: [], parents: null };

/**
 * The rule that the files of one page make: `DIR/tickets/pay.css` (plain CSS) and `.js` for `/tickets/pay`. `name` is their
 * path without ending. Never throws.
 */
export function readPageFiles(
  name: string,
  path: string,
  css: FileUse | null,
  js: FileUse | null,
  location: string,
  load: LoadFile,
): RuleFile {
  const file = (css ?? js)?.path ?? name;
  const at = { file, line: 1, column: 1 };
  const result: RuleFile = { rules: [], findings: [], problems: [] };
  const { condition } = parseCondition(pathCondition(path));
  const rule = emptyRule(name, at);
  rule.pages = { ...condition, placeAt: () => at };
  const reader = new Reader(file, load, result);
  reader.rule = rule;
  if (css) readPlainCss(css, location, nothingAround, rule, reader);
  if (js) addScript(js, null, { at, source: undefined, on: [] }, rule, reader);
  result.rules.push(rule);
  return result;
}

const rawValue = (node: Declaration) =>
  (node.raws.value?.raw ?? node.value) + (node.important ? (node.raws.important ?? ' !important') : '');
const valueOffset = (node: Declaration) => node.prop.length + (node.raws.between ?? ':').length;

/** One rule file while it is read: makes places, problems and findings in it. */
class Reader {
  /** The rule being read. */
  rule: Rule | null = null;

  constructor(
    readonly file: string,
    readonly load: LoadFile,
    readonly result: RuleFile,
  ) {}

  /** The place `offset` characters into a node's source. */
  place(node: ChildNode, offset: number): Place {
    const start = node.source?.start;
    if (offset === 0 || !start) return { file: this.file, line: start?.line ?? 1, column: start?.column ?? 1 };
    const text = node.source?.input.css ?? '';
    const before = text.slice(0, start.offset + offset);
    const lastBreak = before.lastIndexOf('\n');
    return {
      file: this.file,
      line: start.line + (before.slice(start.offset).match(/\n/g)?.length ?? 0),
      column: before.length - lastBreak,
    };
  }

  /** The absolute location of another file of the project, from that of a node of this one. */
  locate(node: ChildNode, path: string): string {
    const location = node.source?.input.file ?? '';
    return location.endsWith(this.file) ? location.slice(0, -this.file.length) + path : path;
  }

  problem(node: ChildNode, offset: number, message: string, hint?: string): void {
    this.result.problems.push({ message, at: this.place(node, offset), hint: hint || undefined });
  }

  found(
    code: FindingCode,
    node: ChildNode,
    offset: number,
    message: string,
    more: { hint?: string; at?: Place } = {},
  ): void {
    this.result.findings.push(
      finding(code, message, {
        rule: this.rule?.name,
        at: more.at ?? this.place(node, offset),
        hint: more.hint || null,
      }),
    );
  }

  /** The selectors of a list, or null with a finding where browsers would drop it. */
  selectors(node: ChildNode, text: string, offset: number): Selector[] | null {
    try {
      return parseSelectorList(text);
    } catch (error) {
      if (!(error instanceof SelectorError)) throw error;
      this.found('bad-css', node, offset + error.offset, error.message, { hint: error.hint });
      return null;
    }
  }

  condition(node: ChildNode, text: string, offset: number): Condition {
    const { condition, faults } = parseCondition(text);
    const shift = offset;
    for (const fault of faults) {
      if (fault.badPath) this.found('bad-path', node, shift + fault.offset, fault.message, { hint: fault.hint });
      else this.problem(node, shift + fault.offset, fault.message, fault.hint);
    }
    return { ...condition, placeAt: (within) => this.place(node, shift + within) };
  }

  /** The file that a `url(…)` names; null with a problem or finding where there is none to use. */
  fileUse(node: ChildNode, text: string, offset: number, ofTheProject: boolean): FileUse | null {
    const [call] = parseValue(text.trim()).nodes;
    const url = call?.type === 'function' && call.value.toLowerCase() === 'url' ? (call.nodes[0]?.value ?? '') : '';
    if (url === '') {
      this.problem(node, offset, `"${text.trim()}" names no file`, 'Write url("file").');
      return null;
    }
    const at = this.place(node, offset);
    let loaded;
    try {
      loaded = this.load(this.file, url, at);
    } catch (error) {
      if (!(error instanceof URIError)) throw error;
      this.problem(node, offset, `"${url}" is no address of a file: a % stands alone`, 'Write %25 for it.');
      return null;
    }
    const fault =
      loaded.fault ?? (ofTheProject && loaded.use.path === null ? `${url} is no file of the project` : null);
    if (fault)
      this.found('missing-file', node, offset, fault, { hint: 'Name a file of the project, relative to this one.' });
    return fault && ofTheProject ? null : loaded.use;
  }

  /** Reports what is not a descriptor in a block that takes only those. */
  noOtherContent(block: AtRule, name: string): void {
    for (const node of block.nodes ?? []) {
      if (node.type === 'rule' || node.type === 'atrule')
        this.problem(
          node,
          0,
          `@${name} takes ${name === 'swap' ? knownKeys(SwapDescriptors).join(', ') : 'wait-for'} and no rules`,
        );
    }
  }
}

/** Two rules of one name cannot be told apart in reports: a problem for the later one. */
export function doubleNames(rules: Rule[]): Problem[] {
  const first = new Map<string, Rule>();
  return rules.flatMap((rule) => {
    const other = first.get(rule.name);
    if (!other) first.set(rule.name, rule);
    return other
      ? [
          {
            message: `There are two rules "${rule.name}"; the first is in ${other.at.file}:${other.at.line}`,
            at: rule.at,
            hint: 'Give one of them another name.',
          },
        ]
      : [];
  });
}
