import { readSkeleton } from '../../src/core/page/skeleton.js';
import { siteOf } from '../helpers.js';

const frame = (main: string) =>
  `<body><header class="masthead"><a class="logo" href="/">Saltmere</a><nav class="menu"><ul><li class="item-1"><a>Routes</a></ul></nav></header>${main}<footer class="legal"><p>Rules</p></footer>`;
const route = (more = '') =>
  frame(
    `<main class="route"><div class="bar"><h1>Skerry</h1></div><table class="times"><tr><td>07:10</table>${more}</main>`,
  );
const post = (more = '') =>
  frame(
    `<main class="journal"><article class="post"><h1>First light</h1><div class="text"><p>Fog.</p></div>${more}</article></main>`,
  );

describe('The skeleton of a page', () => {
  const same = readSkeleton(frame('<main class="a b"><p class="x">One</p></main>'));
  test.each([
    ['other words', frame('<main class="a b"><p class="x">Quite another text</p></main>')],
    ['classes in another order', frame('<main class="b  a b"><p class="x">One</p></main>')],
    ['other numbers in classes', frame('<main class="a b"><p class="x">One</p></main>').replace('item-1', 'item-27')],
    ['the same again', frame('<main class="a b"><p class="x">One</p><p class="x">Two</p></main>')],
    ['end tags left out', frame('<main class="a b"><p class="x">One<p class="x">Two</main>')],
    ['a comment with tags', frame('<!-- <section class="y"> --><main class="a b"><p class="x">One</p></main>')],
    ['a script with tags', frame('<script>"<b class=z>"</script><main class="a b"><p class="x">One</p></main>')],
    [
      'something in head',
      `<head><title><b>Pay</b></title><meta name="x"></head>${frame('<main class="a b"><p class="x">One</p></main>')}`,
    ],
    ['letters of tags in upper case', frame('<MAIN class="a b"><P class="x">One</P></MAIN>')],
    ['an end tag too many', frame('<main class="a b"></section><p class="x">One</p></main>')],
  ])('is the same with %s', (_what, html) => expect(readSkeleton(html)).toEqual(same));
  test.each([
    ['another class', frame('<main class="a c"><p class="x">One</p></main>')],
    ['another tag', frame('<section class="a b"><p class="x">One</p></section>')],
    ['something around', frame('<div class="wrap"><main class="a b"><p class="x">One</p></main></div>')],
  ])('is another with %s', (_what, html) => expect(readSkeleton(html)).not.toEqual(same));
  test('of hostile input ends, and is as small as any', () => {
    const deep = readSkeleton('<div class=a>'.repeat(200_000));
    const wide = readSkeleton(
      Array.from({ length: 5000 }, (_none, at) => `<i class="${'x'.repeat(at % 90)}${'y'.repeat(at % 77)}">`).join(
        '</i>',
      ),
    );
    expect([deep.length, wide.length <= 96]).toEqual([14, true]);
  });
});

describe('Templates', () => {
  const pages = {
    '/': frame(
      '<main class="home"><section class="hero"><h1>Islands</h1></section><section class="news"></section></main>',
    ),
    ...Object.fromEntries(
      ['holm', 'skerry', 'outer'].map((name) => [`/routes/${name}`, route(name === 'holm' ? '<p>Fog.</p>' : '')]),
    ),
    ...Object.fromEntries(
      ['a', 'b', 'c', 'd'].map((name, at) => [
        `/journal/2026/${name}`,
        post('<blockquote>Boats</blockquote>'.repeat(at % 2)),
      ]),
    ),
  };
  const told = (bodies: Record<string, string>) =>
    siteOf(bodies, '')
      .view.templates()
      .map(({ name, pages: own, example }) => [name, own.length, example.path]);

  test('are told by the markup, whatever the contents, and named by where their pages lie', () =>
    expect(told(pages)).toEqual([
      ['/journal/2026/*', 4, '/journal/2026/a'],
      ['/routes/*', 3, '/routes/holm'],
      ['/', 1, '/'],
    ]));
  test.each<[what: string, paths: string[], name: string]>([
    ['of two sections', ['/routes/a', '/routes/b', '/times/c'], '/routes/*, /times/*'],
    ['all over the site', ['/a/1', '/a/2', '/b/1', '/c/1', '/d/1'], '/a/*, /b/* and others'],
    ['of the same folder in many', ['/da/mod/x', '/de/mod/y', '/en/mod/z', '/fr/mod/q'], '/*/mod/*'],
    ['at the top', ['/contact', '/legal'], '/*'],
  ])('%s have a name that says so', (_what, paths, name) =>
    expect(told(Object.fromEntries(paths.map((path) => [path, route()])))).toEqual([[name, paths.length, paths[0]]]),
  );
  test('of the same name are told apart', () =>
    expect(told({ '/a/1': route(), '/a/2': route(), '/a/3': post(), '/a/4': post() }).map(([name]) => name)).toEqual([
      '/a/*',
      '/a/* (2)',
    ]));
});
