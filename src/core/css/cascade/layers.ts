import type { StyleUse } from './style-set.js';
import type { EnclosingRule, Sheet } from './sheet.js';

/** The key of a layer's path in the ranks. */
export const layerKey = (path: string[]) => path.join('\u0000');

/** CSS Cascading 5, 6.4.3: layers in the order in which they are named first, those inside a layer before its own rules. */
export function rankLayers(
  uses: StyleUse[],
  ours: Pick<Sheet, 'layers'> | null,
  counts: (around: EnclosingRule[]) => boolean,
): Map<string, number> {
  interface Node {
    key: string;
    children: Map<string, Node>;
  }
  const root: Node = { key: '', children: new Map() };
  let serial = 0;
  const name = (path: string[], prefix: string[], around: EnclosingRule[]) => {
    if (!counts(around)) return;
    let node = root;
    const keys: string[] = [];
    for (const part of [...prefix, ...path]) {
      keys.push(part);
      const next: Node = node.children.get(part) ?? { key: layerKey(keys), children: new Map() };
      node.children.set(part, next);
      node = next;
    }
  };
  const nameAll = ({ layers }: Pick<Sheet, 'layers'>, use: StyleUse | null) => {
    if (use && !counts(use.around)) return;
    if (use?.layer) name([], use.layer, []);
    for (const { path, around } of layers) name(path, use?.layer ?? [], around);
  };
  for (const use of uses) if (!use.afterBuild) nameAll(use.sheet, use);
  if (ours) nameAll(ours, null);
  for (const use of uses) if (use.afterBuild) nameAll(use.sheet, use);
  const ranks = new Map<string, number>();
  const walk = (node: Node) => {
    for (const child of node.children.values()) walk(child);
    if (node !== root) ranks.set(node.key, serial++);
  };
  walk(root);
  return ranks;
}
