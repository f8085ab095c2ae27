import parseValue, { type Node } from 'postcss-value-parser';

/** Substituted values that grow longer than this are taken as invalid, as browsers do (CSS Variables 1, 3.3). */
const longest = 100_000;

/**
 * A value with its `var()` replaced (CSS Variables 1, section 3); `valueOf` gives a custom property's computed value, empty
 * where it has none. Null where a variable without fallback is missing, or something only a laid-out page knows is asked.
 */
export function substitute(value: string, valueOf: (name: string) => string): string | null {
  const parsed = parseValue(value);
  const result = textOf(parsed.nodes, valueOf);
  return result === null || result.length > longest ? null : result.trim();
}

function textOf(nodes: Node[], valueOf: (name: string) => string): string | null {
  let text = '';
  for (const node of nodes) {
    if (node.type !== 'function') {
      text += node.type === 'comment' ? ' ' : parseValue.stringify(node);
      continue;
    }
    const name = node.value.toLowerCase();
    const inner = name === 'var' || name === 'env' ? replaced(node.nodes, valueOf, name) : textOf(node.nodes, valueOf);
    if (inner === null) return null;
    text += name === 'var' || name === 'env' ? inner : `${node.value}(${inner})`;
    if (text.length > longest) return null;
  }
  return text;
}

/** The replacement of `var(--name, fallback)`. */
function replaced(nodes: Node[], valueOf: (name: string) => string, kind: string): string | null {
  const comma = nodes.findIndex((node) => node.type === 'div' && node.value === ',');
  const name = parseValue.stringify(comma < 0 ? nodes : nodes.slice(0, comma)).trim();
  const own = kind === 'var' && name.startsWith('--') ? valueOf(name) : '';
  if (own !== '') return own;
  return comma < 0 ? null : textOf(nodes.slice(comma + 1), valueOf);
}
