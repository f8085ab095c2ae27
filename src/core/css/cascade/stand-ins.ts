import { html as standard, type DefaultTreeAdapterTypes as Tree } from 'parse5';
import type { Element, PageDocument } from '../../page/document.js';
import { Computed } from '../value/computed.js';
import { Cascade, type OurSheet } from './cascade.js';
import type { TriedOn } from './element-chains.js';
import type { OutlinedElements } from './page-outline.js';
import type { StyleSet } from './style-set.js';

/** An element that stands for those of an outline's entry: the cascade tells the same of it as of them. */
type StandIn = Element & TriedOn;

/**
 * Elements that stand for those of a page, made of what its outline tells. They have what the page's stylesheets ask of an
 * element, and of those above it; nothing else of the page is there. So what the cascade says of them is found out without
 * opening the page.
 */
export class StandIns<Owner> {
  readonly document: PageDocument;
  readonly cascade: Cascade<Owner>;
  /** Computed values with our sheet, and without it. */
  readonly built: Computed<Owner>;
  readonly bare: Computed<Owner>;
  private readonly made = new Map<OutlinedElements<Owner>, Element>();
  private readonly root: Tree.Document;

  constructor(set: StyleSet<Owner>, ours: OurSheet<Owner>) {
    const { quirks, viewport } = set;
    const mode = quirks ? standard.DOCUMENT_MODE.QUIRKS : standard.DOCUMENT_MODE.NO_QUIRKS;
    this.root = { nodeName: '#document', mode, childNodes: [] };
    this.document = {
      ...{ elements: [], pageWide: [], root: this.root, quirks, shadows: new Map(), source: () => '' },
      ...{ isInState: false, kept: new Map(), location: null },
    };
    const uses = set.uses.map((use) => ({ ...use, file: use.base, lineOf: use.sheet.lineOf }));
    const sheets = { uses, unseen: [], ofFonts: [], unread: [], loaded: [] };
    const sets = { setFor: () => set };
    this.cascade = new Cascade(this.document, sheets, ours, viewport, sets);
    this.built = new Computed(this.cascade);
    this.bare = new Computed(new Cascade<Owner>(this.document, sheets, null, viewport, sets));
  }

  /** The one for an entry's elements, below those for the entries above. Throws RangeError if the outline is damaged. */
  of(entry: OutlinedElements<Owner>): Element {
    let element = this.made.get(entry);
    if (element) return element;
    const above = entry.above && this.of(entry.above);
    element = standIn(entry.told, above ?? this.root);
    // The root element, by whose font size `rem` is counted.
    if (!above) this.document.elements.push(element);
    this.cascade.know(element, entry);
    this.made.set(entry, element);
    return element;
  }
}

/** `name`, or in quotes where it holds more; a value may follow. */
const attributePattern = /( (?:(https?:[^\s"|]+)\|)?([\w:-]+|"(?:[^"\\]|\\.)*")(?:=("(?:[^"\\]|\\.)*"))?)/;
const toldPattern = new RegExp(`!(\\d+):(-?\\d+)| #("(?:[^"\\\\]|\\\\.)*")|${attributePattern.source}`, 'y');

/** An element of which this was told (see ElementChains.toldBy). */
function standIn(told: string, parentNode: Tree.ParentNode): StandIn {
  const [tagName = '', classes = '', rest = ''] = told.split('\n', 3);
  const namespaceURI = [standard.NS.SVG, standard.NS.MATHML].find((each) => rest.startsWith(each)) ?? standard.NS.HTML;
  const tried = new Map<number, number>();
  const attributes = new Map<string, Element['attrs'][number]>();
  if (classes !== '') attributes.set('class', { name: 'class', value: classes });
  toldPattern.lastIndex = namespaceURI === standard.NS.HTML ? 0 : namespaceURI.length;
  while (toldPattern.lastIndex < rest.length) {
    const [, number, how, id, attribute, namespace, written = '', value] = toldPattern.exec(rest) ?? [];
    if (number !== undefined) tried.set(Number(number), Number(how));
    else if (id !== undefined) attributes.set('id', { name: 'id', value: JSON.parse(id) as string });
    else if (attribute === undefined) throw new RangeError('The outline is damaged.');
    else {
      const name = written.startsWith('"') ? (JSON.parse(written) as string) : written;
      const key = `${namespace ?? ''}|${name}`;
      // Where the value does not matter, it may be told already.
      if (value === undefined && attributes.has(name)) continue;
      const own = { name, value: value === undefined ? '' : (JSON.parse(value) as string) };
      attributes.set(namespace === undefined ? name : key, namespace === undefined ? own : { ...own, namespace });
    }
  }
  const attrs = [...attributes.values()];
  return { nodeName: tagName, tagName, attrs, namespaceURI, childNodes: [], parentNode, tried };
}
