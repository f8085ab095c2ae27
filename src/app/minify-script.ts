import { minify_sync } from 'terser';
import type { MinifyScript } from '../core/ship/script.js';

/** Minifies local-needle.js. Apart from the rest, since loading terser takes longer than a small check. */
export const minifyScript: MinifyScript = ({ text, map }) => {
  const result = minify_sync(text, {
    // Only our own names are shortened; the rules' scripts have their own functions.
    format: { comments: /^!/, inline_script: true },
    sourceMap: { content: map, filename: 'local-needle.js' },
  });
  return { text: `${result.code ?? ''}\n`, map: String(result.map ?? map) };
};
