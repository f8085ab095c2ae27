import parseValue, { type Node } from 'postcss-value-parser';
import type { AtRule, Declaration } from 'postcss';
import type { Rule } from '../rule/rule.js';
import type { DefinitionAction } from './action.js';
import { actionKind } from './index.js';

/** Names that at-rules define for every page that loads the build, and the properties that use them. */
const kinds: { atRule: RegExp; uses: RegExp; isFont?: true; dashed?: true }[] = [
  { atRule: /^(-\w+-)?keyframes$/i, uses: /^(-\w+-)?animation(-name)?$/i },
  { atRule: /^font-face$/i, uses: /^font(-family)?$/i, isFont: true },
  { atRule: /^counter-style$/i, uses: /^(list-style(-type)?|content)$/i },
  { atRule: /^font-palette-values$/i, uses: /^font-palette$/i, dashed: true },
  { atRule: /^position-try$/i, uses: /^position-try(-fallbacks)?$/i, dashed: true },
];

interface OwnName {
  kind: (typeof kinds)[number];
  from: string;
  to: string;
  definition: DefinitionAction;
}

/**
 * Makes the names that a rule's at-rules define its own, with their uses: else `@keyframes fade` of one rule would change
 * what `fade` means in another, and on every page of the site. Changes the rule's nodes in place.
 */
export function giveOwnNames(rule: Rule): void {
  const names = namesOf(rule);
  if (names.length === 0) return;
  for (const { kind, to, definition } of names) {
    if (!kind.isFont) definition.node.params = to;
    else definition.node.each((node) => void (isFamily(node) && setValue(node, JSON.stringify(to))));
  }
  for (const action of rule.actions) {
    const visible = names.filter(({ definition }) => definition.on.every((condition) => action.on.includes(condition)));
    // Of two definitions the one with more conditions around it applies.
    visible.sort((a, b) => b.definition.on.length - a.definition.on.length);
    for (const declaration of actionKind(action).written(action)) rename(declaration, visible);
  }
}

const isFamily = (node: { type: string }): node is Declaration =>
  node.type === 'decl' && (node as Declaration).prop.toLowerCase() === 'font-family';

function namesOf(rule: Rule): OwnName[] {
  const names: OwnName[] = [];
  for (const action of rule.actions) {
    if (action.kind !== 'definition') continue;
    const kind = kinds.find(({ atRule }) => atRule.test(action.node.name));
    const from = kind && definedName(action.node, kind);
    if (!kind || !from) continue;
    const same = names.filter((each) => each.kind === kind && each.from === from);
    const known = same.find(({ definition }) => String(definition.on.map(textOf)) === String(action.on.map(textOf)));
    const others = new Set(same.map(({ to }) => to)).size;
    const own = kind.isFont
      ? `${rule.name} ${from}`
      : `${kind.dashed ? '--' : ''}${rule.name}-${from.replace(/^--/, '')}`;
    names.push({ kind, from, to: known?.to ?? (others > 0 ? `${own}-${others + 1}` : own), definition: action });
  }
  return names;
}

const textOf = ({ text }: { text: string }) => text;

function definedName(node: AtRule, { isFont }: OwnName['kind']): string | undefined {
  const family = isFont ? node.nodes?.find(isFamily)?.value : node.params;
  return family?.trim().replace(/^(["'])(.*)\1$/, '$2');
}

function setValue(declaration: Declaration, value: string): void {
  declaration.value = value;
  delete declaration.raws.value;
}

function rename(declaration: Declaration, names: OwnName[]): void {
  const { prop, value } = declaration;
  const done = new Set<string>();
  for (const { kind, from, to } of names) {
    // A custom property can hold a name that is used elsewhere.
    const uses = kind.uses.test(prop) || (prop.startsWith('--') && !kind.isFont);
    const key = `${kinds.indexOf(kind)} ${from}`;
    if (!uses || done.has(key) || !value.toLowerCase().includes(from.toLowerCase().split(' ')[0] ?? '')) continue;
    done.add(key);
    const parsed = parseValue(declaration.value);
    if (kind.isFont) renameFamily(parsed.nodes, from, to);
    else
      parsed.walk((node) => {
        if ((node.type === 'word' || node.type === 'string') && node.value === from) node.value = to;
      });
    if (parsed.toString() !== declaration.value) setValue(declaration, parsed.toString());
  }
}

/** A family may be quoted or be words (CSS Fonts 4, 2.1); in `font` it is last. */
function renameFamily(nodes: Node[], from: string, to: string): void {
  const isFrom = (text: string) => text.toLowerCase() === from.toLowerCase();
  const quoted = (node: Node): Node => ({
    ...{ type: 'string', quote: '"', value: to },
    ...{ sourceIndex: node.sourceIndex, sourceEndIndex: node.sourceEndIndex },
  });
  for (let end = nodes.length; end > 0; end--) {
    const last = nodes[end - 1];
    if (last?.type === 'string' && isFrom(last.value)) nodes[end - 1] = quoted(last);
    if (last?.type !== 'word') continue;
    for (let start = end - 1; start >= 0 && /^(word|space)$/.test(nodes[start]?.type ?? ''); start--) {
      const first = nodes[start];
      if (first?.type !== 'word' || !isFrom(parseValue.stringify(nodes.slice(start, end)).replace(/\s+/g, ' ')))
        continue;
      nodes.splice(start, end - start, quoted(first));
      end = start + 1;
      break;
    }
  }
}
