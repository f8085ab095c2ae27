// Node's own TextDecoder reads windows-1252 as ISO-8859-1 (0x80 to 0x9f become control characters).
import { TextDecoder } from '@exodus/bytes/encoding.js';
import sniffEncoding from 'html-encoding-sniffer';
import { isUtf8 } from 'node:buffer';
import { openingEnd, readOpening, readOpeningPart, type PageOpening } from '../core/page/opening.js';
import type { SourceEdit } from '../core/ship/static-swaps.js';
import { wordReader, type PageWords } from '../core/page/site-words.js';
import { skeletonReader, type Skeleton } from '../core/page/skeleton.js';
import { scanTags } from '../core/page/tag-scanner.js';

/** The text of an HTML document and how sure its character set is. */
export interface DecodedPage {
  html: string;
  /** The bytes are not UTF-8 and nothing says what they are: read as windows-1252, as browsers do. */
  guessed: boolean;
  /** Its name in the Encoding Standard. */
  encoding: string;
}

const utf8 = new TextDecoder('utf-8', { fatal: true });
const nativeUtf8 = new globalThis.TextDecoder('utf-8');

/**
 * Decodes a page as a browser does (Encoding Standard; HTML Standard 13.2.3.2): byte order mark, then the charset of the
 * Content-Type header, then `<meta charset>`, then UTF-8 where it fits, else windows-1252.
 */
export function decodePage(bytes: Uint8Array, headerCharset?: string): DecodedPage {
  const declared = sniffEncoding(bytes, {
    transportLayerEncodingLabel: headerCharset,
    defaultEncoding: 'x-undeclared',
  });
  if (declared !== 'x-undeclared') return { html: decodeAs(declared, bytes), guessed: false, encoding: declared };
  try {
    return { html: utf8.decode(bytes), guessed: false, encoding: 'UTF-8' };
  } catch {
    return { html: decodeAs('windows-1252', bytes), guessed: true, encoding: 'windows-1252' };
  }
}

/** The start of a page and everything that it names, read from its bytes; most of it is not decoded. */
export interface PageStart {
  opening: PageOpening;
  words: PageWords;
  skeleton: Skeleton;
  /** See DecodedPage. */
  guessed: boolean;
}

/** Reads what the start of a page tells, as decodePage and readOpening would. */
export function readStart(bytes: Uint8Array, headerCharset?: string): PageStart {
  const declared = sniffEncoding(bytes, {
    transportLayerEncodingLabel: headerCharset,
    defaultEncoding: isUtf8(bytes) ? 'UTF-8' : 'x-undeclared',
  });
  const guessed = declared === 'x-undeclared';
  const encoding = guessed ? 'windows-1252' : declared;
  if (!hasAsciiLetters.test(encoding)) {
    const { html } = decodePage(bytes, headerCharset);
    return { opening: readOpening(html), ...readMarkup(html), guessed };
  }
  const characters = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength).toString('latin1');
  const end = openingEnd(characters);
  const part = end === null ? null : readOpeningPart(decodeAs(encoding, bytes.subarray(0, end)));
  const { words, skeleton } = readMarkup(characters);
  return {
    opening: part ?? readOpening(decodeAs(encoding, bytes)),
    words: /[^\0-\x7f]/.test(words) ? decodeAs(encoding, Buffer.from(words, 'latin1')) : words,
    skeleton,
    guessed,
  };
}

/** Reads a page's words and its skeleton at once. */
function readMarkup(html: string): Pick<PageStart, 'words' | 'skeleton'> {
  const [words, skeleton] = [wordReader(), skeletonReader(html)];
  scanTags(html, {
    ...skeleton,
    start(tag, classes, id, at) {
      words.start(tag, classes, id, at);
      skeleton.start(tag, classes, id, at);
    },
  });
  return { words: words.read(), skeleton: skeleton.read() };
}

/** Encodings in which a byte below 128 is always the ASCII character of that number. */
const hasAsciiLetters = /^(utf-8|windows-\d+|iso-8859-\d+|koi8-\w+|macintosh|x-mac-cyrillic|euc-kr|euc-jp)$/i;

/** Decodes a stylesheet (CSS Syntax 3, 3.2): byte order mark, the answer's charset, `@charset`, else UTF-8. */
export function decodeStyle(bytes: Uint8Array, headerCharset?: string): string {
  const start = nativeUtf8.decode(bytes.subarray(0, 1024));
  const declared = /^@charset "([^"]+)";/.exec(start)?.[1];
  const marked = bytes[0] === 0xff || bytes[0] === 0xfe || bytes[0] === 0xef;
  return decodeAs((marked ? undefined : (headerCharset ?? declared)) ?? 'UTF-8', bytes);
}

function decodeAs(encoding: string, bytes: Uint8Array): string {
  if (encoding === 'UTF-8') return nativeUtf8.decode(bytes);
  try {
    return new TextDecoder(encoding).decode(bytes);
  } catch {
    return new TextDecoder('utf-8').decode(bytes);
  }
}

/** Whether bytes look like an HTML document at all: text with a tag in it. */
export function looksLikeHtml(bytes: Uint8Array): boolean {
  const start = bytes.subarray(0, 1024);
  const wide = (start[0] === 0xff && start[1] === 0xfe) || (start[0] === 0xfe && start[1] === 0xff);
  return (wide || !start.includes(0)) && bytes.includes(0x3c);
}

/**
 * The bytes of a page with parts of what they decode to replaced; all other bytes stay as they are. Edits must not overlap
 * and stand in their order. Their texts must be ASCII unless the page is UTF-8.
 */
export function editBytes(bytes: Uint8Array, encoding: string, edits: readonly SourceEdit[]): Uint8Array {
  const parts: Uint8Array[] = [];
  let at = 0;
  for (const { start, end, text } of edits) {
    const [from, to] = [byteAt(bytes, encoding, start), byteAt(bytes, encoding, end)];
    parts.push(bytes.subarray(at, from), encoded(text, encoding));
    at = to;
  }
  return Buffer.concat([...parts, bytes.subarray(at)]);
}

/** Where the `at`th character of what bytes decode to begins. */
function byteAt(bytes: Uint8Array, encoding: string, at: number): number {
  const mark =
    bytes[0] === 0xef && bytes[1] === 0xbb ? 3 : /^utf-16/i.test(encoding) && (bytes[0] ?? 0) >= 0xfe ? 2 : 0;
  let [low, high] = [mark, bytes.length];
  // As many bytes as the characters before it take: the more bytes, the more characters.
  while (low < high) {
    const middle = (low + high) >> 1;
    const decoded = new TextDecoder(encoding).decode(bytes.subarray(0, middle), { stream: true });
    if (decoded.length < at) low = middle + 1;
    else high = middle;
  }
  return low;
}

function encoded(text: string, encoding: string): Uint8Array {
  if (!/^utf-16/i.test(encoding)) return Buffer.from(text, 'utf8');
  const wide = Buffer.from(text, 'utf16le');
  return /^utf-16be$/i.test(encoding) ? wide.swap16() : wide;
}
