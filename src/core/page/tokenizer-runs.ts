// parse5 reads a page character by character. What follows a character that only adds to a text, a value or a name, and adds
// to it too, is taken at once here, and so are whole tags whose names and values are plain: parsing takes half the time.
// parse5's own methods decide about all else.
import { Parser, Token, Tokenizer } from 'parse5';

interface TagToken {
  type: Token.TokenType;
  tagName: string;
  tagID: number;
  selfClosing: boolean;
  ackSelfClosing: boolean;
  attrs: { name: string; value: string }[];
  location: null;
}

/** What a tokenizer of parse5 8 keeps inside. */
interface Inside {
  state: number;
  /** The parser: how it reads what stands between tags, and which elements text may have to open again. */
  handler: {
    insertionMode: number;
    activeFormattingElements: { newest: { element?: unknown } | null };
    openElements: { contains: (element: unknown) => boolean };
  };
  preprocessor: { html: string; pos: number; skipNextNewLine: boolean };
  /** The text, value or comment that is being read, from runStart to runEnd of the preprocessor's `html`. */
  runEnd: number;
  currentCharacterToken: { type: Token.TokenType } | null;
  currentToken: TagToken | null;
  currentAttr: { name: string };
  _flushRun: (text: string) => void;
  emitCurrentTagToken: () => void;
}

type State = (this: Inside, codePoint: number) => void;

/** What may be skipped, by character code; codes from 128 on are told by `beyond`. */
interface Plain {
  codes: Uint8Array;
  beyond: boolean;
}

const firstSurrogate = 0xd800;
const lastSurrogate = 0xdfff;

function plain(isPlain: (character: string) => boolean, beyond: boolean): Plain {
  return { codes: Uint8Array.from({ length: 128 }, (_, code) => Number(isPlain(String.fromCharCode(code)))), beyond };
}

/** Where the plain characters after a position end: the position of the last of them, or the given one if none follows. */
function endOfRun(html: string, from: number, { codes, beyond }: Plain): number {
  let at = from + 1;
  for (; at < html.length; at++) {
    const code = html.charCodeAt(at);
    if (code < 128 ? codes[code] === 0 : !beyond || (code >= firstSurrogate && code <= lastSurrogate)) break;
  }
  return at - 1;
}

