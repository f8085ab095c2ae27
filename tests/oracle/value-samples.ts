import { lexer, type DSNode, type DSNodeGroup, type DSNodeMultiplier, type DSNodeType } from 'css-tree';

/** A place in a definition of css-tree's value grammar where a value goes one way or another. */
export interface Choice {
  /** `<color>` or `margin-left`. */
  definition: string;
  /** The number of its node in the definition, in the order of writing. */
  node: number;
  /** The alternative, `more` or `none` of a multiplier, or `negative` of a number. */
  way: number | 'more' | 'none' | 'negative' | 'zero';
}

/** Chooses one of `ways` ways; `ways` are numbered from 0. */
export type Choose = (definition: string, node: number, ways: Choice['way'][]) => number;

export interface Sample {
  value: string;
  choices: Choice[];
}

const numbers: Record<string, string[]> = {
  length: ['1px', '0', '2.5em', '1rem', '10vw'],
  percentage: ['10%', '0%', '50%'],
  number: ['1', '0.5', '2', '0'],
  integer: ['1', '3', '2'],
  angle: ['45deg', '0.5turn'],
  time: ['1s', '200ms'],
  resolution: ['2x', '96dpi'],
  frequency: ['1khz'],
  flex: ['1fr', '2.5fr'],
};
const words: Record<string, string[]> = {
  string: ['"a"', '"b c"'],
  'custom-ident': ['foo', 'bar-baz'],
  'dashed-ident': ['--a', '--b'],
  'custom-property-name': ['--a'],
  ident: ['foo', 'bar'],
  url: ['url(a.png)', 'url("b.svg")'],
  'hex-color': ['#fff', '#12345678', '#abcd'],
  zero: ['0'],
  dimension: ['1px'],
  'declaration-value': ['a'],
  'any-value': ['a'],
  'id-selector': ['#a'],
  urange: ['U+26'],
};
const mostDepth = 24;

/** The value of a definition's numbers: at most this range. */
const rangeOf = (node: DSNodeType) => (node.opts?.type === 'Range' ? node.opts : null);

class TooDeep extends Error {}

