import { gzipSync } from 'node:zlib';
import fc from 'fast-check';
import { linksWithoutExtension } from '../../src/capture/extension.js';
import { safeName } from '../../src/capture/capture-store.js';
import { importsOf, linksOf } from '../../src/capture/links.js';
import { readSitemap } from '../../src/capture/sitemap.js';
import { pageHtml, runsOf, siteOf } from '../helpers.js';

const bytes = (text: string) => new TextEncoder().encode(text);
const url = (path: string) => `<url><loc> http://saltmere.example${path} </loc><priority>1</priority></url>`;

describe('A sitemap', () => {
  test.each([
    ['pages', `<urlset>${url('/')}${url('/a')}</urlset>`, ['/', '/a'], 0],
    ['a single page', `<urlset>${url('/')}</urlset>`, ['/'], 0],
    ['no page', '<urlset></urlset>', [], 0],
    [
      'a namespace with a prefix',
      `<s:urlset xmlns:s="x"><s:url><s:loc>http://saltmere.example/b</s:loc></s:url></s:urlset>`,
      ['/b'],
      0,
    ],
    [
      'further sitemaps',
      '<sitemapindex><sitemap><loc>http://saltmere.example/1.xml</loc></sitemap></sitemapindex>',
      [],
      1,
    ],
    ['an entry without an address', '<urlset><url><priority>1</priority></url></urlset>', [], 0],
    ['an ampersand', '<urlset><url><loc>http://saltmere.example/?a=1&amp;b=2</loc></url></urlset>', ['/?a=1&b=2'], 0],
  ])('with %s is read, zipped or not', (_what, xml, pages, sitemaps) => {
    for (const form of [bytes(xml), bytes(`<?xml version="1.0"?>\n${xml}`), gzipSync(xml)]) {
      const found = readSitemap(form);
      expect(found.pages).toEqual(pages.map((path) => `http://saltmere.example${path}`));
      expect(found.sitemaps).toHaveLength(sitemaps);
    }
  });

  test.each([
    ['text', 'Not found', /not XML/],
    ['a page', '<!doctype html><html><body><p>x</body></html>', /not XML/],
    ['broken XML', '<urlset><url></urlset>', /not XML/],
    ['entities of its own', '<!DOCTYPE x [<!ENTITY a "b">]><urlset></urlset>', /not XML/],
    ['another document', '<rss></rss>', /neither urlset nor sitemapindex/],
  ])('that is %s is refused', (_what, text, reason) => {
    expect(() => readSitemap(bytes(text))).toThrow(reason);
  });
});

describe('What a page and a stylesheet point to', () => {
  const own = 'http://saltmere.example/tickets/pay';

  test.each([
    ['<a href="choose">', ['/tickets/choose'], []],
    ['<a href="/a#top"><a href="/a">', ['/a'], []],
    ['<base href="/winter/"><a href="b">', ['/winter/b'], []],
    ['<a href="b"><base href="/winter/">', ['/winter/b'], []],
    ['<base href="data:,x"><a href="/b">', ['/b'], []],
    ['<a href="mailto:crew@saltmere.example"><a href="http://["><a>', [], []],
    ['<link rel="stylesheet" href="/s.css"><link rel="alternate" href="/feed">', [], ['/s.css']],
    ['<link rel="preload STYLESHEET" href="/s.css">', [], ['/s.css']],
    ['<style>@import url(/t.css); @import "u.css" screen;</style>', [], ['/t.css', '/tickets/u.css']],
    ['<template><a href="/no"></a></template>', [], []],
    ['<area href="/map">', ['/map'], []],
  ])('%s', (html, pages, styles) => {
    const absolute = (list: string[]) => list.map((path) => `http://saltmere.example${path}`);
    expect(linksOf(`<!doctype html><body>${html}`, own)).toMatchObject({
      pages: absolute(pages),
      styles: absolute(styles),
    });
  });

  test.each([
    ['@import "a.css";', ['/s/a.css']],
    ['@import url("/b.css") layer(x);', ['/b.css']],
    ['@charset "utf-8"; @IMPORT url(c.css);', ['/s/c.css']],
    ['.a { color: red } @import "late.css";', ['/s/late.css']],
    ['@import;', []],
    ['@import "broken', []],
    ['.a { content: "@import" }', []],
  ])('%s imports', (css, expected) => {
    expect(importsOf(css, 'http://saltmere.example/s/site.css')).toEqual(
      expected.map((path) => `http://saltmere.example${path}`),
    );
  });
});

describe('A file name for a path', () => {
  test('is inside of its folder, and never that of another path, also where letter case does not count', () => {
    const path = fc.array(
      fc.constantFrom('a', 'A', '/', '.', '..', '%2e', '~', ' ', 'é', 'con', '\\', ':', '?p=1', '-'),
      { maxLength: 8 },
    );
    fc.assert(
      fc.property(path, path, (one, two) => {
        const [first, second] = [`/${one.join('')}`, `/${two.join('')}`];
        const names = [first, second].map((each) => safeName(each, '.html'));
        for (const name of names) {
          expect(name.split('/')).not.toContain('..');
          expect(name).toMatch(/^[^\\:?]+\.html$/);
        }
        const trimmed = (text: string) => text.replace(/^\/+/, '');
        if (trimmed(first) !== trimmed(second)) expect(names[0]?.toLowerCase()).not.toBe(names[1]?.toLowerCase());
      }),
      { numRuns: runsOf(500, 20_000) },
    );
  });
});

describe('Whether pages are linked without the ending of their files', () => {
  test.each([
    [['/booking', '/booking', '/'], true],
    [['/booking.html', '/'], false],
    [['/booking', '/booking.html', '/booking.html'], false],
    [['/nowhere'], false],
    [['http://other.example/booking'], false],
    [[], false],
  ])('links to %j', (links, expected) => {
    const html = links.map((href) => `<a href="${href}">`).join('');
    const { view } = siteOf({ '/': `<body>${html}`, '/booking.html': pageHtml('') }, '');
    expect(linksWithoutExtension(view)).toBe(expected);
  });
});