// Carriage returns are left to parse5, which makes one line break of CR and LF.
const inText = plain((character) => /[!-~]/.test(character) && !/[<&]/.test(character), true);
const inProse = plain((character) => /[\t\n\f -~]/.test(character) && !/[<&]/.test(character), true);
const inWhitespace = plain((character) => /[ \t]/.test(character), false);
const inDoubleQuotes = plain((character) => /[ -~\t]/.test(character) && !/["&]/.test(character), true);
const inSingleQuotes = plain((character) => /[ -~\t]/.test(character) && !/['&]/.test(character), true);
const inName = plain((character) => /[a-z0-9-]/.test(character), false);
const betweenAttributes = plain((character) => /[\t\n\f ]/.test(character), false);
/** The quotes of a value, and what may be between them, by their character codes. */
const inQuotes = new Map(
  ['"', "'"].map((quote) => [
    quote.charCodeAt(0),
    plain((character) => /[ -~\t\n\f]/.test(character) && character !== '&' && character !== quote, true),
  ]),
);
const [slash, equals, greater] = [47, 61, 62];

/** Takes the plain characters that follow into what is being read. */
function skip(tokenizer: Inside, allowed: Plain): void {
  const { preprocessor } = tokenizer;
  if (tokenizer.runEnd !== preprocessor.pos + 1) return;
  const end = endOfRun(preprocessor.html, preprocessor.pos, allowed);
  if (end === preprocessor.pos) return;
  preprocessor.pos = end;
  preprocessor.skipNextNewLine = false;
  tokenizer.runEnd = end + 1;
}

/** How parse5 reads text after some markup; it exports no names for this. */
function modeAfter(markup: string): number {
  const parser = new Parser();
  parser.tokenizer.write(markup, false);
  return parser.insertionMode;
}

/** Where white space after other text is read as that text is (HTML Standard 13.2.6.4.7, .8, .11 and .15). */
const proseModes = new Set(['<body>', '<style>', '<table><caption>', '<table><tr><td>'].map(modeAfter));

/**
 * Whether white space is read as the text before it. Where the text opens elements again that were closed too early, they
 * are made after its first word, as parse5 has it by itself.
 */
function isProse({ insertionMode, activeFormattingElements, openElements }: Inside['handler']): boolean {
  if (!proseModes.has(insertionMode)) return false;
  const element = activeFormattingElements.newest?.element;
  return element === undefined || openElements.contains(element);
}

/** A state in which all text is read alike. parse5 makes tokens of white space and tokens of all else. */
const text = (own: State): State =>
  function (codePoint) {
    const { state } = this;
    own.call(this, codePoint);
    const type = this.currentCharacterToken?.type;
    if (this.state !== state || this.currentToken !== null) return;
    if (type === Token.TokenType.CHARACTER) skip(this, isProse(this.handler) ? inProse : inText);
    else if (type === Token.TokenType.WHITESPACE_CHARACTER) skip(this, inWhitespace);
  };

const value = (own: State, allowed: Plain): State =>
  function (codePoint) {
    const { state } = this;
    own.call(this, codePoint);
    if (this.state === state) skip(this, allowed);
  };

/** The rest of a name in small letters after the position; the preprocessor then stands on its last one. */
function restOfName({ preprocessor }: Inside): string {
  const { html, pos } = preprocessor;
  preprocessor.pos = endOfRun(html, pos, inName);
  return html.slice(pos + 1, preprocessor.pos + 1);
}

/** A slice of a source that does not hold the source, as V8 would have it. */
const copied = (source: string, from: number, to: number): string =>
  to - from < 13 ? source.slice(from, to) : ` ${source.slice(from, to)}`.slice(1);

/** Maximum number of names of tags and attributes that are kept: one string for all that are the same. */
const mostNames = 2000;
const names = new Map<string, string>();

function nameAt(source: string, from: number, to: number): string {
  const name = copied(source, from, to);
  const known = names.get(name);
  if (known === undefined && names.size < mostNames) names.set(name, name);
  return known ?? name;
}

/** Reads the attributes of a start tag from the end of its name to its `>`; null where parse5 must decide about something in it. */
function readAttributes(html: string, nameEnd: number): { attrs: TagToken['attrs']; end: number } | null {
  let attrs: TagToken['attrs'] | null = null;
  for (let at = nameEnd; ;) {
    const from = endOfRun(html, at - 1, betweenAttributes) + 1;
    const code = html.charCodeAt(from);
    if (code === greater || (code === slash && html.charCodeAt(from + 1) === greater))
      return { attrs: attrs ?? [], end: code === slash ? from + 1 : from };
    const end = endOfRun(html, from - 1, inName) + 1;
    if (from === at || end === from) return null;
    at = end;
    const attribute = { name: nameAt(html, from, end), value: '' };
    if (html.charCodeAt(at) === equals) {
      const quote = html.charCodeAt(at + 1);
      const allowed = inQuotes.get(quote);
      const close = allowed ? endOfRun(html, at + 1, allowed) + 1 : 0;
      if (close === 0 || html.charCodeAt(close) !== quote) return null;
      attribute.value = copied(html, at + 2, close);
      at = close + 1;
    }
    // Most tags have one, and a list that grows has room for many.
    if (attrs === null) attrs = [attribute];
    else if (attrs.every((other) => other.name !== attribute.name)) attrs.push(attribute);
  }
}

const noAttributes: TagToken['attrs'] = [];

/** Emits a tag whose `>` is at a position. */
function emitTag(
  tokenizer: Inside,
  type: Token.TokenType,
  tagName: string,
  attrs: TagToken['attrs'],
  end: number,
): void {
  const { preprocessor } = tokenizer;
  const selfClosing = preprocessor.html.charCodeAt(end - 1) === slash;
  tokenizer._flushRun('');
  tokenizer.currentToken = { type, tagName, tagID: 0, selfClosing, ackSelfClosing: false, attrs, location: null };
  preprocessor.pos = end;
  preprocessor.skipNextNewLine = false;
  tokenizer.state = afterTag;
  tokenizer.emitCurrentTagToken();
}

const isSmallLetter = (code: number) => code >= 97 && code <= 122;

const states = Tokenizer.prototype as unknown as Record<string, State>;
const own = (name: string): State => states[name] as State;
const [ownTagName, ownAttributeName] = [own('_stateTagName'), own('_stateAttributeName')];
const [ownTagOpen, ownEndTagOpen] = [own('_stateTagOpen'), own('_stateEndTagOpen')];
/** The state that text and tags are read in. */
const afterTag = new Parser().tokenizer.state;

const quick: Record<string, State> = {
  _stateData: text(own('_stateData')),
  _stateRcdata: text(own('_stateRcdata')),
  _stateRawtext: text(own('_stateRawtext')),
  _stateScriptData: text(own('_stateScriptData')),
  _stateAttributeValueDoubleQuoted: value(own('_stateAttributeValueDoubleQuoted'), inDoubleQuotes),
  _stateAttributeValueSingleQuoted: value(own('_stateAttributeValueSingleQuoted'), inSingleQuotes),
  _stateTagOpen(codePoint) {
    const { html, pos } = this.preprocessor;
    const nameEnd = isSmallLetter(codePoint) ? endOfRun(html, pos, inName) + 1 : -1;
    const read = nameEnd < 0 ? null : readAttributes(html, nameEnd);
    if (read === null) return ownTagOpen.call(this, codePoint);
    emitTag(this, Token.TokenType.START_TAG, nameAt(html, pos, nameEnd), read.attrs, read.end);
  },
  _stateEndTagOpen(codePoint) {
    const { html, pos } = this.preprocessor;
    const end = isSmallLetter(codePoint) ? endOfRun(html, pos, inName) + 1 : -1;
    if (html.charCodeAt(end) !== greater) return ownEndTagOpen.call(this, codePoint);
    emitTag(this, Token.TokenType.END_TAG, nameAt(html, pos, end), noAttributes, end);
  },
  _stateTagName(codePoint) {
    const { state, currentToken } = this;
    ownTagName.call(this, codePoint);
    if (this.state === state && currentToken) currentToken.tagName += restOfName(this);
  },
  _stateAttributeName(codePoint) {
    const { state } = this;
    ownAttributeName.call(this, codePoint);
    if (this.state === state) this.currentAttr.name += restOfName(this);
  },
};

/** Lets a tokenizer take what it can at once. It must be given the whole source, and not be asked for places in it. */
export function readRuns(tokenizer: Tokenizer): void {
  Object.assign(tokenizer, quick);
}
