import { readFileSync } from 'node:fs';

/** The text of a script or style that the preview serves to browsers; it lies beside the program. */
export const clientFile = (name: 'page.js' | 'panel.js' | 'overview.js' | 'looks.js'): string =>
  readFileSync(new URL(`preview/${name}`, import.meta.url), 'utf8');
