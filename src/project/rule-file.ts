import { CssSyntaxError, type AtRule, type ChildNode, type Declaration, type Root } from 'postcss';
import { findingCodes } from '../core/finding.js';
import { renamedHint } from '../core/former-names.js';
import { replacing } from '../core/fix/proposal.js';
import { syntaxProblems, syntaxProposals } from '../core/fix/syntax-mend.js';
import { nearest, suggestion } from '../core/nearest.js';
import { pathCondition } from '../core/target/path-condition.js';
import type { Place, Problem } from '../core/place.js';
import { parseCondition } from '../core/target/condition.js';
import { giveOwnNames } from '../core/action/own-names.js';
import type { FileUse } from '../core/action/action.js';
import type { Rule } from '../core/rule/rule.js';
import { RuleDescriptors } from './configuration.js';
import { withSource } from './files.js';
import { unquote, valueOffset } from '../core/action/reading.js';
import { scriptAction, scriptFault } from '../core/action/script.js';
import { lowerFirst, parseCss, rawValue, readDescriptors, Reader, type LoadFile, type RuleFile } from './reader.js';
import { readExpectation, readKeepVisible } from './keep-visible-and-expect.js';
import { defining, grouping, readContent, readPlainCss, type Enclosing } from './rule-actions.js';

/** What the blocks of a rule file held when it was last read, by their text and where it stood. */
export type KeptBlocks = Map<string, RuleFile>;

/**
 * Reads one rule file; `file` is its path in the project, `location` its absolute path (for source maps). Blocks that are in
 * `kept`, and name no files, are not read again: their rules are the same objects. Never throws.
 */
export function readRuleFile(
  text: string,
  file: string,
  location: string,
  load: LoadFile,
  kept: KeptBlocks = new Map(),
): RuleFile {
  const result = emptyRuleFile();
  const misread = syntaxProblems(text, file);
  if (misread.length > 0) {
    result.problems = withSource(misread, text).map((each) => ({ ...each, stopsReading: true }));
    return result;
  }
  let root: Root;
  try {
    root = parseCss(text, location);
  } catch (error) {
    if (!(error instanceof CssSyntaxError)) throw error;
    const at = { file, line: error.line ?? 1, column: error.column ?? 1 };
    const proposals = syntaxProposals(error.reason, at, text);
    const message = `This is not valid CSS: ${lowerFirst(error.reason)}`;
    const hint = syntaxHint(error.reason);
    result.problems = withSource([{ message, at, hint, proposals, stopsReading: true }], text);
    return result;
  }
  const before = new Map(kept);
  kept.clear();
  for (const node of root.nodes) {
    const { start, end } = node.source ?? {};
    const key = `${start?.line}:${start?.column} ${text.slice(start?.offset, end?.offset)}`;
    let own = before.get(key);
    if (!own) {
      own = emptyRuleFile();
      let namesFile = false;
      const noting: LoadFile = (...of) => {
        namesFile = true;
        return load(...of);
      };
      readTopLevel(node, new Reader(file, noting, own));
      if (!namesFile) kept.set(key, own);
    } else kept.set(key, own);
    result.rules.push(...own.rules);
    result.keptVisible.push(...own.keptVisible);
    result.expectations.push(...own.expectations);
    result.findings.push(...own.findings);
    result.problems.push(...own.problems);
  }
  result.problems = withSource(result.problems, text);
  return result;
}

export const emptyRuleFile = (): RuleFile => ({
  rules: [],
  keptVisible: [],
  expectations: [],
  findings: [],
  problems: [],
});

function syntaxHint(reason: string): string | undefined {
  const hints: [RegExp, string][] = [
    [/Unclosed block/, 'Close it with a }.'],
    [/Unclosed comment/, 'Close it with */. A path with /* in it needs quotes: path("/winter/*").'],
    [/Unclosed bracket/, 'Close it with a ).'],
    [/Unexpected }/, 'Remove the extra }, or add the missing { before it.'],
    [/Missed semicolon/, 'Write a ; at the end of the line before.'],
    [/Unknown word/, 'A descriptor is written name: value; and a style rule selector { … }.'],
  ];
  return hints.find(([pattern]) => pattern.test(reason))?.[1];
}

