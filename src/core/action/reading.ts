import { readString } from '../css/strings.js';
import type { AtRule, ChildNode, Declaration } from 'postcss';
import type { Selector } from '../css/selector.js';
import type { FindingCode } from '../finding.js';
import type { Place } from '../place.js';
import type { Condition } from '../target/condition.js';
import type { ActionOf, FileUse } from './action.js';

/** An at-rule of ours that makes actions. */
export interface AtRuleOf<A extends ActionOf<string>> {
  name: string;
  /** What it is for, with an example; shown by editors. */
  describes: string;
  block: 'needed' | 'optional' | 'none';
  /** Descriptors that may be in its block, besides declarations. */
  descriptors: readonly string[];
  /** Reads it and reports errors to the reader. */
  read: (given: GivenAtRule, reader: ActionReader) => A[];
}

/** An at-rule as it is in a rule file. */
export interface GivenAtRule {
  node: AtRule;
  /** What follows its name, as in the source, and where that begins in it. */
  params: string;
  offset: number;
  on: Condition[];
}

/** The descriptors of a block that a class describes: those that are valid. */
export interface Descriptors<T> {
  values: Partial<T>;
  nodes: Map<string, Declaration>;
  /** Whether one was invalid; it was reported. */
  faulty: boolean;
}

/** What the reader of an action can use from the rule file. */
export interface ActionReader {
  /** The place `offset` characters into a node's source. */
  place: (node: ChildNode, offset: number) => Place;
  /** Adds an error: the file cannot be used. */
  problem: (node: ChildNode, offset: number, message: string, hint?: string) => void;
  /** Adds a finding: the file stays usable. */
  found: (
    code: FindingCode,
    node: ChildNode,
    offset: number,
    message: string,
    more?: { hint?: string; at?: Place },
  ) => void;
  /** The selectors of a list, or null with a finding where browsers would drop it. */
  selectors: (node: ChildNode, text: string, offset: number) => Selector[] | null;
  /** Whether browsers take a declaration; else a finding says why not. */
  isTaken: (node: Declaration) => boolean;
  /** The file that a `url(…)` names; null with a problem or finding where there is none to use. */
  fileUse: (node: ChildNode, text: string, offset: number, ofTheProject: boolean) => FileUse | null;
  /** The files and addresses that a declaration's value names; those that are missing are findings. */
  filesOf: (node: Declaration) => FileUse[];
  /** Reads the descriptors of a block with the class that describes them, and reports anything else in it. */
  descriptors: <T extends object>(node: AtRule, shape: new () => T) => Descriptors<T>;
}

/** Where a declaration's value begins in its source. */
export const valueOffset = (node: Declaration) => node.prop.length + (node.raws.between ?? ':').length;

/** The text of a descriptor in quotes; a line break in it is a space. */
export const unquote = (text: string) => readString(text).replace(/\s*\n\s*/g, ' ');

/** An action for each selector of a list. */
export function oneForEach<Kind extends string>(
  kind: Kind,
  { node, params, offset, on }: GivenAtRule,
  reader: ActionReader,
): ActionOf<Kind>[] {
  return (reader.selectors(node, params, offset) ?? []).map((selector) => ({
    kind,
    selector: selector.text,
    selectors: [selector],
    at: reader.place(node, offset + selector.offset),
    source: node.source,
    on,
    within: [],
    files: [],
  }));
}
