import { List, type CssNode } from 'css-tree';
import { channelsOf } from './value-definitions.js';

/** A type of CSS Values 4, 10.9: powers of base units (`{ length: 1 }`); empty for a number. Null: the expression has no type. */
type Type = Record<string, number>;

const unitKinds: [kind: string, units: RegExp][] = [
  ['angle', /^(deg|grad|rad|turn)$/i],
  ['time', /^(s|ms)$/i],
  ['frequency', /^(hz|khz)$/i],
  ['resolution', /^(dpi|dpcm|dppx|x)$/i],
  ['flex', /^fr$/i],
  ['length', /^(px|cm|mm|q|in|pt|pc|r?em|r?ex|r?ch|r?cap|r?ic|r?lh|[sld]?v(w|h|i|b|min|max)|cq(w|h|i|b|min|max))$/i],
];

const number: Type = {};
const constants = ['e', 'pi', 'infinity', '-infinity', 'nan'];
/** A number out of numbers, by how many. */
const ofNumbers: Record<string, [least: number, most: number]> = {
  pow: [2, 2],
  sqrt: [1, 1],
  exp: [1, 1],
  log: [1, 2],
};
const ofSameType: Record<string, [least: number, most: number]> = {
  min: [1, Infinity],
  max: [1, Infinity],
  hypot: [1, Infinity],
  mod: [2, 2],
  rem: [2, 2],
  abs: [1, 1],
  clamp: [3, 3],
  round: [1, 2],
};

/** Functions of CSS Values 4, 10, and 5, that stand for a number or a dimension. */
export const isMathFunction = (name: string) =>
  /^(-webkit-)?calc$|^(min|max|clamp|round|mod|rem|sin|cos|tan|asin|acos|atan|atan2|pow|sqrt|hypot|log|exp|abs|sign|progress|sibling-index|sibling-count)$/i.test(
    name,
  );

const withoutZeros = (type: Type): Type => Object.fromEntries(Object.entries(type).filter(([, power]) => power !== 0));

const product = (one: Type, other: Type, sign: 1 | -1): Type => {
  const powers = { ...one };
  for (const [kind, power] of Object.entries(other)) powers[kind] = (powers[kind] ?? 0) + sign * power;
  return withoutZeros(powers);
};

const isSame = (one: Type, other: Type) => Object.keys(product(one, other, -1)).length === 0;

/** Lengths and percentages may be added where both may stand: the sum is a `mix`. */
function sum(one: Type | null, other: Type | null): Type | null {
  if (!one || !other) return null;
  if (isSame(one, other)) return one;
  const kinds = [one, other].map((type) => {
    const [kind, ...more] = Object.keys(type);
    return more.length === 0 && kind && type[kind] === 1 ? kind : '';
  });
  return kinds.every((kind) => ['length', 'percentage', 'mix'].includes(kind)) ? { mix: 1 } : null;
}

/** The type of a math function; null where CSS has none for it. `channels`: names that are numbers, in a relative colour. */
export function mathType(node: CssNode, channels: string[]): Type | null {
  if (node.type !== 'Function') return null;
  const name = node.name.toLowerCase().replace(/^-webkit-/, '');
  const parts = argumentsOf(node.children.toArray());
  const typeOf = (part: CssNode[]) => sumType(part, channels);
  const types = parts.map(typeOf);
  const [first = null, second = null] = types;
  const isBetween = ([least, most]: [number, number] = [1, 1]) => parts.length >= least && parts.length <= most;
  switch (name) {
    case 'calc':
      return parts.length === 1 ? first : null;
    case 'sin':
    case 'cos':
    case 'tan':
      return parts.length === 1 && first && (isSame(first, number) || isSame(first, { angle: 1 })) ? number : null;
    case 'asin':
    case 'acos':
    case 'atan':
      return parts.length === 1 && first && isSame(first, number) ? { angle: 1 } : null;
    case 'atan2':
      return parts.length === 2 && sum(first, second) ? { angle: 1 } : null;
    case 'sign':
      return parts.length === 1 && first ? number : null;
    case 'progress':
      return parts.length === 3 && types.reduce(sum) ? number : null;
    case 'sibling-index':
    case 'sibling-count':
      return node.children.isEmpty ? number : null;
    default:
  }
  const known = Object.hasOwn(ofNumbers, name) ? ofNumbers[name] : undefined;
  if (known) return isBetween(known) && types.every((type) => type && isSame(type, number)) ? number : null;
  let [list, own] = [parts, types];
  if (name === 'round' && isWord(parts[0], ['nearest', 'up', 'down', 'to-zero']))
    [list, own] = [parts.slice(1), types.slice(1)];
  if (name === 'clamp') {
    if (parts.length !== 3) return null;
    own = own.filter((_, index) => index === 1 || !isWord(parts[index], ['none']));
  } else if (!isIn(list.length, ofSameType[name])) return null;
  // A number is rounded to 1 where nothing else is said; a length is not.
  if (name === 'round' && list.length === 1 && !(own[0] && isSame(own[0], number))) return null;
  return own.length > 0 ? own.reduce(sum) : null;
}