function readTopLevel(node: ChildNode, reader: Reader): void {
  if (node.type === 'comment') return;
  if (node.type === 'decl') {
    reader.problem(node, 0, `"${node.prop}" is outside of any block`, 'Put it in a style rule of a @needle block.');
  } else if (
    node.type === 'rule' ||
    [...grouping, ...defining, 'import', 'charset'].includes(node.name.toLowerCase())
  ) {
    const shown = node.type === 'rule' ? node.selector.replace(/\s+/g, ' ') : `@${node.name}`;
    reader.found(
      'unscoped',
      node,
      0,
      `${shown} is outside of any @needle block. It would apply to every page, so it does not ship`,
      {
        hint: `Wrap it: @needle NAME { pages: path("/…"); ${node.type === 'rule' ? `${shown} { … }` : `${shown} …`} }`,
      },
    );
  } else if (node.name === 'keep-visible') {
    readKeepVisible(node, reader);
  } else if (node.name === 'expect') {
    readExpectation(node, reader);
  } else if (node.name !== 'needle') {
    const known = ['needle', 'keep-visible', 'expect'];
    const near = nearest(node.name, known);
    reader.problem(
      node,
      0,
      `@${node.name} is unknown at the top level of a rule file`,
      renamedHint('atRule', node.name) ?? suggestion(node.name, known).replace('mean ', 'mean @'),
      near === null ? [] : [replacing(reader.place(node, 0), `@${node.name}`, `@${near}`)],
    );
  } else {
    readNeedle(node, reader);
  }
}

function readNeedle(node: AtRule, reader: Reader): void {
  const name = node.params.trim();
  if (!node.nodes) return reader.problem(node, 0, '@needle has no block', 'Write @needle NAME { … }.');
  if (!/^[A-Za-z_][\w-]*$/.test(name)) {
    const message = name === '' ? '@needle has no name' : `"${name}" is not a valid rule name`;
    return reader.problem(
      node,
      '@needle '.length,
      message,
      'A name is letters, digits and hyphens, such as @needle calm-payment { … }.',
    );
  }
  const rule = emptyRule(name, reader.place(node, 0));
  reader.rule = rule;
  readRuleDescriptors(node, rule, reader);
  readContent(node, { on: [], within: [], parents: null }, rule, reader);
  giveOwnNames(rule);
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
    pageCount: null,
    important: false,
    state: null,
    visitor: null,
    viewport: null,
    addedByScript: false,
    paused: false,
    until: null,
    allow: [],
    actions: [],
  };
}

function readRuleDescriptors(block: AtRule, rule: Rule, reader: Reader): void {
  const { values, nodes } = readDescriptors(block, RuleDescriptors, reader, ['allow']);
  if (values.note !== undefined) rule.note = unquote(values.note);
  const pages = nodes.get('pages');
  if (pages) rule.pages = reader.condition(pages, rawValue(pages), valueOffset(pages));
  const except = nodes.get('except');
  if (except) rule.except = reader.condition(except, rawValue(except), valueOffset(except));
  const pageCount = nodes.get('page-count');
  if (pageCount && values['page-count'])
    rule.pageCount = { pages: parseInt(values['page-count'], 10), at: reader.place(pageCount, 0) };
  if (values.important === 'yes') rule.important = true;
  rule.state = values.state ?? null;
  rule.visitor = values.visitor ?? null;
  rule.viewport = values.viewport ?? null;
  rule.addedByScript = values['added-by'] === 'script';
  rule.paused = values.paused === 'yes';
  const until = nodes.get('until');
  if (until && values.until) rule.until = { day: values.until, at: reader.place(until, 0) };
  for (const entry of values.allow ?? []) {
    const [, code = '', reason = ''] = /^([a-z-]+)\s+([^]+)$/.exec(entry) ?? [];
    if (Object.hasOwn(findingCodes, code)) rule.allow.push({ code, reason: unquote(reason) });
    else
      reader.problem(
        nodes.get('allow') as Declaration,
        0,
        `"${code}" is not a finding code`,
        renamedHint('finding', code) ?? suggestion(code, Object.keys(findingCodes)),
      );
  }
}

const nothingAround: Enclosing = { on: [], within: [], parents: null };

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
  const result = emptyRuleFile();
  const { condition } = parseCondition(pathCondition(path));
  const rule = emptyRule(name, at);
  rule.pages = { ...condition, placeAt: () => at };
  const reader = new Reader(file, load, result);
  reader.rule = rule;
  if (css) readPlainCss(css, location, nothingAround, rule, reader);
  giveOwnNames(rule);
  const fault = js && scriptFault(js);
  if (fault) result.findings.push({ ...fault, rule: name });
  else if (js?.content) rule.actions.push(scriptAction(js, null, { at, source: undefined, on: [] }));
  result.rules.push(rule);
  return result;
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
