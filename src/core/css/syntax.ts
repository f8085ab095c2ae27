import { tokenize, tokenTypes } from 'css-tree';

/** A declaration as written; its name and value are not validated yet. Offsets count from 0 in the sheet. */
export interface SheetDeclaration {
  kind: 'declaration';
  /** Lower case, but for custom properties. */
  name: string;
  /** Without `!important` and without white space around it. */
  value: string;
  important: boolean;
  offset: number;
}

/** A qualified rule: its prelude is a selector list, unless it is in `@keyframes` and the like. */
export interface SheetStyleRule {
  kind: 'style';
  prelude: string;
  offset: number;
  children: SheetNode[];
}

export interface SheetAtRule {
  kind: 'at-rule';
  /** Lower case, without its @. */
  name: string;
  prelude: string;
  offset: number;
  /** Null where it ends with a semicolon. */
  children: SheetNode[] | null;
}

export type SheetNode = SheetDeclaration | SheetStyleRule | SheetAtRule;

/** Blocks inside blocks that are read; what lies deeper is left out, as browsers have a limit too. */
const deepest = 256;

const { WhiteSpace, Comment, Semicolon, Colon, Ident, AtKeyword, CDO, CDC, Delim } = tokenTypes as Record<
  string,
  number
>;
const {
  LeftCurlyBracket,
  RightCurlyBracket,
  LeftParenthesis,
  LeftSquareBracket,
  Function: Call,
} = tokenTypes as Record<string, number>;
const { RightParenthesis, RightSquareBracket } = tokenTypes as Record<string, number>;
const closers = new Map([
  [LeftCurlyBracket, RightCurlyBracket],
  [LeftParenthesis, RightParenthesis],
  [LeftSquareBracket, RightSquareBracket],
  [Call, RightParenthesis],
]);

/** Reads a stylesheet by CSS Syntax Level 3, section 5.4, with its recovery from errors. It accepts any text. */
export function readStylesheet(source: string): SheetNode[] {
  return new SyntaxReader(source).stylesheet();
}

/** Reads the content of a `style` attribute: declarations alone (CSS Style Attributes, section 3). */
export function readDeclarations(source: string): SheetDeclaration[] {
  return new SyntaxReader(source).block(0, true).filter((node) => node.kind === 'declaration');
}

/** At-rules whose block holds rules alone, unless a style rule or `@scope` is around them. */
const holdRules = ['media', 'supports', 'layer', 'container', 'starting-style'];

/** What may be in a block: rules alone, or declarations beside them. */
type Content = 'sheet' | 'rules' | 'mixed';

class SyntaxReader {
  private readonly types: number[] = [];
  private readonly starts: number[] = [];
  private at = 0;

  constructor(private readonly source: string) {
    tokenize(source, (type, start) => {
      this.types.push(type);
      this.starts.push(start);
    });
    this.starts.push(source.length);
  }

  /** 5.4.1, consume a stylesheet's contents. */
  stylesheet(): SheetNode[] {
    return this.rules(0, 'sheet');
  }

  /** Rules alone: of a stylesheet, or of a block up to its `}`. */
  private rules(depth: number, content: Content): SheetNode[] {
    const nodes: SheetNode[] = [];
    while (this.at < this.types.length) {
      const type = this.types[this.at];
      if (content === 'rules' && type === RightCurlyBracket) break;
      const skipped =
        type === WhiteSpace || type === Comment || (content === 'sheet' && (type === CDO || type === CDC));
      if (skipped) this.at++;
      else if (type === AtKeyword) this.keep(nodes, this.atRule(depth, content));
      else this.keep(nodes, this.qualifiedRule(depth, content));
    }
    return nodes;
  }

  /** 5.4.5, consume a block's contents; `whole`: up to the end of the text rather than to a `}`. */
  block(depth: number, whole: boolean): SheetNode[] {
    const nodes: SheetNode[] = [];
    for (;;) {
      const type = this.types[this.at];
      if (type === undefined || (type === RightCurlyBracket && !whole)) return nodes;
      if (type === WhiteSpace || type === Comment || type === Semicolon) this.at++;
      else if (type === AtKeyword) this.keep(nodes, this.atRule(depth, 'mixed'));
      else {
        const mark = this.at;
        const declaration = this.declaration(!whole);
        if (declaration) nodes.push(declaration);
        else if (whole) this.skipTo(Semicolon, false);
        else {
          this.at = mark;
          this.keep(nodes, this.qualifiedRule(depth, 'mixed'));
        }
      }
    }
  }

  private keep(nodes: SheetNode[], node: SheetNode | null): void {
    if (node) nodes.push(node);
  }

