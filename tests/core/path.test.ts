import { isPathPattern, normalisePath, pathPattern } from '../../src/core/page/path.js';

describe('A path', () => {
  test.each([
    ['/about', '/about'],
    ['/about/', '/about'],
    ['/about/index.html', '/about'],
    ['/about?utm=x#top', '/about'],
    ['https://www.saltmere.example/about/', '/about'],
    ['/', '/'],
    ['/index.html', '/'],
    ['', '/'],
    ['about', '/about'],
    ['/a//', '/a'],
    ['/h%C3%A4fen', '/h%C3%A4fen'],
    ['/häfen', '/h%C3%A4fen'],
    ['/h%c3%a4fen', '/h%C3%A4fen'],
    ['/%7Ecrew', '/~crew'],
    ['/a/../../etc/passwd', '/etc/passwd'],
    ['//other.example/x', '/other.example/x'],
  ])('of %s is %s', (address, path) => {
    expect(normalisePath(address)).toBe(path);
  });

  test('drops a known ending and keeps the query keys that tell pages apart', () => {
    expect(normalisePath('/about.html', { dropExtension: '.html' })).toBe('/about');
    expect(normalisePath('/?utm=1&p=12', { queryKeys: ['p'] })).toBe('/?p=12');
  });

  test('stays the same when it is normalised again', () => {
    for (const each of ['/a%2Fb/', '/ä ö', '/x/index.html', '/%41']) {
      expect(normalisePath(normalisePath(each))).toBe(normalisePath(each));
    }
  });
});

describe('A path pattern', () => {
  test.each([
    ['/winter/*', '/winter/lights', true],
    ['/winter/*', '/winter', false],
    ['/winter{/*}?', '/winter', true],
    ['/routes/:name', '/routes/holm', true],
    ['/routes/:name', '/routes/holm/map', false],
    ['/journal/(\\d+)', '/journal/12', true],
    ['/journal/(\\d+)', '/journal/x', false],
  ])('%s on %s: %s', (pattern, path, expected) => {
    expect(isPathPattern(pattern)).toBe(true);
    expect(pathPattern(pattern)(path)).toBe(expected);
  });

  test('is told from a literal path', () => {
    expect(['/about', '/a:1', '/a-b.html'].map(isPathPattern)).toEqual([false, false, false]);
    expect(() => pathPattern('/a(')).toThrow(TypeError);
  });
});
