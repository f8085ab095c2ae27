import MagicString, { Bundle as Sources } from 'magic-string';
import type { PathOptions } from '../page/path.js';
import type { Task } from './bundle.js';
import { needle } from './runtime.js';
import type { Mark } from './scope.js';
import { beginMark, endMark } from './marks.js';

/** JSON that may stand in a script, in a page or on its own: no end tag, comment or line separator can break out of it. */
export function scriptJson(value: unknown): string {
  return JSON.stringify(value).replace(
    /[<\u2028\u2029]/g,
    (character) => `\\u${character.charCodeAt(0).toString(16).padStart(4, '0')}`,
  );
}

/** needle.js: the runtime, what it has to do, and the rules' own scripts, each in a function of its own. */
export function needleScript(
  marks: Mark[],
  tasks: Task[],
  { dropExtension = '' }: PathOptions,
  site: string,
): { text: string; map: string } {
  const sources = new Sources({ separator: '' });
  const add = (text: string) => void sources.addSource({ content: new MagicString(text) });
  add(
    `/*${beginMark(site)}*/\n(${needle.toString()})({\n  dropExtension: ${scriptJson(dropExtension)},\n  marks: ${scriptJson(marks)},\n  tasks: [\n`,
  );
  for (const { script, ...task } of tasks) {
    const fields = Object.entries(task).flatMap(([key, value]) =>
      value === undefined ? [] : [`${key}: ${scriptJson(value)}`],
    );
    add(`    { ${fields.join(', ')}`);
    if (script?.content) {
      add(', run: function () {\n');
      sources.addSource({
        filename: script.path ?? script.url,
        content: new MagicString(new TextDecoder().decode(script.content)),
      });
      add('\n    }');
    }
    add(' },\n');
  }
  add(`  ],\n});\n/*${endMark}*/\n`);
  const map = sources.generateMap({ file: 'needle.js', includeContent: true, hires: 'boundary' });
  return { text: `${sources.toString()}//# sourceMappingURL=needle.js.map\n`, map: map.toString() };
}