  /** 5.4.2, consume an at-rule. */
  private atRule(depth: number, content: Content): SheetAtRule {
    const offset = this.starts[this.at] ?? 0;
    const name = this.text(this.at, this.at + 1)
      .slice(1)
      .toLowerCase();
    const start = ++this.at;
    while (this.at < this.types.length) {
      const type = this.types[this.at];
      if (type === Semicolon || type === LeftCurlyBracket || (content !== 'sheet' && type === RightCurlyBracket)) break;
      this.componentValue();
    }
    const prelude = this.text(start, this.at).trim();
    const type = this.types[this.at];
    if (type === LeftCurlyBracket) {
      const inner: Content =
        content !== 'mixed' && (holdRules.includes(name) || name.endsWith('keyframes')) ? 'rules' : 'mixed';
      return { kind: 'at-rule', name, prelude, offset, children: this.braces(depth, inner) };
    }
    if (type === Semicolon) this.at++;
    return { kind: 'at-rule', name, prelude, offset, children: null };
  }

  /** 5.4.3, consume a qualified rule. A nested one ends at a semicolon and is dropped. */
  private qualifiedRule(depth: number, content: Content): SheetStyleRule | null {
    const start = this.at;
    while (this.at < this.types.length) {
      const type = this.types[this.at];
      if (content !== 'sheet' && type === RightCurlyBracket) return null;
      if (content === 'mixed' && type === Semicolon) return null;
      if (type === LeftCurlyBracket) {
        const prelude = this.text(start, this.at).trim();
        if (/^--[^\s:]*\s*:/.test(prelude)) {
          if (content === 'mixed') this.skipTo(Semicolon, true);
          else this.componentValue();
          return null;
        }
        return { kind: 'style', prelude, offset: this.starts[start] ?? 0, children: this.braces(depth, 'mixed') };
      }
      this.componentValue();
    }
    return null;
  }

  /** A `{}` block's contents, its closing bracket taken off. */
  private braces(depth: number, content: Content): SheetNode[] {
    if (depth >= deepest) {
      this.componentValue();
      return [];
    }
    this.at++;
    const nodes = content === 'mixed' ? this.block(depth + 1, false) : this.rules(depth + 1, content);
    this.at++;
    return nodes;
  }

  /** 5.4.6, consume a declaration; null if there is none. */
  private declaration(nested: boolean): SheetDeclaration | null {
    if (this.types[this.at] !== Ident) return null;
    const offset = this.starts[this.at] ?? 0;
    const written = this.text(this.at, this.at + 1);
    this.at++;
    this.skipSpace();
    if (this.types[this.at] !== Colon) return null;
    const start = ++this.at;
    const custom = written.startsWith('--');
    let curly = false;
    let significant = 0;
    while (this.at < this.types.length) {
      const type = this.types[this.at];
      if (type === Semicolon || (nested && type === RightCurlyBracket)) break;
      if (type === LeftCurlyBracket) curly = true;
      if (type !== WhiteSpace && type !== Comment) significant++;
      this.componentValue();
    }
    // What looks like a declaration and holds a block among other things is a nested rule (`a:hover { … }`).
    if (curly && !custom && significant > 1) return null;
    const [end, important] = this.importance(start, this.at);
    const value = this.text(start, end).trim();
    if (this.types[this.at] === Semicolon) this.at++;
    return { kind: 'declaration', name: custom ? written : written.toLowerCase(), value, important, offset };
  }

  /** Where a value ends before its `!important`, if it has one. */
  private importance(start: number, end: number): [number, boolean] {
    const back = (from: number) => {
      let at = from;
      while (at > start && (this.types[at - 1] === WhiteSpace || this.types[at - 1] === Comment)) at--;
      return at;
    };
    const word = back(end);
    if (this.types[word - 1] !== Ident || this.text(word - 1, word).toLowerCase() !== 'important') return [word, false];
    const sign = back(word - 1);
    if (this.types[sign - 1] !== Delim || this.text(sign - 1, sign) !== '!') return [word, false];
    return [back(sign - 1), true];
  }

  /** 5.4.8, consume a component value: one token, or a block to its closing bracket. */
  private componentValue(): void {
    const open: (number | undefined)[] = [];
    do {
      const type = this.types[this.at];
      if (type === undefined) return;
      const closer = closers.get(type);
      if (closer !== undefined) open.push(closer);
      else if (open.length > 0 && type === open[open.length - 1]) open.pop();
      this.at++;
    } while (open.length > 0);
  }

  private skipTo(stop: number | undefined, nested: boolean): void {
    while (this.at < this.types.length && this.types[this.at] !== stop) {
      if (nested && this.types[this.at] === RightCurlyBracket) return;
      this.componentValue();
    }
  }

  private skipSpace(): void {
    while (this.types[this.at] === WhiteSpace || this.types[this.at] === Comment) this.at++;
  }

  /** The text of some tokens. */
  private text(from: number, to: number): string {
    return this.source.slice(this.starts[from], this.starts[to]);
  }
}

/** Turns offsets into line numbers from 1. */
export function lineCounter(source: string): (offset: number) => number {
  const breaks: number[] = [];
  for (let at = source.indexOf('\n'); at >= 0; at = source.indexOf('\n', at + 1)) breaks.push(at);
  return (offset) => {
    let [low, high] = [0, breaks.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((breaks[middle] ?? 0) < offset) low = middle + 1;
      else high = middle;
    }
    return low + 1;
  };
}
