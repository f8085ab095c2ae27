import type { Page as BrowserPage } from 'playwright-core';
import { bundleOf } from '../helpers.js';
import type { Owner } from '../../src/core/action/compiled.js';
import { ourSheet } from '../../src/core/action/compile.js';
import { shipment } from '../../src/core/check/plan.js';
import type { OurSheet } from '../../src/core/css/cascade/cascade.js';
import { openPage } from '../../src/core/check/opened-page.js';
import type { Viewport } from '../../src/core/css/cascade/media.js';
import { SheetStore } from '../../src/core/css/cascade/page-sheets.js';
import { readDocument } from '../../src/core/page/document.js';
import { readOpening } from '../../src/core/page/opening.js';
import { makePage, makeSite } from '../../src/core/page/page.js';
import { SiteWords } from '../../src/core/page/site-words.js';
import type { Rule } from '../../src/core/rule/rule.js';
import { readRuleFile } from '../../src/project/rule-file.js';
import { compared, type CascadeCase } from './cases.js';

export const viewport = { name: 'desktop', width: 1000, height: 700 };
const forms = [{ in: 'body-class' as const, like: 'page-{id}' }];

/** The page's source, with the build's stylesheet at the end of the head. */
export function sourceOf({ html, body, content, sheets }: CascadeCase, build: string): string {
  const attribute = (media: string) => (media ? ` media="${media}"` : '');
  const element = ({ as, media, css }: CascadeCase['sheets'][number]) =>
    as === 'link'
      ? `<link rel="stylesheet"${attribute(media)} href="data:text/css,${encodeURIComponent(css)}">`
      : `<style${attribute(media)}>${css}</style>`;
  const part = (inBody: boolean) =>
    sheets
      .filter(({ as }) => (as === 'body') === inBody)
      .map(element)
      .join('');
  return `<!doctype html><html ${html}><head>${part(false)}${build}</head><body ${body}>${content}${part(true)}</body></html>`;
}

/** What pages share that are opened with the same rules. */
export interface SharedByPages {
  sheets: SheetStore<Owner>;
  ours: OurSheet<Owner> | null | undefined;
}

const nothingShared = (): SharedByPages => ({
  sheets: new SheetStore<Owner>({ style: () => null }, 'head-end'),
  ours: undefined,
});

/** A page by its source, opened with the rules given, by itself or sharing what other pages left. */
export function opened(source: string, rules: Rule[] = [], shared = nothingShared(), at: Viewport = viewport) {
  const page = makePage('/', '/', 'index.html', readOpening(source), forms);
  const site = makeSite('live', [page], forms);
  const view = {
    site,
    open: () => readDocument(source),
    html: () => source,
    style: () => null,
    identity: () => null,
    file: () => null,
    policy: () => null,
    words: () => new SiteWords(site, () => ''),
    templates: () => [],
  };
  const actions = shipment(rules, site)(page);
  if (shared.ours === undefined) shared.ours = ourSheet(actions);
  const shipped = { actions, sheet: shared.ours };
  const look = openPage(page, view, shared.sheets, { viewport: at, state: null }, { states: {} }, shipped);
  return { site, view, look };
}

/** Reads the rule of a case. */
export const readRule = ({ rule }: CascadeCase) =>
  readRuleFile(`@needle r { pages: page-id(1); ${rule} }`, 'a.css', 'a.css', () => ({
    use: { url: '', at: { file: '', line: 1, column: 1 }, path: null, content: null },
    fault: null,
  }));

/** Reads a case's rule, builds it, and computes what every element looks like. */
export function computed(each: CascadeCase): { css: string; values: Record<string, string>[]; faults: string[] } {
  const { rules, problems, findings } = readRule(each);
  const faults = [...problems, ...findings].map(({ message }) => message);
  // The head is not empty on a page with a build in it, which `:empty` would tell.
  const { site, view, look } = opened(sourceOf(each, '<style></style>'), rules);
  const { css } = bundleOf({ site, rules, open: view.open, paths: 'handles', today: '2026-11-23' });
  const values = look.document.elements
    .filter(({ tagName }) => tagName !== 'style')
    .map((element) => Object.fromEntries(compared.map((name) => [name, look.built.value(element, '', name)])));
  return { css: css.text, values, faults };
}

/** The same from Chromium, for many pages at once: each in a frame of its own. */
export function inChromium(page: BrowserPage, sources: string[]): Promise<Record<string, string>[][]> {
  return page.evaluate(
    async ({ sources, compared, width, height }) => {
      // One frame written again for each page: far faster than a frame each.
      const frame = document.createElement('iframe');
      frame.style.cssText = `width:${width}px;height:${height}px;border:0`;
      document.body.append(frame);
      const inner = frame.contentWindow as Window & typeof globalThis;
      const read: Record<string, string>[][] = [];
      for (const source of sources) {
        inner.document.open();
        inner.document.write(source);
        inner.document.close();
        const links = [...inner.document.querySelectorAll('link')];
        for (let waited = 0; waited < 500 && links.some(({ sheet }) => !sheet); waited++)
          await new Promise((done) => setTimeout(done, 1));
        const elements = [...inner.document.querySelectorAll<HTMLElement>('html, body, body *:not(style)')];
        read.push(
          elements.map((element) => {
            const style = inner.getComputedStyle(element);
            // Typed values are computed ones where getComputedStyle tells what is used.
            const value = (name: string) =>
              name.endsWith('-width') ? String(element.computedStyleMap().get(name)) : style.getPropertyValue(name);
            return Object.fromEntries(compared.map((name) => [name, value(name)]));
          }),
        );
      }
      frame.remove();
      return read;
    },
    { sources, compared, width: viewport.width, height: viewport.height },
  );
}
