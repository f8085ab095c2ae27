import { html as standard, type DefaultTreeAdapterTypes as Tree } from 'parse5';
import { linesOf, type PageDocument } from './document.js';
import { madeAt, setLines, setMadeAt } from './parse-html.js';

/** A page's tree as numbers and texts: reading it takes a tenth of the time that parsing takes (docs/decisions.md). */
export interface FlatTree {
  /** Nodes in the order of the source, in numbers of seven bits and more (LEB128). */
  nodes: Uint8Array;
  /** Names and values, each once, with U+0000 between them: no HTML holds one. */
  words: string;
  /** The contents of texts, one after the other. */
  texts: string;
}

/** Keeps the trees of pages between runs. */
export interface KeptTrees {
  /** Undefined where there is none of this file with this identity. */
  get: (file: string, identity: string) => FlatTree | undefined;
  set: (file: string, identity: string, tree: FlatTree) => void;
}

const [textNode, commentNode, doctypeNode, firstElement] = [0, 1, 2, 3];

/** Where nodes are put; kept, since making it anew for each page takes longer. */
let room = new Uint8Array(1 << 18);
const mostPerNumber = 5;

/** Whether declarations have their place in an element: its lines are told without reading the page's source. */
const holdsStyles = ({ tagName, attrs }: Tree.Element) =>
  tagName === 'style' || attrs.some(({ name }) => name === 'style');

/** Makes a page's tree flat; null where it has a template or a shadow tree, which lie outside of the tree. */
export function flatten(document: PageDocument): FlatTree | null {
  const { root, shadows } = document;
  if (shadows.size > 0) return null;
  let length = 0;
  const words = new Map<string, number>();
  const texts: string[] = [];
  let isWhole = true;
  const put = (value: number) => {
    if (length + mostPerNumber > room.length) {
      const larger = new Uint8Array(room.length * 2);
      larger.set(room);
      room = larger;
    }
    for (; value > 127; value >>>= 7) room[length++] = (value & 127) | 128;
    room[length++] = value;
  };
  const putWord = (word: string) => {
    let number = words.get(word);
    if (number === undefined) words.set(word, (number = words.size));
    put(number);
  };
  const putText = (kind: number, text: string) => {
    put(kind);
    put(text.length);
    texts.push(text);
  };
  const putNode = (node: Tree.ChildNode) => {
    if (node.nodeName === '#text') return putText(textNode, (node as Tree.TextNode).value);
    if (node.nodeName === '#comment') return putText(commentNode, (node as Tree.CommentNode).data);
    if (node.nodeName === '#documentType') return put(doctypeNode);
    const element = node as Tree.Element;
    if ('content' in element) isWhole = false;
    put(firstElement + element.attrs.length);
    putWord(element.tagName);
    putWord(element.namespaceURI);
    put(madeAt(element));
    for (const { name, value, namespace = '', prefix = '' } of element.attrs) {
      // No name holds a space.
      putWord(namespace || prefix ? `${name} ${namespace} ${prefix}` : name);
      putWord(value);
    }
    if (holdsStyles(element)) {
      const { start, end } = linesOf(document, element);
      put(start);
      put(end - start);
    }
    putNodes(element.childNodes);
  };
  const putNodes = (nodes: Tree.ChildNode[]) => {
    put(nodes.length);
    for (const node of nodes) putNode(node);
  };
  put(root.mode === standard.DOCUMENT_MODE.QUIRKS ? 1 : root.mode === standard.DOCUMENT_MODE.LIMITED_QUIRKS ? 2 : 0);
  putNodes(root.childNodes);
  return isWhole ? { nodes: room.slice(0, length), words: [...words.keys()].join('\0'), texts: texts.join('') } : null;
}

const modes = [standard.DOCUMENT_MODE.NO_QUIRKS, standard.DOCUMENT_MODE.QUIRKS, standard.DOCUMENT_MODE.LIMITED_QUIRKS];

/** The tree that was made flat, as parse5 made it; doctypes lack their addresses. Throws RangeError if it is damaged. */
export function unflatten({ nodes, words: joined, texts }: FlatTree): Tree.Document {
  const words = joined.split('\0');
  let [at, textAt] = [0, 0];
  const take = (): number => {
    let byte = nodes[at++];
    if (byte === undefined) throw new RangeError('The tree ends too early.');
    let value = byte & 127;
    for (let shift = 7; byte > 127; shift += 7) {
      byte = nodes[at++] ?? 0;
      value |= (byte & 127) << shift;
    }
    return value;
  };
  const takeWord = (): string => {
    const word = words[take()];
    if (word === undefined) throw new RangeError('The tree names a word that is not there.');
    return word;
  };
  const takeText = (): string => {
    const start = textAt;
    textAt += take();
    return texts.slice(start, textAt);
  };
  const takeAttribute = (): Tree.Element['attrs'][number] => {
    const [name, value] = [takeWord(), takeWord()];
    if (!name.includes(' ')) return { name, value };
    const [own = '', namespace = '', prefix = ''] = name.split(' ');
    return { name: own, value, namespace, prefix };
  };
  const takeNode = (parentNode: Tree.ParentNode): Tree.ChildNode => {
    const kind = take();
    if (kind === textNode) return { nodeName: '#text' as Tree.TextNode['nodeName'], value: takeText(), parentNode };
    if (kind === commentNode)
      return { nodeName: '#comment' as Tree.CommentNode['nodeName'], data: takeText(), parentNode };
    if (kind === doctypeNode)
      return {
        ...{ nodeName: '#documentType' as Tree.DocumentType['nodeName'], name: 'html', publicId: '', systemId: '' },
        parentNode,
      };
    const tagName = takeWord();
    const namespaceURI = takeWord() as Tree.Element['namespaceURI'];
    const element: Tree.Element = { nodeName: tagName, tagName, attrs: [], namespaceURI, childNodes: [], parentNode };
    setMadeAt(element, take());
    for (let count = kind - firstElement; count > 0; count--) element.attrs.push(takeAttribute());
    if (holdsStyles(element)) {
      const start = take();
      setLines(element, { start, end: start + take() });
    }
    takeNodes(element);
    return element;
  };
  const takeNodes = (parent: Tree.ParentNode) => {
    for (let count = take(); count > 0; count--) parent.childNodes.push(takeNode(parent));
  };
  const mode = modes[take()] ?? standard.DOCUMENT_MODE.NO_QUIRKS;
  const root: Tree.Document = { nodeName: '#document' as Tree.Document['nodeName'], mode, childNodes: [] };
  takeNodes(root);
  if (at !== nodes.length || textAt !== texts.length) throw new RangeError('The tree does not end where it should.');
  return root;
}
