import { walk, type CssNode } from 'css-tree';

const kindOfUnit: Record<string, string> = {
  ...Object.fromEntries(['deg', 'grad', 'rad', 'turn'].map((unit) => [unit, 'angle'])),
  ...{ s: 'time', ms: 'time', fr: 'flex', x: 'resolution', dppx: 'resolution', dpi: 'resolution' },
};

const signed = (text: string, kind: string) => (Number(text) < 0 ? `-${kind}` : kind);

/** The marks of a value by which Chromium's answers are learnt: its words and kinds of tokens, neighbours, and what is there twice. */
export function valueMarks(tree: CssNode): Set<string> {
  const tokens: string[] = [];
  walk(tree, (node: CssNode) => {
    switch (node.type) {
      case 'Identifier':
        return void tokens.push(node.name.toLowerCase());
      case 'Function':
        return void tokens.push(`${node.name.toLowerCase()}()`);
      case 'Number':
        return void tokens.push(Number(node.value) === 0 ? '0' : signed(node.value, 'number'));
      case 'Percentage':
        return void tokens.push(signed(node.value, 'percentage'));
      case 'Dimension':
        return void tokens.push(signed(node.value, kindOfUnit[node.unit.toLowerCase()] ?? 'length'));
      case 'String':
        return void tokens.push('string');
      case 'Url':
        return void tokens.push('url');
      case 'Hash':
        return void tokens.push('hash');
      case 'Operator':
        return void tokens.push(node.value.trim());
      case 'Brackets':
        return void tokens.push('[]');
      default:
        return;
    }
  });
  const marks = new Set(tokens);
  tokens.forEach((token, index) => {
    marks.add(`${tokens[index - 1] ?? 'begin'} ${token}`);
    if (tokens.indexOf(token) < index) marks.add(`${token} twice`);
  });
  if (tokens.length > 0) marks.add(`${tokens.at(-1)} end`);
  return marks;
}
