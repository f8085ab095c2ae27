import fc from 'fast-check';
import type { Page } from 'playwright-core';
import { decodePage, readStart } from '../../src/capture/decode.js';
import { describeInBrowser, runsOf } from '../helpers.js';
import { usesTab } from './chromium.js';

const part = fc.constantFrom(
  ...[
    '<!doctype html>',
    '<meta charset="utf-8">',
    '<meta charset=iso-8859-1>',
    "<meta charset='windows-1251'>",
    '<title>t</title>',
  ],
  ...['<meta http-equiv="Content-Type" content="text/html; charset=iso-8859-2">', '<!-- <meta charset=koi8-r> -->'],
  ...[
    '<meta name="x" charset="shift_jis">',
    '<meta charset="utf-16">',
    '<meta charset="nonsense">',
    '<body class="page-7">',
    'words',
  ],
  ...['<meta http-equiv=content-type content="text/html">', '<p title="<meta charset=big5>">'],
);
const letters = fc.constantFrom('', 'é', 'Grüße', '€ – “x”', 'ж', '字', '\u0080');
const bytesOf = fc
  .tuple(fc.array(part, { maxLength: 6 }), letters, fc.constantFrom('utf8', 'latin1'))
  .map(([parts, text, form]) => Buffer.from(`${parts.join('')}<p id="text">${text}</p>`, form as BufferEncoding));
const header = fc.constantFrom(undefined, 'utf-8', 'iso-8859-1', 'windows-1250', 'UTF8', 'nonsense');
const mark = fc.constantFrom(Buffer.alloc(0), Buffer.from([0xef, 0xbb, 0xbf]), Buffer.alloc(0));

describeInBrowser('The character set of a page, against Chromium', () => {
  let page: Page;
  usesTab((given) => (page = given));

  test('is found as it is there, and so are the words and the body', async () => {
    let served = { bytes: Buffer.alloc(0), type: 'text/html' };
    await page.route('**/*', (route) =>
      route.fulfill({ body: served.bytes, headers: { 'content-type': served.type } }),
    );
    await fc.assert(
      fc.asyncProperty(mark, bytesOf, header, async (begin, rest, charset) => {
        const bytes = Buffer.concat([begin, rest]);
        served = { bytes, type: charset === undefined ? 'text/html' : `text/html; charset=${charset}` };
        await page.goto('http://saltmere.example/');
        const there = await page.evaluate(() => ({
          encoding: document.characterSet.toLowerCase(),
          text: document.querySelector('#text')?.textContent ?? null,
          classes: document.body.className,
        }));
        const own = decodePage(bytes, charset);
        // Where nothing says it, a browser goes by the reader's language, and guesses; so do we, and say so.
        if (own.guessed || there.encoding !== own.encoding.toLowerCase()) fc.pre(isDeclared(bytes, charset));
        expect({ bytes: bytes.toString('latin1'), charset, encoding: own.encoding.toLowerCase() }).toEqual({
          ...{ bytes: bytes.toString('latin1'), charset },
          encoding: there.encoding,
        });
        if (there.text !== null) expect(own.html).toContain(there.text);
        expect(readStart(bytes, charset).opening.body.get('class') ?? '').toBe(there.classes);
      }),
      { numRuns: runsOf(50, 3000) },
    );
  });
});

/** Whether a page or its header names a character set that there is. */
function isDeclared(bytes: Buffer, charset: string | undefined): boolean {
  const known = (label: string) => {
    try {
      return Boolean(new TextDecoder(label));
    } catch {
      return false;
    }
  };
  return (
    (charset !== undefined && known(charset)) ||
    bytes.subarray(0, 3).equals(Buffer.from([0xef, 0xbb, 0xbf])) ||
    /<meta charset=["']?(utf-8|iso-8859-1|windows-1251)/.test(bytes.toString('latin1'))
  );
}
