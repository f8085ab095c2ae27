import { attribute, parentOf, type Element, type PageDocument } from '../../page/document.js';
import type { DeclarationBlock, Cascade, Winner } from '../cascade/cascade.js';
import { declarationFault, hasSubstitution, isInherited, longhandsOf, wideKeywords } from '../declaration.js';
import { canonical, numberText, type Relative } from './canonical.js';
import { initialOf, longhandValue } from './expand.js';
import { layered, layersOf, oneSpelling } from './spelling.js';
import { substitute } from './variables.js';

/** `font-size` keywords in pixels at the default size (CSS Fonts 4, 2.5.1): in text of any family, and in `monospace` alone. */
const fontSizes: Record<string, [size: number, monospace: number]> = {
  'xx-small': [9, 9],
  'x-small': [10, 10],
  small: [13, 12],
  medium: [16, 13],
  large: [18, 16],
  'x-large': [24, 20],
  'xx-large': [32, 26],
  'xxx-large': [48, 39],
  '-webkit-xxx-large': [48, 39],
};

/** The display of a box that is taken out of the flow or is an item of its parent (CSS Display 3, 2.7). */
const blockified: Record<string, string> = {
  inline: 'block',
  'inline-block': 'block',
  'inline-flex': 'flex',
  'inline-grid': 'grid',
  'inline-table': 'table',
  ruby: 'block ruby',
};
/** Controls of forms are never inline boxes, but for files and pictures. */
const isControl = ({ tagName, attrs }: Element) =>
  /^(button|input|meter|progress|select|textarea)$/.test(tagName) &&
  !(tagName === 'input' && attrs.some(({ name, value }) => name === 'type' && /^(file|image)$/i.test(value)));
const isTablePart = (display: string) => /^table-|^ruby-text$/.test(display);

/** Computed values of a page's elements in canonical form (see canonical.ts), by the cascade given. */
export class Computed<Owner = unknown> {
  /** The custom properties that are being computed, each for the one before it. */
  private readonly open: { values: Map<string, string>; key: string; cyclic: boolean }[] = [];

  constructor(readonly cascade: Cascade<Owner>) {}

  /** The computed value of a longhand or custom property of an element, or of a pseudo-element of it; `currentcolor` resolved. */
  value(element: Element, pseudo: string, longhand: string): string {
    return this.resolved(element, pseudo, longhand, this.inheritable(element, pseudo, longhand));
  }

  /** CSS Color 4, 4.4: `currentcolor` is inherited as a keyword, and reported as the colour it resolves to. */
  private resolved(element: Element, pseudo: string, longhand: string, value: string): string {
    if (longhand === 'color' || !value.includes('currentcolor')) return value;
    return value.replace(/\bcurrentcolor\b/g, () => this.value(element, pseudo, 'color'));
  }

  private inheritable(element: Element, pseudo: string, longhand: string): string {
    const key = `${pseudo} ${longhand}`;
    const values = this.cascade.valuesOf(element);
    let value = values.get(key);
    if (value !== undefined) {
      const start = longhand.startsWith('--')
        ? this.open.findIndex((each) => each.values === values && each.key === key)
        : -1;
      for (const each of start < 0 ? [] : this.open.slice(start)) each.cyclic = true;
      return value;
    }
    // A value that depends on itself (`font-size` in its own units) starts from the initial value.
    values.set(key, initialOf(longhand));
    const open = { values, key, cyclic: false };
    if (longhand.startsWith('--')) this.open.push(open);
    value = this.compute(element, pseudo, longhand);
    if (longhand.startsWith('--')) this.open.pop();
    // CSS Variables 1, 2.3: all variables of a circle are invalid, whatever their fallbacks.
    if (open.cyclic) value = '';
    values.set(key, value);
    return value;
  }

  /** The computed value of a declaration that applies to an element, whether it wins or not. */
  valueOf(
    element: Element,
    pseudo: string,
    longhand: string,
    name: string,
    written: string,
    block: DeclarationBlock<Owner> | null,
  ): string {
    const value = this.fromDeclared(element, pseudo, longhand, name, written, block);
    return this.resolved(element, pseudo, longhand, this.adjusted(element, pseudo, longhand, value));
  }

  /** Whether an element is displayed: neither itself nor one above it has `display: none`, and no closed details hides it. */
  isDisplayed(element: Element): boolean {
    for (let at: Element | null = element; at; at = parentOf(at))
      if (this.value(at, '', 'display') === 'none' || isInClosedDetails(at)) return false;
    return true;
  }

