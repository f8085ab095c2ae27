import { generate, parse, type Selector as SelectorNode, type SelectorList } from 'css-tree';

/** One simple selector of a compound, as written. */
export interface Simple {
  kind: 'type' | 'class' | 'id' | 'attribute' | 'pseudo' | 'other';
  /** Without its sign. */
  name: string;
  text: string;
}

/** Simple selectors that are together, and the combinator before them (empty for the first). */
export interface Compound {
  combinator: '' | ' ' | '>' | '+' | '~' | string;
  simples: Simple[];
}

const kinds: Record<string, Simple['kind']> = {
  TypeSelector: 'type',
  ClassSelector: 'class',
  IdSelector: 'id',
  AttributeSelector: 'attribute',
  PseudoClassSelector: 'pseudo',
  PseudoElementSelector: 'pseudo',
};

/** Parses one complex selector into parts that can be changed. Throws where it cannot be parsed. */
export function takeApart(text: string): Compound[] {
  const list = parse(text, { context: 'selectorList', positions: true }) as SelectorList;
  const compounds: Compound[] = [{ combinator: '', simples: [] }];
  for (const node of (list.children.first as SelectorNode).children.toArray()) {
    if (node.type === 'Combinator') {
      compounds.push({ combinator: node.name, simples: [] });
      continue;
    }
    const source = node.loc ? text.slice(node.loc.start.offset, node.loc.end.offset) : generate(node);
    const name = 'name' in node && typeof node.name === 'string' ? node.name : '';
    compounds.at(-1)?.simples.push({ kind: kinds[node.type] ?? 'other', name, text: source });
  }
  return compounds.filter(({ simples }, index) => simples.length > 0 || index === 0);
}

/** The selector again. */
export function putTogether(compounds: Compound[]): string {
  return compounds
    .map(({ combinator, simples }, index) => {
      const text = simples.map((simple) => simple.text).join('') || '*';
      if (index === 0) return text;
      return combinator === ' ' ? ` ${text}` : ` ${combinator} ${text}`;
    })
    .join('');
}
