/** What is told of a page's tags, in the order of its source. Positions are offsets in it. */
export interface TagReader {
  /** A start tag: its name in lower case, and its `class` and `id` as written, null where it has none. */
  start: (tag: string, classes: string | null, id: string | null, at: number) => void;
  /** An end tag: where its name begins and ends. */
  end: (start: number, end: number) => void;
  /** A comment ends here; tags inside it are told all the same. */
  comment: (end: number) => void;
}

/** Reads the tags of a page's source without parsing it: none is left out, though comments and scripts may add some. */
export function scanTags(html: string, reader: TagReader): void {
  const lower = new Map<string, string>();
  const named = (start: number, end: number) => {
    const tag = html.slice(start, end);
    let known = lower.get(tag);
    if (known === undefined) lower.set(tag, (known = tag.toLowerCase()));
    return known;
  };
  const attributes = { classes: null as string | null, id: null as string | null };
  const found = (isId: boolean, value: string) => {
    if (isId) attributes.id ??= value;
    else attributes.classes ??= value;
  };
  for (let at = html.indexOf('<'); at >= 0; at = html.indexOf('<', at)) {
    at++;
    const code = html.charCodeAt(at);
    if (isLetter(code)) {
      const end = nameEnd(html, at);
      attributes.classes = attributes.id = null;
      const next = readAttributes(html, end, found);
      reader.start(named(at, end), attributes.classes, attributes.id, at);
      at = next;
    } else if (code === slash && isLetter(html.charCodeAt(at + 1))) {
      const end = nameEnd(html, at + 1);
      reader.end(at + 1, end);
      at = end;
    } else if (html.startsWith('!--', at)) {
      const end = html.indexOf('-->', at + 1);
      reader.comment(end < 0 ? html.length : end);
    }
  }
}

const isLetter = (code: number) => (code | 32) >= 97 && (code | 32) <= 122;
const isSpace = (code: number) => code === 32 || (code >= 9 && code <= 13);
const [slash, equals, greater, double, single] = [47, 61, 62, 34, 39];

/** Where a name that begins at `at` ends: at white space, a slash, an equals sign or the end of the tag. */
function nameEnd(html: string, at: number): number {
  for (; at < html.length; at++) {
    const code = html.charCodeAt(at);
    if (isSpace(code) || code === slash || code === greater || code === equals) break;
  }
  return at;
}

/** Calls back for each `class` and `id` of a tag, from the end of its name on; returns where the tag ends. */
function readAttributes(html: string, at: number, found: (isId: boolean, value: string) => void): number {
  const skipSpace = () => {
    while (isSpace(html.charCodeAt(at))) at++;
  };
  for (; at < html.length;) {
    const code = html.charCodeAt(at);
    if (code === greater) break;
    if (isSpace(code) || code === slash) {
      at++;
      continue;
    }
    const end = Math.max(nameEnd(html, at), at + 1);
    const length = end - at;
    const name = length === 5 || length === 2 ? html.slice(at, end).toLowerCase() : '';
    at = end;
    skipSpace();
    if (html.charCodeAt(at) !== equals) continue;
    at++;
    skipSpace();
    const quote = html.charCodeAt(at);
    let start = at;
    let stop: number;
    if (quote === double || quote === single) {
      start = at + 1;
      stop = html.indexOf(quote === double ? '"' : "'", start);
      if (stop < 0) stop = html.length;
      at = stop + 1;
    } else {
      while (at < html.length && !isSpace(html.charCodeAt(at)) && html.charCodeAt(at) !== greater) at++;
      stop = at;
    }
    if (name === 'class' || name === 'id') found(name === 'id', html.slice(start, stop));
  }
  return at;
}
