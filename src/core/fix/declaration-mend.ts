import { definitionSyntax, type DSNode } from 'css-tree';
import { declarationFault } from '../css/declaration.js';
import tables from '../css/browser-tables.json' with { type: 'json' };
import { valueLexer } from '../css/value-definitions.js';
import { nearest } from '../nearest.js';

/** A declaration that browsers take, near one that they drop. */
export interface MendedDeclaration {
  name: string;
  value: string;
}

const units =
  'px em rem % ex ch cap ic lh rlh vw vh vi vb vmin vmax svh dvh lvh svw dvw lvw cm mm in pt pc q deg grad rad turn s ms fr dpi dpcm dppx x'.split(
    ' ',
  );

/** The nearest declaration that a browser takes: another name, unit or keyword, or `px` where a number has no unit; null if none does. */
export function mendDeclaration(name: string, value: string): MendedDeclaration | null {
  const known = Object.keys(tables.properties);
  if (!known.includes(name.toLowerCase())) {
    const near = nearest(name, known);
    return near !== null && declarationFault(near, value) === null ? { name: near, value } : null;
  }
  const words = value.split(/([\s,/()]+)/);
  for (const candidate of [
    ...oneWordOther(words, (word) => otherUnit(word)),
    ...oneWordOther(words, (word) => otherKeyword(name, word)),
  ])
    if (declarationFault(name, candidate) === null) return { name, value: candidate };
  // One unit may be missing several times: `padding: 3 4`.
  const all = words.map((word) => otherUnit(word) ?? word).join('');
  return all !== value && declarationFault(name, all) === null ? { name, value: all } : null;
}

/** The values that have another word in the place of one of theirs. */
function oneWordOther(words: string[], other: (word: string) => string | null): string[] {
  return words.flatMap((word, at) => {
    const changed = other(word);
    return changed === null ? [] : [[...words.slice(0, at), changed, ...words.slice(at + 1)].join('')];
  });
}

function otherUnit(word: string): string | null {
  const [, number, unit = ''] = /^([+-]?(?:\d+\.?\d*|\.\d+))([a-z%]*)$/i.exec(word) ?? [];
  if (number === undefined) return null;
  if (unit === '') return Number(number) === 0 ? null : `${number}px`;
  if (units.includes(unit.toLowerCase())) return null;
  const near = nearest(unit, units);
  return near === null ? null : number + near;
}

function otherKeyword(name: string, word: string): string | null {
  if (!/^[a-z][a-z-]*$/i.test(word)) return null;
  const near = nearest(word, keywordsOf(name));
  return near === word.toLowerCase() ? null : near;
}

const keywordsKnown = new Map<string, string[]>();

/** The keywords that a property's grammar names. */
function keywordsOf(name: string): string[] {
  const known = keywordsKnown.get(name);
  if (known) return known;
  const { properties, types } = valueLexer() as unknown as Record<
    'properties' | 'types',
    Record<string, { syntax?: DSNode }>
  >;
  const [found, visited] = [new Set<string>(), new Set<string>()];
  const visit = (syntax: DSNode | null | undefined) => {
    if (!syntax) return;
    definitionSyntax.walk(syntax, (node) => {
      if (node.type === 'Keyword') found.add(node.name);
      if ((node.type !== 'Type' && node.type !== 'Property') || visited.has(`${node.type} ${node.name}`)) return;
      visited.add(`${node.type} ${node.name}`);
      visit((node.type === 'Type' ? types : properties)[node.name]?.syntax);
    });
  };
  visit(properties[name.toLowerCase()]?.syntax);
  const list = [...found].filter((each) => /^[a-z][a-z-]*$/.test(each));
  keywordsKnown.set(name, list);
  return list;
}