  private compute(element: Element, pseudo: string, longhand: string): string {
    const winner = this.cascade.winner(element, pseudo, longhand);
    return this.adjusted(element, pseudo, longhand, this.fromWinner(element, pseudo, longhand, winner));
  }

  private fromWinner(element: Element, pseudo: string, longhand: string, winner: Winner<Owner> | null): string {
    if (!winner) {
      const value = this.defaulted(element, pseudo, longhand, 'unset');
      return longhand === 'font-size' ? this.monospaced(element, pseudo, value) : value;
    }
    if (winner.animation !== null) return `(animation ${winner.animation})`;
    const { declaration, block } = winner;
    return this.fromDeclared(element, pseudo, longhand, declaration.name, declaration.value, block, winner);
  }

  private fromDeclared(
    element: Element,
    pseudo: string,
    longhand: string,
    name: string,
    written: string,
    block: DeclarationBlock<Owner> | null,
    winner: Winner<Owner> | null = null,
  ): string {
    let value: string | null = written;
    if (hasSubstitution(value)) {
      value = substitute(value, (variable) => this.value(element, pseudo, variable));
      // Invalid at computed-value time (CSS Variables 1, 3.1).
      if (value === null || (!name.startsWith('--') && declarationFault(name, value))) value = 'unset';
    }
    const word = value.trim().toLowerCase();
    if (wideKeywords.includes(word)) {
      const beneath = winner ? this.rolledBack(element, pseudo, longhand, word, winner) : undefined;
      return beneath ?? this.defaulted(element, pseudo, longhand, word);
    }
    if (longhand.startsWith('--')) return value.trim();
    const own = longhandsOf(name).includes(longhand) ? longhand : this.cascade.otherName(element, longhand);
    const part = longhandValue(name, value, own);
    const relative = this.relativeTo(element, pseudo, longhand, block);
    if (part === null) return `(${name}: ${canonical(value, relative)})`;
    return canonical(part, relative);
  }

  /** `revert` and `revert-layer` (CSS Cascading 5, 7.3): what would win without this origin or layer. */
  private rolledBack(
    element: Element,
    pseudo: string,
    longhand: string,
    word: string,
    winner: Winner<Owner>,
  ): string | undefined {
    const { origin, weight } = winner.block;
    if (word === 'revert') {
      if (origin === 'browser') return undefined;
      const beneath = this.cascade.winner(element, pseudo, longhand, (block) => block.origin === 'browser');
      return this.fromWinner(element, pseudo, longhand, beneath);
    }
    if (word !== 'revert-layer') return undefined;
    const isBeneath = (block: DeclarationBlock<Owner>) =>
      block.origin !== origin ||
      (weight.inline ? !block.weight.inline : !block.weight.inline && block.weight.layer < weight.layer);
    return this.fromWinner(element, pseudo, longhand, this.cascade.winner(element, pseudo, longhand, isBeneath));
  }

  private defaulted(element: Element, pseudo: string, longhand: string, word: string): string {
    const custom = longhand.startsWith('--') ? this.cascade.registered(longhand) : null;
    const inherits = longhand.startsWith('--') ? (custom?.inherits ?? true) : isInherited(longhand);
    if (word === 'inherit' || (word !== 'initial' && inherits)) {
      const parent = pseudo !== '' ? element : parentOf(element);
      if (parent) return this.inheritable(parent, '', longhand);
    }
    if (longhand.startsWith('--')) return custom?.initial ?? '';
    if (longhand === 'color') return this.initialColor(element, pseudo);
    return canonical(initialOf(longhand), this.relativeTo(element, pseudo, longhand, null));
  }

  private relativeTo(
    element: Element,
    pseudo: string,
    longhand: string,
    block: DeclarationBlock<Owner> | null,
  ): Relative {
    const { viewport } = this.cascade;
    const parent = pseudo !== '' ? element : parentOf(element);
    const pixels = (of: Element | null, part: string) =>
      of ? parseFloat(this.value(of, part, 'font-size')) || 16 : 16;
    return {
      viewport,
      base: block?.use?.base ?? null,
      fontSize: () => (longhand === 'font-size' ? pixels(parent, '') : pixels(element, pseudo)),
      rootFontSize: () =>
        parent || longhand !== 'font-size' ? pixels(this.cascade.document.elements[0] ?? null, '') : 16,
      isDark: () => this.isDark(element, pseudo),
      currentColor: () =>
        longhand !== 'color'
          ? 'currentcolor'
          : parent
            ? this.value(parent, '', 'color')
            : this.initialColor(element, pseudo),
    };
  }