/** Writes one value that css-tree's grammar has for a property; null if it has no grammar for it. */
export function sampleOf(property: string, choose: Choose, random: () => number): Sample | null {
  const choices: Choice[] = [];
  const pick = <T>(list: T[]): T => list[Math.floor(random() * list.length)] as T;
  const definitionOf = (kind: 'properties' | 'types', name: string) =>
    (lexer as unknown as Record<string, Record<string, { syntax?: DSNode }>>)[kind]?.[name]?.syntax;

  const write = (node: DSNode, definition: string, ids: Map<DSNode, number>, depth: number): string => {
    if (depth > mostDepth) throw new TooDeep();
    const id = ids.get(node) ?? -1;
    const inner = (each: DSNode) => write(each, definition, ids, depth + 1);
    const take = (ways: Choice['way'][]) => {
      const way = ways[choose(definition, id, ways)] as Choice['way'];
      choices.push({ definition, node: id, way });
      return way;
    };
    switch (node.type) {
      case 'Group':
        return group(node, take, inner);
      case 'Multiplier':
        return repeated(node, take, inner);
      case 'Function':
        return `${node.name}(`;
      case 'Keyword':
        return node.name;
      case 'Comma':
        return ',';
      case 'String':
        return node.value.replace(/^'(.*)'$/, '$1');
      case 'Token':
        return node.value;
      case 'AtKeyword':
        return `@${node.name}`;
      case 'Property':
        return named('properties', node.name, depth);
      case 'Type':
        return numbers[node.name]
          ? numeric(node, take)
          : words[node.name]
            ? pick(words[node.name] ?? [])
            : named('types', node.name, depth);
      default:
        throw new TooDeep();
    }
  };
  const group = (
    { terms, combinator }: DSNodeGroup,
    take: (ways: Choice['way'][]) => Choice['way'],
    inner: (node: DSNode) => string,
  ) => {
    if (combinator === '|') return inner(terms[Number(take(terms.map((_, index) => index)))] as DSNode);
    if (combinator === ' ') return terms.map(inner).join(' ');
    let list = terms.map((_, index) => index);
    if (combinator === '||') {
      const first = Number(take(list));
      list = list.filter((index) => index === first || random() < 0.3);
      for (const index of list) if (index !== first) take([index]);
    }
    if (random() < 0.3) list.reverse();
    return list.map((index) => inner(terms[index] as DSNode)).join(' ');
  };
  const repeated = (
    { term, min, max, comma }: DSNodeMultiplier,
    take: (ways: Choice['way'][]) => Choice['way'],
    inner: (node: DSNode) => string,
  ) => {
    const ways: Choice['way'][] = [0];
    if (min === 0) ways.push('none');
    if (max === 0 || max > Math.max(min, 1)) ways.push('more');
    const way = ways.length > 1 ? take(ways) : 0;
    const most = max === 0 ? Math.max(min, 1) + 2 : max;
    const least = Math.max(min, 1);
    const count = way === 'none' ? 0 : way === 'more' ? least + 1 + Math.floor(random() * (most - least)) : least;
    return Array.from({ length: Math.min(count, most) }, () => inner(term)).join(comma ? ', ' : ' ');
  };
  const numeric = (node: DSNodeType, take: (ways: Choice['way'][]) => Choice['way']) => {
    const range = rangeOf(node);
    const least = range?.min ?? -Infinity;
    if ((range?.max ?? 1) < 0) return `-${pick(['1', '2'])}`;
    const ways: Choice['way'][] = [0, ...(least < 0 ? (['negative'] as const) : [])];
    if (node.name === 'integer' && least < 1) ways.push('zero');
    const way = ways.length > 1 ? take(ways) : 0;
    const fits = (numbers[node.name] ?? []).filter(
      (each) => Number.parseFloat(each) >= least && Number.parseFloat(each) <= (range?.max ?? Infinity),
    );
    const text = way === 'zero' ? '0' : pick(way === 'negative' ? fits.filter((each) => !each.startsWith('0')) : fits);
    return way === 'negative' ? `-${text}` : text;
  };
  const named = (kind: 'properties' | 'types', name: string, depth: number): string => {
    const syntax = definitionOf(kind, name);
    if (!syntax) throw new TooDeep();
    return write(syntax, kind === 'types' ? `<${name}>` : name, numbered(syntax), depth + 1);
  };
  if (!definitionOf('properties', property)) return null;
  for (let attempt = 0; attempt < 12; attempt++) {
    choices.length = 0;
    try {
      const value = named('properties', property, 0)
        .replace(/\s+/g, ' ')
        // Where what stands beside it may be left out, so may the comma (CSS Values 4, 2.1).
        .replace(/,(?:\s*,)+/g, ',')
        .replace(/([(/]|^)\s*,/g, '$1 ')
        .replace(/,\s*(\)|\/|$)/g, ' $1')
        .replace(/\(\s+/g, '(')
        .replace(/\s+([),])/g, '$1')
        .trim();
      if (value !== '') return { value, choices: [...choices] };
    } catch (error) {
      if (!(error instanceof TooDeep)) throw error;
    }
  }
  return null;
}

const known = new WeakMap<object, Map<DSNode, number>>();

/** The nodes of a definition with their numbers. */
export function numbered(syntax: DSNode): Map<DSNode, number> {
  const earlier = known.get(syntax);
  if (earlier) return earlier;
  const ids = new Map<DSNode, number>();
  const walk = (node: DSNode) => {
    ids.set(node, ids.size);
    if (node.type === 'Group') node.terms.forEach(walk);
    if (node.type === 'Multiplier') walk(node.term);
  };
  walk(syntax);
  known.set(syntax, ids);
  return ids;
}

/** A generator of numbers from 0 to 1, the same for the same seed. */
export function randomFrom(seed: number): () => number {
  let state = seed | 0;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4294967296;
  };
}

/** A value with one of its words cut, doubled, moved or replaced. */
export function mutatedValue(value: string, random: () => number): string {
  const parts = value.split(' ');
  const at = Math.floor(random() * parts.length);
  const other = (list: string[]) => list[Math.floor(random() * list.length)] as string;
  switch (Math.floor(random() * 5)) {
    case 0:
      parts.splice(at, 1);
      break;
    case 1:
      parts.splice(at, 0, parts[at] as string);
      break;
    case 2: {
      const next = (at + 1) % parts.length;
      [parts[at], parts[next]] = [parts[next] as string, parts[at] as string];
      break;
    }
    case 3:
      parts.push(other(['1px', 'red', 'auto', 'none', '0', '/', 'solid']));
      break;
    default:
      parts[at] = other(['1px', 'red', '2', 'foo', '-1px', '10%', '1s', '-1', '"a"', 'calc(1px + 1%)', 'calc(1 + 2)']);
  }
  return parts.join(' ');
}
