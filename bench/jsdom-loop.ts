// Opens pages of a folder in jsdom and asks each for the elements of a selector and their style.
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { JSDOM } from 'jsdom';

const [, , folder = '.', most = '100'] = process.argv;
const files = readdirSync(folder, { recursive: true, encoding: 'utf8' }).filter((file) => file.endsWith('.html'));
const css = readFileSync(join(folder, 'assets/site.css'), 'utf8');
for (const file of files.slice(0, Number(most))) {
  const html = readFileSync(join(folder, file), 'utf8').replace('</head>', `<style>${css}</style></head>`);
  const { window } = new JSDOM(html);
  for (const element of window.document.querySelectorAll('.band.sign-up, .part-3 h2')) window.getComputedStyle(element);
  window.close();
}
