import { parse as parseScript } from 'acorn';
import { IsOptional } from 'class-validator';
import { finding, type Finding } from '../finding.js';
import type { FileUse, ScriptAction } from './action.js';
import { probeOf } from './css.js';
import { quotedText } from './descriptors.js';
import { judgedByEffect } from './judgement.js';
import type { ActionKind } from './kind.js';
import { unquote, valueOffset, type ActionReader, type GivenAtRule } from './reading.js';

/** The descriptors of `@script url("…") { … }`, as written. */
export class ScriptDescriptors {
  @IsOptional() @quotedText('write wait-for: ".fare-alert";') 'wait-for'?: string;
}

function read({ node, params, offset, on }: GivenAtRule, reader: ActionReader): ScriptAction[] {
  const { values, nodes } = reader.descriptors(node, ScriptDescriptors);
  const file = reader.fileUse(node, params, offset, true);
  const [waiting, written] = [nodes.get('wait-for'), values['wait-for']];
  const waitFor = written === undefined ? null : unquote(written);
  if (waiting && waitFor !== null && !reader.selectors(waiting, waitFor, valueOffset(waiting) + 1)) return [];
  if (!file) return [];
  const fault = scriptFault(file);
  if (fault)
    reader.found(fault.code, node, 0, fault.message, { at: fault.at ?? undefined, hint: fault.hint ?? undefined });
  return fault || !file.content
    ? []
    : [scriptAction(file, waitFor, { at: reader.place(node, 0), source: node.source, on })];
}

/** An action that runs a script. */
export const scriptAction = (
  file: FileUse,
  waitFor: string | null,
  where: Pick<ScriptAction, 'at' | 'source' | 'on'>,
): ScriptAction => ({ kind: 'script', selector: '', selectors: [], ...where, within: [], files: [], file, waitFor });

/** The syntax error of a script; null if there is none. */
export function scriptFault(file: FileUse): Finding | null {
  if (!file.content) return null;
  try {
    parseScript(new TextDecoder().decode(file.content), {
      ecmaVersion: 'latest',
      sourceType: 'script',
      allowReturnOutsideFunction: true,
    });
    return null;
  } catch (error) {
    const { message, loc } = error as Error & { loc?: { line: number; column: number } };
    const reason = message.replace(/ \(\d+:\d+\)$/, '');
    return finding(
      'invalid-script',
      `Browsers cannot read this script: ${reason.charAt(0).toLowerCase()}${reason.slice(1)}`,
      {
        at: { file: file.path ?? '', line: loc?.line ?? 1, column: (loc?.column ?? 0) + 1 },
        hint: 'It does not ship until it is fixed.',
      },
    );
  }
}

/** Runs a script on the rule's own pages. Its effect cannot be seen on a captured page. */
export const script: ActionKind<ScriptAction> = {
  atRule: {
    name: 'script',
    describes: 'A script for these pages only: @script url("…") { wait-for: ".a"; }',
    block: 'optional',
    descriptors: ['wait-for'],
    read,
  },
  reaches: 'own-pages',
  scope: 'conditions',
  written: () => [],
  css: () => null,
  narrowed: (_action, selector) => selector,
  task: ({ file, waitFor }) => ({ selector: waitFor ?? '', script: file }),
  needsScript: () => true,
  loads: () => [],
  elements: () => [],
  isMissing: () => false,
  judge: (compiled) => judgedByEffect(compiled, [], { unseen: true }),
  findings: () => [],
  outweighsUnseen: false,
  mayHide: () => false,
  flashes: () => null,
  replacesContent: () => false,
  probe: ({ waitFor }) => probeOf('nothing', { selector: waitFor ?? 'html' }),
};
