import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { parse } from 'postcss';
import { globSync } from 'tinyglobby';
import type { Settings } from './read-configuration.js';

/**
 * The names of a project's rules, for completion: the rule files are parsed and not checked, since a shell waits for them. A
 * file that is not CSS has none.
 */
export function ruleNames(directory: string, { rules, pageFiles }: Settings): string[] {
  const ignore = ['**/node_modules/**', '.local-needle/**'];
  const written = globSync(rules, { cwd: directory, onlyFiles: true, ignore })
    .sort()
    .flatMap((file) => namesIn(readFileSync(join(directory, file), 'utf8')));
  if (pageFiles === null) return written;
  const folder = pageFiles.replace(/\/$/, '');
  const files = globSync('**/*.{css,js}', { cwd: join(directory, folder), onlyFiles: true }).sort();
  return [...new Set([...written, ...files.map((file) => `${folder}/${file.replace(/\.(css|js)$/, '')}`)])];
}

function namesIn(text: string): string[] {
  try {
    return parse(text).nodes.flatMap((node) => (node.type === 'atrule' && node.name === 'needle' ? [node.params] : []));
  } catch {
    return [];
  }
}
