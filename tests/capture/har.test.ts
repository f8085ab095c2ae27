import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { readHar } from '../../src/capture/har.js';
import { ProblemError } from '../../src/core/place.js';
import { folderWith, pageHtml, runsOf } from '../helpers.js';

const folder = folderWith({});
const entry = (url: string, text: string | undefined, more: Record<string, unknown> = {}) => ({
  request: { method: 'GET', url },
  response: { status: 200, headers: [], content: { mimeType: 'text/html; charset=utf-8', text }, ...more },
});
const har = (...entries: unknown[]) => ({ log: { version: '1.2', entries } });
const read = (value: unknown, keys: string[] = []) => {
  const file = join(folder, 'visit.har');
  writeFileSync(file, typeof value === 'string' ? value : JSON.stringify(value));
  return readHar('clicked', file, 'visit.har', { queryKeys: keys }, null);
};
const page = pageHtml('class="page-7"', '<p class="x">Café</p>');
const base64 = (text: string, encoding: BufferEncoding) => ({
  content: {
    mimeType: 'text/html; charset=iso-8859-1',
    text: Buffer.from(text, encoding).toString('base64'),
    encoding: 'base64',
  },
});

describe('A recording', () => {
  test.each([
    ['a page', [entry('http://saltmere.example/a', page)], ['/a']],
    ['a page twice', [entry('http://saltmere.example/a', page), entry('http://saltmere.example/a/', page)], ['/a']],
    ['a page in bytes', [entry('http://saltmere.example/a', undefined, base64(page, 'latin1'))], ['/a']],
    ['another host', [entry('http://saltmere.example/', page), entry('http://other.example/b', page)], ['/']],
    [
      'a form',
      [
        entry('http://saltmere.example/', page),
        { ...entry('http://saltmere.example/c', page), request: { method: 'POST', url: 'http://saltmere.example/c' } },
      ],
      ['/'],
    ],
    [
      'an error',
      [entry('http://saltmere.example/', page), entry('http://saltmere.example/d', page, { status: 404 })],
      ['/'],
    ],
    [
      'a script',
      [
        entry('http://saltmere.example/', page),
        entry('http://saltmere.example/e', 'x', { content: { mimeType: 'text/javascript', text: 'x' } }),
      ],
      ['/'],
    ],
    ['an address that is none', [entry('http://saltmere.example/', page), entry('http://[', page)], ['/']],
  ])('of %s has its pages', (_what, entries, paths) => {
    const { site, html } = read(har(...entries));
    expect(site.pages.map(({ path }) => path)).toEqual(paths);
    for (const each of site.pages) {
      expect(html(each)).toContain('Café');
      expect(each.bodyClasses).toEqual(['page-7']);
    }
  });

  test('tells pages apart by the keys that count, and no other', () => {
    const entries = ['?p=1&s=a', '?p=2&s=a', '?s=b&p=1'].map((query) =>
      entry(`http://saltmere.example/${query}`, page),
    );
    expect(read(har(...entries), ['p']).site.pages.map(({ path }) => path)).toEqual(['/?p=1', '/?p=2']);
    expect(read(har(...entries)).site.pages.map(({ path }) => path)).toEqual(['/']);
  });

  test.each([
    ['no JSON', '{', /is not JSON/],
    ['an empty object', {}, /is not a HAR 1\.2 file/],
    ['entries that are none', { log: { version: '1.2', entries: [1, null] } }, /is not a HAR 1\.2 file/],
    ['no pages', har(), /contains no HTML page|no HTML page/],
    ['no bodies', har(entry('http://saltmere.example/', undefined)), /response body/],
  ])('with %s is refused', (_what, value, reason) => {
    expect(() => read(value)).toThrow(ProblemError);
    expect(() => read(value)).toThrow(reason);
  });

  test('with anything else in it is read or refused, and breaks nothing', () => {
    const odd = fc.anything({ maxDepth: 2, withNullPrototype: false });
    const mutated = fc
      .tuple(
        fc.constantFrom(
          'request',
          'response',
          'method',
          'url',
          'status',
          'content',
          'mimeType',
          'text',
          'encoding',
          'headers',
        ),
        odd,
      )
      .map(([key, value]) => {
        const own = structuredClone(entry('http://saltmere.example/', page)) as Record<string, Record<string, unknown>>;
        const at =
          key in own
            ? own
            : key in (own['request'] ?? {})
              ? own['request']
              : key in (own['response'] ?? {})
                ? own['response']
                : own['response']?.['content'];
        if (at && typeof at === 'object') (at as Record<string, unknown>)[key] = value;
        return own;
      });
    fc.assert(
      fc.property(fc.array(mutated, { minLength: 1, maxLength: 3 }), (entries) => {
        let text: string;
        try {
          text = JSON.stringify(har(entry('http://saltmere.example/sure', page), ...entries));
        } catch {
          return;
        }
        try {
          expect(read(text).site.pages.length).toBeGreaterThan(0);
        } catch (error) {
          if (!(error instanceof ProblemError)) throw error;
        }
      }),
      { numRuns: runsOf(300, 10_000) },
    );
  });
});
