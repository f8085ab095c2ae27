// Writes THIRD-PARTY-LICENSES: every package whose code is inside dist/program, with its own licence text.
import { existsSync, readFileSync, readdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = dirname(dirname(fileURLToPath(import.meta.url)));

/** The folder of the package that a file belongs to; null for our own. */
function packageOf(file) {
  const found = /^(?:.*\/)?node_modules\/(?:@[^/]+\/)?[^/]+/.exec(file);
  return found ? join(root, found[0]) : null;
}

/** The licence text of a package; of one that brings none, what its package.json says. */
function licenceOf(folder, { license, author }) {
  const names = readdirSync(folder).filter((name) => /^(licen[cs]e|copying|notice)/i.test(name));
  const texts = names.map((name) => readFileSync(join(folder, name), 'utf8').trim());
  const who = typeof author === 'string' ? author : (author?.name ?? 'its authors');
  return texts.join('\n\n') || `Licensed as ${license ?? 'stated in its repository'} by ${who}.`;
}

/** `metafiles`: what esbuild says of its bundles. */
export function writeLicenses(metafiles) {
  const files = metafiles.flatMap(({ outputs }) => Object.values(outputs).flatMap(({ inputs }) => Object.keys(inputs)));
  const folders = [
    ...new Set(files.map(packageOf).filter((folder) => folder && existsSync(join(folder, 'package.json')))),
  ];
  const parts = folders.map((folder) => {
    const about = JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8'));
    return {
      title: `${about.name} ${about.version} (${about.license ?? 'see below'})`,
      text: licenceOf(folder, about),
    };
  });
  parts.sort((a, b) => (a.title < b.title ? -1 : 1));
  const head = `The program of Local Needle has the code of these ${parts.length} packages in it.`;
  const sections = parts.map(({ title, text }) => `${'-'.repeat(80)}\n${title}\n${'-'.repeat(80)}\n\n${text}`);
  writeFileSync(join(root, 'THIRD-PARTY-LICENSES'), `${[head, ...sections].join('\n\n')}\n`);
}