const isIn = (count: number, range: [number, number] | undefined) =>
  range !== undefined && count >= range[0] && count <= range[1];

const isWord = (part: CssNode[] | undefined, words: string[]) =>
  part?.length === 1 && part[0]?.type === 'Identifier' && words.includes(part[0].name.toLowerCase());

/** The parts between commas. */
function argumentsOf(nodes: CssNode[]): CssNode[][] {
  if (nodes.length === 0) return [];
  const parts: CssNode[][] = [[]];
  for (const node of nodes) {
    if (node.type === 'Operator' && node.value === ',') parts.push([]);
    else if (node.type !== 'WhiteSpace') parts.at(-1)?.push(node);
  }
  return parts;
}

const isSign = (node: CssNode | undefined, signs: string): node is CssNode & { type: 'Operator' } =>
  node?.type === 'Operator' && signs.includes(node.value.trim());

/** The type of a sum of products. */
function sumType(nodes: CssNode[], channels: string[]): Type | null {
  let at = 0;
  const factor = (): Type | null => {
    const node = nodes[at++];
    switch (node?.type) {
      case 'Number':
        return number;
      case 'Percentage':
        return { percentage: 1 };
      case 'Dimension': {
        const [kind] = unitKinds.find(([, units]) => units.test(node.unit)) ?? [];
        return kind === undefined || kind === 'flex' ? null : { [kind]: 1 };
      }
      case 'Identifier':
        return [...constants, ...channels].includes(node.name.toLowerCase()) ? number : null;
      case 'Parentheses':
        return sumType(
          node.children.toArray().filter(({ type }) => type !== 'WhiteSpace'),
          channels,
        );
      case 'Function':
        // Lengths of CSS Anchor Positioning 1.
        if (/^anchor(-size)?$/i.test(node.name)) return { length: 1 };
        return isMathFunction(node.name) ? mathType(node, channels) : null;
      default:
        return null;
    }
  };
  const term = (): Type | null => {
    let type = factor();
    for (let sign = nodes[at]; isSign(sign, '*/'); sign = nodes[at]) {
      at++;
      const other = factor();
      type = type && other && product(type, other, sign.value.trim() === '*' ? 1 : -1);
    }
    return type;
  };
  let type = term();
  for (let sign = nodes[at]; isSign(sign, '+-'); sign = nodes[at]) {
    // White space stands on both sides (CSS Values 4, 10.1).
    if (!/^\s.\s$/.test(sign.value)) return null;
    at++;
    type = sum(type, term());
  }
  return at === nodes.length ? type : null;
}

/** What stands for a value of a type when its place in a property is looked for; null for a type that no property takes. */
const stands: Record<string, CssNode[]> = {
  number: [{ type: 'Number', value: '1' }],
  length: [{ type: 'Dimension', value: '1', unit: 'px' }],
  percentage: [{ type: 'Percentage', value: '10' }],
  angle: [{ type: 'Dimension', value: '1', unit: 'deg' }],
  time: [{ type: 'Dimension', value: '1', unit: 's' }],
  frequency: [{ type: 'Dimension', value: '1', unit: 'hz' }],
  resolution: [{ type: 'Dimension', value: '1', unit: 'dppx' }],
  // Both must fit.
  mix: [
    { type: 'Dimension', value: '1', unit: 'px' },
    { type: 'Percentage', value: '10' },
  ],
};

/**
 * A value with its math functions replaced by plain numbers and dimensions of their types, in the two ways that a sum of a
 * length and a percentage may be read; null where one of them has no type.
 */
export function withoutMath(value: CssNode): CssNode[] | null {
  const ways: CssNode[] = [];
  for (const way of [0, 1]) {
    const [plain, isMixed] = replaced(value, way, []);
    if (!plain) return null;
    ways.push(plain);
    if (!isMixed) break;
  }
  return ways;
}

function replaced(node: CssNode, way: number, channels: string[]): [node: CssNode | null, isMixed: boolean] {
  if (node.type === 'Function' && isMathFunction(node.name)) {
    const type = mathType(node, channels);
    if (!type) return [null, false];
    const [kind = 'number', ...more] = Object.keys(type);
    const known = more.length === 0 && (type[kind] ?? 1) === 1 ? stands[kind] : undefined;
    return known ? [known[way] ?? known[0] ?? null, known.length > 1] : [null, false];
  }
  if (!('children' in node) || !node.children || typeof node.children === 'string') return [node, false];
  const children = (node.children as List<CssNode>).toArray();
  const first = children.find(({ type }) => type !== 'WhiteSpace');
  const name = node.type === 'Function' ? node.name.toLowerCase() : '';
  const isRelative =
    first?.type === 'Identifier' && first.name.toLowerCase() === 'from' && Object.hasOwn(channelsOf, name);
  const own = isRelative ? [...(channelsOf[name] ?? []), 'alpha'] : channels;
  const parts = children.map((child) => replaced(child, way, own));
  if (parts.some(([part]) => part === null)) return [null, false];
  const list = new List<CssNode>().fromArray(parts.map(([part]) => part as CssNode));
  return [{ ...node, children: list } as CssNode, parts.some(([, isMixed]) => isMixed)];
}
