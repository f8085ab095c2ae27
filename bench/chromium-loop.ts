// Opens pages of a folder in headless Chromium and asks each for the elements of a selector and their style.
import { readdirSync, readFileSync } from 'node:fs';
import { extname, join } from 'node:path';
import { launchChromium } from '../src/browser/render.js';

const [, , folder = '.', most = '100'] = process.argv;
const files = readdirSync(folder, { recursive: true, encoding: 'utf8' }).filter((file) => file.endsWith('.html'));
const types: Record<string, string> = {
  '.css': 'text/css',
  '.js': 'text/javascript',
  '.svg': 'image/svg+xml',
  '.html': 'text/html',
};
const browser = await launchChromium();
const page = await browser.newPage();
await page.route('**/*', (route) => {
  const path = new URL(route.request().url()).pathname;
  try {
    return route.fulfill({ contentType: types[extname(path)] ?? 'text/plain', body: readFileSync(join(folder, path)) });
  } catch {
    return route.fulfill({ status: 404, body: '' });
  }
});
for (const file of files.slice(0, Number(most))) {
  await page.goto(`http://folder.invalid/${file}`, { waitUntil: 'load' });
  await page.evaluate(() =>
    [...document.querySelectorAll('.band.sign-up, .part-3 h2')].map((each) => getComputedStyle(each).display),
  );
}
await browser.close();
