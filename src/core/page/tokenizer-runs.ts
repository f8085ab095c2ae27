// parse5 reads a page character by character. What follows a character that only adds to a text, a value or a name, and adds
// to it too, is taken at once here, and so are whole tags whose names and values are plain: parsing takes half the time.
// parse5's own methods decide about all else.
import { Parser, Token, Tokenizer } from 'parse5';

interface TagToken {
  tagName: string;
  attrs: { name: string; value: string }[];
  selfClosing: boolean;
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
  _createStartTagToken: () => void;
  _createEndTagToken: () => void;
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

/** A start tag, and where its `>` is. */
interface TagRead extends TagToken {
  end: number;
}

/** Reads a whole start tag from the first letter of its name; null where parse5 must decide about something in it. */
function readTag(html: string, start: number): TagRead | null {
  let at = endOfRun(html, start - 1, inName) + 1;
  if (at === start) return null;
  const tagName = html.slice(start, at);
  const attrs: TagToken['attrs'] = [];
  for (;;) {
    const from = endOfRun(html, at - 1, betweenAttributes) + 1;
    const code = html.charCodeAt(from);
    if (code === greater) return { tagName, attrs, selfClosing: false, end: from };
    if (code === slash && html.charCodeAt(from + 1) === greater)
      return { tagName, attrs, selfClosing: true, end: from + 1 };
    const nameEnd = endOfRun(html, from - 1, inName) + 1;
    if (from === at || nameEnd === from) return null;
    at = nameEnd;
    const attribute = { name: html.slice(from, nameEnd), value: '' };
    if (html.charCodeAt(at) === equals) {
      const quote = html.charCodeAt(at + 1);
      const allowed = inQuotes.get(quote);
      const end = allowed ? endOfRun(html, at + 1, allowed) + 1 : 0;
      if (end === 0 || html.charCodeAt(end) !== quote) return null;
      attribute.value = copied(html, at + 2, end);
      at = end + 1;
    }
    if (attrs.every((other) => other.name !== attribute.name)) attrs.push(attribute);
  }
}

/** Emits the tag that was begun; its `>` is at a position. */
function emitTag(tokenizer: Inside, end: number): void {
  const { preprocessor } = tokenizer;
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
    const tag = isSmallLetter(codePoint) ? readTag(html, pos) : null;
    if (tag === null) return ownTagOpen.call(this, codePoint);
    this._createStartTagToken();
    const token = this.currentToken as TagToken;
    token.tagName = tag.tagName;
    token.attrs = tag.attrs;
    token.selfClosing = tag.selfClosing;
    emitTag(this, tag.end);
  },
  _stateEndTagOpen(codePoint) {
    const { html, pos } = this.preprocessor;
    const end = isSmallLetter(codePoint) ? endOfRun(html, pos, inName) + 1 : -1;
    if (html.charCodeAt(end) !== greater) return ownEndTagOpen.call(this, codePoint);
    this._createEndTagToken();
    (this.currentToken as TagToken).tagName = html.slice(pos, end);
    emitTag(this, end);
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
