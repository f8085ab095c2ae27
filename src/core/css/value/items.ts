import parseValue, { type Node } from 'postcss-value-parser';

/** A value cut where `isBetween` finds a node outside of all brackets. */
function cut(value: string, isBetween: (node: Node) => boolean): string[] {
  const parts: Node[][] = [[]];
  for (const node of parseValue(value).nodes) {
    if (isBetween(node)) parts.push([]);
    else parts[parts.length - 1]?.push(node);
  }
  return parts.map((nodes) => parseValue.stringify(nodes).trim());
}

/** The items of a list, which commas part. */
export const itemsOf = (value: string) =>
  value.includes(',') ? cut(value, ({ type, value: text }) => type === 'div' && text === ',') : [value];

/** The words of a value, which spaces part. */
export const wordsOf = (value: string) =>
  value.includes(' ')
    ? cut(value, ({ type }) => type === 'space').filter((word) => word !== '')
    : value === ''
      ? []
      : [value];
