import { tokenizer } from 'acorn';
import MagicString, { Bundle as Sources } from 'magic-string';
import type { PathOptions } from '../page/path.js';
import { needle } from './runtime.js';
import type { RunTimeAddress } from '../target/run-time-addresses.js';
import { beginMark, endMark } from '../page/build-comments.js';
import type { Task } from './tasks.js';

/** JSON that may be in a script, in a page or on its own: no end tag, comment or line separator can break out of it. */
export function scriptJson(value: unknown): string {
  return JSON.stringify(value).replace(
    /[<\u2028\u2029]/g,
    (character) => `\\u${character.charCodeAt(0).toString(16).padStart(4, '0')}`,
  );
}

/** A script and its source map as JSON. */
export interface ScriptText {
  text: string;
  map: string;
}

/** Makes a script smaller. Its comments that begin with `!` stay, and no `</script` comes into it. */
export type MinifyScript = (script: ScriptText) => ScriptText;

/** How local-needle.js is written. */
export interface ScriptForm {
  site: string;
  pathOptions: PathOptions;
  minify: MinifyScript | null;
  /** The file name of the stylesheet that it is beside; null if that is inline. */
  sheetName: string | null;
}

/** local-needle.js: the runtime, what it has to do, and the rules' own scripts, each in a function of its own. */
export function needleScript(
  addresses: RunTimeAddress[],
  tasks: Task[],
  { site, pathOptions: { dropExtension = '', queryKeys = [] }, minify, sheetName }: ScriptForm,
): ScriptText {
  const marks = addresses.map(({ name, path, pattern, pages, queries }) => ({
    name,
    path: path?.replace(/\?.*$/, '') ?? undefined,
    pattern: pattern ?? undefined,
    pages: pages.length > 0 ? pages : undefined,
    queries: queries.length > 0 ? queries : undefined,
  }));
  const sources = new Sources({ separator: '' });
  const add = (text: string) => void sources.addSource({ content: new MagicString(text) });
  const settings = Object.entries({
    dropExtension: dropExtension || undefined,
    queryKeys: queryKeys.length > 0 && addresses.some(({ path }) => path !== null) ? queryKeys : undefined,
    sheetName: sheetName ?? undefined,
    marks,
  })
    .flatMap(([key, value]) => (value === undefined ? [] : [`  ${key}: ${scriptJson(value)},\n`]))
    .join('');
  add(`/*${beginMark(site)}*/\n(${needle.toString()})({\n${settings}  tasks: [\n`);
  for (const { script, ...task } of tasks) {
    const fields = Object.entries(task).flatMap(([key, value]) =>
      value === undefined ? [] : [`${key}: ${scriptJson(value)}`],
    );
    add(`    { ${fields.join(', ')}`);
    if (script?.content) {
      add(', run: function () {\n');
      const text = safeInPage(new TextDecoder().decode(script.content));
      sources.addSource({ filename: script.path ?? script.url, content: new MagicString(text) });
      add('\n    }');
    }
    add(' },\n');
  }
  add(`  ],\n});\n/*${endMark}*/\n`);
  const text = sources.toString();
  const map = sources.generateMap({ file: 'local-needle.js', includeContent: true, hires: 'boundary' }).toString();
  return minify ? minify({ text, map }) : { text, map };
}

/**
 * A script that may be in a page: no `</script` or `<!--` is left in it (HTML Standard 4.12.1.3, "Restrictions for
 * contents of script elements"). It does what it did.
 */
export function safeInPage(text: string): string {
  if (!/<(!--|\/?script)/i.test(text)) return text;
  const changed = new MagicString(text);
  const risky = /<(?=!--|\/?script)/gi;
  const inside = (start: number, end: number, by: string) => {
    for (const match of text.slice(start, end).matchAll(risky)) {
      const at = start + match.index;
      changed.overwrite(at, at + 1, by);
    }
  };
  const covered: [number, number][] = [];
  const onComment = (_block: boolean, _text: string, start: number, end: number) => {
    covered.push([start, end]);
    // A line that begins with <!-- is a comment of HTML's own kind.
    if (text.startsWith('<!--', start)) changed.overwrite(start, start + 4, '// ');
    inside(text.startsWith('<!--', start) ? start + 4 : start, end, '< ');
  };
  try {
    for (const token of tokenizer(text, { ecmaVersion: 'latest', sourceType: 'script', onComment }) as Iterable<{
      type: { label: string };
      start: number;
      end: number;
    }>) {
      if (!/^(string|template|regexp|invalidTemplate)$/.test(token.type.label)) continue;
      covered.push([token.start, token.end]);
      inside(token.start, token.end, '\\x3c');
    }
  } catch {
    return text.replace(risky, '\\x3c');
  }
  // What is left is in code, as a less-than before a name or a regular expression.
  for (const { index } of text.matchAll(risky))
    if (!covered.some(([start, end]) => index >= start && index < end)) changed.overwrite(index, index + 1, '< ');
  return changed.toString();
}
