import { ident, string, url } from 'css-tree';

/** The text that a string of a CSS source stands for: without its quotes, escapes resolved (CSS Syntax 3, 4.3.5 and 4.3.7). */
export const readString = (source: string) => string.decode(source);

/** The text that an unquoted `url()` or a name of a CSS source stands for (CSS Syntax 3, 4.3.6). */
export const readName = (source: string) => (source.includes('\\') ? ident.decode(source) : source);

/** A text as a string of a CSS source in UTF-8: only quotes, backslashes and control characters are escaped. */
export const writeString = (text: string) => string.encode(text);

/** The address that the first argument of a `url()` stands for. `quoted`: it was written as a string. */
export const readUrl = (source: string, quoted: boolean) =>
  !source.includes('\\') ? source : quoted ? string.decode(`"${source}"`) : url.decode(`url(${source})`);
