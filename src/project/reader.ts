import { parse, type AtRule, type ChildNode, type Container, type Declaration, type Root } from 'postcss';
import { readUrl, writeString } from '../core/css/strings.js';
import parseValue from 'postcss-value-parser';
import { finding, type Finding, type FindingCode } from '../core/finding.js';
import { declarationFault, ignoresIn } from '../core/css/declaration.js';
import { parseSelectorList, selectorFault, selectorParts, type Selector } from '../core/css/selector.js';
import type { Place, Problem } from '../core/place.js';
import { parseCondition, type Condition } from '../core/target/condition.js';
import { urlsOf } from '../core/css/urls.js';
import type { Expectation, KeptVisible } from '../core/rule/keep-visible-and-expect.js';
import type { FileUse } from '../core/action/action.js';
import { mendDeclaration } from '../core/fix/declaration-mend.js';
import { replacing, type Proposal } from '../core/fix/proposal.js';
import { valueOffset, type ActionReader, type Descriptors } from '../core/action/reading.js';
import type { Rule } from '../core/rule/rule.js';
import { ExpectDescriptors, RuleDescriptors } from './configuration.js';
import { formerNames } from '../core/former-names.js';
import { nearest } from '../core/nearest.js';
import { checkedShape, knownKeys } from './shape.js';

/** Blocks inside of one another that are read; nothing that people write comes near. */
const mostDepth = 100;

/** Parses the text of a rule file. Throws CssSyntaxError, also where blocks are nested far too deep. */
export function parseCss(text: string, location: string): Root {
  const root = parse(text, { from: location });
  let level: ChildNode[] = root.nodes;
  for (let depth = 0; level.length > 0; depth++) {
    if (depth > mostDepth && level[0]) throw level[0].error(`Blocks are nested more than ${mostDepth} deep`);
    level = level.flatMap((node) => ('nodes' in node ? (node.nodes ?? []) : []));
  }
  return root;
}

/** Loads a file that a rule names. */
export type LoadFile = (
  fromFile: string,
  url: string,
  at: Place,
  /** `served`: browsers fetch it; `read`: it goes into what ships, and must be a file of the project. */
  kind: 'read' | 'served',
) => { use: FileUse; fault: string | null };

/** What a rule file holds. With problems, the file cannot be used; findings leave it usable. */
export interface RuleFile {
  rules: Rule[];
  keptVisible: KeptVisible[];
  expectations: Expectation[];
  findings: Finding[];
  problems: Problem[];
}

export const rawValue = (node: Declaration) =>
  (node.raws.value?.raw ?? node.value) + (node.important ? (node.raws.important ?? ' !important') : '');
export const lowerFirst = (text: string) => text.charAt(0).toLowerCase() + text.slice(1);

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
    else if (known !== undefined) reader.problem(node, 0, `"${node.prop}" appears twice`, 'Keep one of them.');
    else values[node.prop] = value;
    nodes.set(node.prop, node);
  }
  return { values, nodes };
}

/** What an unknown descriptor was meant to be: its new name, an at-rule without its sign, or a name that is near. */
function otherDescriptor(node: Declaration, at: Place, known: string[]): Proposal[] {
  const written = `${node.prop}${node.raws.between ?? ': '}`;
  const renamed = Object.hasOwn(formerNames.descriptor, node.prop)
    ? formerNames.descriptor[node.prop as keyof typeof formerNames.descriptor]
    : null;
  if (renamed !== null) return [replacing(at, renamed.includes(':') ? written + rawValue(node) : node.prop, renamed)];
  if (actionNames.includes(node.prop)) return [replacing(at, written, `@${node.prop} `)];
  const near = nearest(node.prop, known);
  return near === null ? [] : [replacing(at, node.prop, near)];
}

/** At-rules of actions that are easily written like a descriptor. */
const actionNames = ['hide', 'only-here', 'swap', 'mark-current', 'script', 'style-file', 'stylesheet', 'on'];

/** Reads the descriptors of a block by the class that describes them; what is wrong with one is reported, and it is left out. */
export function readDescriptors<T extends object>(
  block: AtRule,
  shape: new () => T,
  reader: Reader,
  listKeys: string[] = [],
): Descriptors<T> {
  const { values, nodes } = descriptorValues(block, reader, listKeys);
  const { instance, faults } = checkedShape(shape, values);
  for (const { keys, message, hint, unknownKey } of faults) {
    const node = nodes.get(keys[0] ?? '');
    if (!node) continue;
    delete (instance as Record<string, unknown>)[node.prop];
    const css =
      unknownKey &&
      (shape === (RuleDescriptors as unknown) || shape === (ExpectDescriptors as unknown)) &&
      declarationFault(node.prop, node.value) === null;
    const remedy = css ? `Put it in a style rule: SELECTOR { ${node.prop}: ${node.value}; }` : hint;
    const at = reader.place(node, 0);
    const proposals = unknownKey && !css ? otherDescriptor(node, at, knownKeys(shape)) : undefined;
    reader.problem(node, unknownKey ? 0 : valueOffset(node), message, remedy, proposals);
  }
  return { values: instance, nodes, faulty: faults.length > 0 };
}