  /** The initial colour of text, in Chromium that of the colour scheme. */
  private initialColor = (element: Element, pseudo: string) =>
    this.isDark(element, pseudo) ? 'rgb(255, 255, 255)' : 'rgb(0, 0, 0)';

  /** The used colour scheme (CSS Color Adjustment 1, 2.2): the visitor's where the element or the page supports it, else its first. */
  private isDark(element: Element, pseudo: string): boolean {
    const own = this.value(element, pseudo, 'color-scheme');
    const schemes = own === 'normal' ? this.pageSchemes : own;
    const known = schemes.split(/\s+/).filter((each) => each === 'light' || each === 'dark');
    const wanted = this.cascade.viewport.colorScheme ?? 'light';
    return (known.includes(wanted) ? wanted : (known[0] ?? 'light')) === 'dark';
  }

  /** The schemes that the page supports (HTML, 4.2.5.5): those of the first meta that CSS can read. */
  private get pageSchemes(): string {
    return this.cascade.schemes;
  }

  /** How the computed value differs from the specified one. */
  private adjusted(element: Element, pseudo: string, longhand: string, value: string): string {
    return this.dependent(element, pseudo, longhand, oneSpelling(longhand, value));
  }

  /** Properties that depend on each other. */
  private dependent(element: Element, pseudo: string, longhand: string, value: string): string {
    const own = (name: string) => this.value(element, pseudo, name);
    const parent = pseudo !== '' ? element : parentOf(element);
    if (longhand === 'display') return this.displayOf(element, pseudo, value, parent);
    if (longhand === 'font-size') return this.fontSizeOf(value, parent, () => own('font-family') === 'monospace');
    if (longhand === 'font-weight') return this.fontWeightOf(value, parent);
    if (longhand === 'float') return /^(absolute|fixed)$/.test(own('position')) ? 'none' : value;
    if (longhand === 'line-height' && pseudo === '' && this.isDrawn(element)) return 'normal';
    if (longhand === 'line-height' && value.endsWith('%'))
      return `${numberText((parseFloat(value) / 100) * parseFloat(own('font-size')))}px`;
    if (longhand === 'overflow-x' || longhand === 'overflow-y') {
      const other = this.cascade.winner(element, pseudo, longhand === 'overflow-x' ? 'overflow-y' : 'overflow-x');
      const beside = other
        ? (longhandValue(
            other.declaration.name,
            other.declaration.value,
            longhand === 'overflow-x' ? 'overflow-y' : 'overflow-x',
          ) ?? '')
        : 'visible';
      // Chromium leaves "clip" as it is (CSS Overflow 3, 3.1, has "hidden").
      return value === 'visible' && /^(auto|scroll|hidden|overlay)$/.test(beside) ? 'auto' : value;
    }
    if (longhand === 'text-align' && value === '-internal-center') {
      const outer = parent ? this.value(parent, '', 'text-align') : 'start';
      return outer === 'start' ? 'center' : outer;
    }
    if (longhand === 'content' && value === 'none' && pseudo === '') return 'normal';
    const [, kind = ''] =
      /^(background|-webkit-mask|mask)-(?:position-[xy]|size|repeat|attachment|origin|clip|composite|mode|blend-mode)$/.exec(
        longhand,
      ) ?? [];
    if (kind === '') return value;
    return layered(value, layersOf(own(kind === 'background' ? 'background-image' : 'mask-image')));
  }

  /** Whether Chromium draws a drop-down or a button itself, whatever line height the page sets. */
  private isDrawn(element: Element): boolean {
    const isButton = element.tagName === 'input' && /^(button|submit|reset)$/i.test(attribute(element, 'type') ?? '');
    if (!isButton && !isDropDown(element)) return false;
    const declared = this.cascade.winner(element, '', 'appearance')?.declaration.value.trim().toLowerCase();
    const isLeft = declared === undefined || declared.startsWith('revert');
    const appearance = isLeft ? 'auto' : wideKeywords.includes(declared) ? 'none' : declared;
    if (appearance === 'none') return false;
    if (!isButton) return appearance !== 'base-select';
    if (appearance === 'button') return false;
    return !ownLooks.some((name) => this.cascade.winner(element, '', name)?.block.origin === 'author');
  }