/** One rule file while it is read: makes places, problems and findings in it. */
export class Reader implements ActionReader {
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

  problem(node: ChildNode, offset: number, message: string, hint?: string, proposals?: Proposal[]): void {
    const at = this.place(node, offset);
    this.result.problems.push({ message, at, hint: hint || undefined, ...(proposals?.length ? { proposals } : {}) });
  }

  found(
    code: FindingCode,
    node: ChildNode,
    offset: number,
    message: string,
    more: { hint?: string; at?: Place; proposals?: Proposal[] } = {},
  ): void {
    this.result.findings.push(
      finding(code, message, {
        rule: this.rule?.name,
        at: more.at ?? this.place(node, offset),
        hint: more.hint || null,
        proposals: more.proposals,
      }),
    );
  }

  /** The selectors of a list, or null with a finding where browsers would drop it. */
  selectors(node: ChildNode, text: string, offset: number, relative = false): Selector[] | null {
    const fault = selectorFault(text, relative);
    if (!fault) return parseSelectorList(text, relative);
    const { offset: within, message, hint, mend } = fault;
    const proposals = mend && [replacing(this.place(node, offset + mend.offset), mend.from, mend.to)];
    this.found('invalid-css', node, offset + within, message, { hint, proposals });
    return null;
  }

  condition(node: ChildNode, text: string, offset: number): Condition {
    const { condition, faults } = parseCondition(text);
    for (const { message, offset: within, hint, code, mend } of faults) {
      const proposals = mend && [replacing(this.place(node, offset + mend.offset), mend.from, mend.to)];
      if (code) this.found(code, node, offset + within, message, { hint, proposals });
      else this.problem(node, offset + within, message, hint, proposals);
    }
    return { ...condition, placeAt: (within) => this.place(node, offset + within) };
  }

  /** The file that a `url(…)` names; null with a problem or finding where there is none to use. */
  fileUse(node: ChildNode, text: string, offset: number, ofTheProject: boolean): FileUse | null {
    const [call] = parseValue(text.trim()).nodes;
    const named = call?.type === 'function' && call.value.toLowerCase() === 'url' ? call.nodes[0] : undefined;
    const url = readUrl(named?.value ?? '', named?.type === 'string');
    if (url === '') {
      this.problem(node, offset, `"${text.trim()}" does not name a file`, 'Write url("file").');
      return null;
    }
    const at = this.place(node, offset);
    let loaded;
    try {
      loaded = this.load(this.file, url, at, ofTheProject ? 'read' : 'served');
    } catch (error) {
      if (!(error instanceof URIError)) throw error;
      this.problem(node, offset, `"${url}" is not a valid file URL: it contains a single %`, 'Write %25 instead.');
      return null;
    }
    const fault =
      loaded.fault ?? (ofTheProject && loaded.use.path === null ? `${url} is not a file of the project` : null);
    if (fault)
      this.found('missing-file', node, offset, fault, { hint: 'Name a file of the project, relative to this one.' });
    return fault && ofTheProject ? null : loaded.use;
  }

  /** The files and addresses that a declaration's value names; those that are missing are findings. */
  filesOf(node: Declaration): FileUse[] {
    return urlsOf(node.value).flatMap(({ url, offset }) => {
      const use = this.fileUse(node, `url(${writeString(url)})`, valueOffset(node) + offset, false);
      return use ? [{ ...use, url }] : [];
    });
  }

  /** Whether browsers take a declaration in a rule with these selectors; else a finding says why not. */
  isTaken(node: Declaration, selectors: Selector[] = []): boolean {
    const pseudos = selectors.map(({ text }) => (text.includes(':') ? selectorParts(text).pseudo : ''));
    const [pseudo] = pseudos;
    const ignored = pseudo !== undefined && pseudos.every((each) => ignoresIn(each, node.prop));
    const fault = ignored
      ? { message: `"${node.prop}" does nothing in ${pseudo}`, hint: 'Set it on the element itself.' }
      : declarationFault(node.prop, node.value);
    if (fault === null) return true;
    const mended = ignored ? null : mendDeclaration(node.prop, node.value);
    const [from, to] = mended?.name === node.prop ? [node.value, mended.value] : [node.prop, mended?.name ?? ''];
    this.found('invalid-css', node, 0, `${fault.message}, so browsers ignore it`, {
      hint: mended ? `Did you mean ${to}?` : fault.hint,
      ...(mended
        ? { proposals: [replacing(this.place(node, from === node.prop ? 0 : valueOffset(node)), from, to)] }
        : {}),
    });
    return false;
  }

  /** Reads the descriptors of a block that takes only those. */
  descriptors<T extends object>(block: AtRule, shape: new () => T): Descriptors<T> {
    const read = readDescriptors(block, shape, this);
    for (const node of block.nodes ?? []) {
      if (node.type === 'rule' || node.type === 'atrule')
        this.problem(node, 0, `@${block.name} takes ${knownKeys(shape).join(', ')} but no nested rules`);
    }
    return read;
  }
}