  private displayOf(element: Element, pseudo: string, value: string, parent: Element | null): string {
    const word = displays[value] ?? value;
    if (word === 'none' || word === 'contents') return !parent && word === 'contents' ? 'block' : word;
    const own = (name: string) => this.value(element, pseudo, name);
    const outside = this.boxParent(parent);
    const isItem = outside !== null && /^(inline-)?(flex|grid)$/.test(this.value(outside, '', 'display'));
    if (!parent || isItem || /^(absolute|fixed)$/.test(own('position')) || this.floats(element, pseudo))
      return blockified[word] ?? (isTablePart(word) ? 'block' : word);
    return word === 'inline' && pseudo === '' && isControl(element) ? 'inline-block' : word;
  }

  private floats = (element: Element, pseudo: string) => this.value(element, pseudo, 'float') !== 'none';

  /** The nearest element above that makes a box. */
  private boxParent(parent: Element | null): Element | null {
    let at = parent;
    while (at && this.value(at, '', 'display') === 'contents') at = parentOf(at);
    return at;
  }

  private fontSizeOf(value: string, parent: Element | null, isMonospace: () => boolean): string {
    const outer = parent ? parseFloat(this.value(parent, '', 'font-size')) || 16 : 16;
    const sizes = Object.hasOwn(fontSizes, value) ? fontSizes[value] : undefined;
    if (sizes) return `${isMonospace() ? sizes[1] : sizes[0]}px`;
    if (value === 'math') return `${numberText(outer)}px`;
    if (value === 'larger') return `${numberText(outer * 1.2)}px`;
    if (value === 'smaller') return `${numberText(outer / 1.2)}px`;
    return value.endsWith('%') ? `${numberText((parseFloat(value) / 100) * outer)}px` : value;
  }

  /** Browsers take text in `monospace` alone 13/16 as large, where nothing says how large it is. */
  private monospaced(element: Element, pseudo: string, value: string): string {
    const parent = pseudo !== '' ? element : parentOf(element);
    const is = (of: Element | null, part: string) => of !== null && this.value(of, part, 'font-family') === 'monospace';
    const [own, outer] = [is(element, pseudo), is(parent, '')];
    return own === outer ? value : `${numberText(parseFloat(value) * (own ? 13 / 16 : 16 / 13))}px`;
  }

  /** CSS Fonts 4, 2.2.1. */
  private fontWeightOf(value: string, parent: Element | null): string {
    if (value === 'normal') return '400';
    if (value === 'bold') return '700';
    const outer = parent ? Number(this.value(parent, '', 'font-weight')) : 400;
    if (value === 'bolder') return outer < 350 ? '400' : outer < 550 ? '700' : outer < 900 ? '900' : String(outer);
    if (value === 'lighter') return outer < 100 ? String(outer) : outer < 550 ? '100' : outer < 750 ? '400' : '700';
    return value;
  }
}

/** The colour schemes that a page names. */
export function schemesOf({ pageWide }: PageDocument): string {
  const given = pageWide
    .filter(({ tagName }) => tagName === 'meta')
    .filter((meta) => attribute(meta, 'name')?.toLowerCase() === 'color-scheme')
    .map((meta) => attribute(meta, 'content')?.trim().toLowerCase() ?? '');
  return given.find((value) => value !== '' && declarationFault('color-scheme', value) === null) ?? 'normal';
}

/** Displays that have a second name (CSS Display 3, 2). */
const displays: Record<string, string> = {
  'block flow': 'block',
  'inline flow': 'inline',
  'inline flow-root': 'inline-block',
  'block flow-root': 'flow-root',
  'block flex': 'flex',
  'inline flex': 'inline-flex',
  'block grid': 'grid',
  'inline grid': 'inline-grid',
  'block table': 'table',
  'inline table': 'inline-table',
};

/** A `<select>` of one line (HTML Standard 4.10.7, display size). */
const isDropDown = (element: Element): boolean =>
  element.tagName === 'select' &&
  attribute(element, 'multiple') === undefined &&
  /^(|0|1)$/.test(attribute(element, 'size') ?? '');

/** A button that has one of these from its page is drawn as the page says. */
const ownLooks = [
  ...['background-color', 'background-image', 'border-image-source'],
  ...['top', 'right', 'bottom', 'left'].flatMap((side) =>
    ['color', 'style', 'width'].map((part) => `border-${side}-${part}`),
  ),
  ...['top-left', 'top-right', 'bottom-right', 'bottom-left'].map((corner) => `border-${corner}-radius`),
];

/** Whether an element is the content of a `<details>` that is shut, its first summary aside. */
function isInClosedDetails(element: Element): boolean {
  const parent = parentOf(element);
  if (parent?.tagName !== 'details' || parent.attrs.some(({ name }) => name === 'open')) return false;
  return parent.childNodes.find((node) => 'tagName' in node && node.tagName === 'summary') !== element;
}
