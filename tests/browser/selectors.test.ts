import fc from 'fast-check';
import type { Page } from 'playwright-core';
import { renderPage } from '../../demo/site.js';
import { demoPages } from '../../demo/pages.js';
import { parseSelectorList, parseSiteSelectors, selectorParts } from '../../src/core/css/selector.js';
import { closedAtEnd } from '../../src/core/css/selector-grammar.js';
import { readDocument } from '../../src/core/page/document.js';
import { compileMatcher } from '../../src/core/page/elements.js';
import { describeInBrowser, noteFigure, runsOf } from '../helpers.js';
import { usesTab } from './chromium.js';

const extra = `<div id="Case" class="Card big">x</div><p class="x"></p><p class="x"> </p><p class="x"><!-- c --></p>
<dl><dt>a<dd class="x">b<dt>c<dd>d</dl><input type="checkbox" checked><input disabled><input required placeholder="p"><input type="TEXT" readonly>
<svg viewBox="0 0 1 1" preserveaspectratio="none" Data-X="1" foo:bar="2"><linearGradient id="g" gradientUnits="x"></linearGradient>
<a href="#x" xml:lang="en"></a><use xlink:href="#g"/></svg><math definitionURL="x"><mi>y</mi></math><details open><summary>s</summary></details><fancy-box lang="en-GB">y</fancy-box>
<table><tr><td>1<td class="x">2</table><ul><li class="x">1<li>2<li class="x">3<li class="x">4</ul><template><p class="x">no</p></template>`;
const html = renderPage(demoPages.find(({ path }) => path === '/') ?? demoPages[0]!, 'live').replace(
  '</footer>',
  `${extra}</footer>`,
);

const selectors =
  `*; body; html; :root; p; .x; #Case; #case; .card; .Card.big; div.Card; li:first-child; li:last-child; li:nth-child(2n+1); li:nth-child(2 of .x); li:nth-last-child(1 of .x)
li:nth-of-type(2); .x:nth-of-type(3); li:nth-last-of-type(-n+2); li:only-child; p:only-of-type; p:empty; :empty; ul > li + li; li ~ .x; dl dd; :is(.x, #Case); :where(p.x); :not(.x, li):not(div)
div:has(> .x); ul:has(li.x + li); :has(+ .x); p:not(:has(*)); [type=text]; [type="text" s]; [type=checkbox i]; [class~=x]; [class^=Ca]; [class*=ar]; [class$=big]; [lang|=en]; [href^="#"]
:checked; :disabled; :enabled; :required; :optional; :read-only; :read-write; :any-link; :link; a:not([href]); :hover; :focus-within; :target; :defined; fancy-box; :lang(en); lineargradient; linearGradient; details[open]; :open; :placeholder-shown
table td; table > tr; tbody > tr > td.x; template p; .masthead .menu li:nth-child(6) a; .band:nth-of-type(1); .footer .band:nth-child(1); header ~ footer .legal a; body > :first-child; .x.x; a[href="/routes"], a[href="/tickets"]; :is(ul, ol) > :nth-child(3 of :not(.x)); :not(:is(div *)); div :scope; :root > body; head; title; :default; :indeterminate; :valid; :in-range; :dir(ltr); svg|a; p::before
[viewbox]; [viewBox]; [VIEWBOX]; [preserveAspectRatio]; [data-x]; [xlink\\:href]; [href]; [*|href]; [|href]; [xlink|href]; [foo\\:bar]; [*|lang]; [gradientunits=x]; [gradientUnits=X]; a[*|href="#x"]; [*|viewBox]; [definitionurl]
*|a; |a; *|*; |*; svg > |a; :not(|a):is(svg, svg *); :is(*|a, |p); *|svg *|use; *|a:not([*|href]); [*|type=text]; *|html > *|body; *|*.x; *|li:nth-child(2 of *|*.x); :has(* > .x); :has(body .x); dl:has(div > dd); :has(> * > .x); .x:has(dd) ~ p; :not(*); :not(); ..a; a:foo; a:has(b:has(c))`
    .split(/;|\n/)
    .map((each) => each.trim())
    .filter(Boolean);

describeInBrowser('Elements matched, against Chromium', () => {
  let page: Page;
  usesTab((given) => (page = given));

  /** For each selector the numbers of the elements it matches in the order of the source, without those of head; null if invalid. */
  const inBrowser = async (source: string, list: string[]) => {
    await page.setContent(source, { waitUntil: 'domcontentloaded' });
    return page.evaluate((all) => {
      const elements = [...document.querySelectorAll('*')];
      return all.map((selector) => {
        try {
          return [...document.querySelectorAll(selector)]
            .filter((each) => !each.closest('html > head'))
            .map((each) => elements.indexOf(each));
        } catch {
          return null;
        }
      });
    }, list);
  };
  const here = (source: string, list: string[]) => {
    const document = readDocument(source);
    const elements = compileMatcherAll(document);
    return list.map((selector) => {
      try {
        parseSelectorList(selector);
      } catch {
        return null;
      }
      return compileMatcher(selector)(document).map((each) => elements.indexOf(each));
    });
  };
  const compileMatcherAll = (document: ReturnType<typeof readDocument>) => {
    const all: unknown[] = [];
    const visit = (node: { childNodes?: unknown[]; tagName?: string }) => {
      if (node.tagName) all.push(node);
      for (const child of node.childNodes ?? []) visit(child as typeof node);
    };
    visit(document.root as never);
    return all;
  };

  test.each([
    ['standards mode', html],
    ['quirks mode', html.replace('<!DOCTYPE html>', '')],
  ])('are the same for every selector of the table, in %s', async (_mode, source) => {
    const scripted = source.replace(/<script[^>]*><\/script>|<link[^>]*>/g, '');
    const list = selectors.filter((each) => !/::/.test(each));
    const [theirs, ours] = [await inBrowser(scripted, list), here(scripted, list)];
    expect(
      list.flatMap((selector, index) =>
        JSON.stringify(ours[index]) === JSON.stringify(theirs[index])
          ? []
          : [`${selector}: ${ours[index]?.join()}; Chromium: ${theirs[index]?.join()}`],
      ),
    ).toEqual([]);
  });

  test('are the same on generated trees', async () => {
    const name = fc.constantFrom('a', 'b', 'c');
    const tag = fc.constantFrom('div', 'p', 'ul', 'li', 'span');
    const { tree } = fc.letrec<{ tree: string }>((tie) => ({
      tree: fc.oneof(
        { depthSize: 'small' },
        fc.constant(''),
        fc
          .tuple(tag, name, fc.array(tie('tree'), { maxLength: 4 }))
          .map(([t, c, inner]) => `<${t} class="${c}">${inner.join('')}</${t}>`),
      ),
    }));
    const compound = fc.oneof(
      tag,
      name.map((c) => `.${c}`),
      fc.tuple(tag, name).map(([t, c]) => `${t}.${c}`),
      fc.tuple(name, fc.integer({ min: -1, max: 3 })).map(([c, n]) => `.${c}:nth-of-type(n+${n})`),
      fc.tuple(name, fc.integer({ min: 1, max: 3 })).map(([c, n]) => `:nth-child(${n} of .${c})`),
      name.map((c) => `:not(.${c})`),
      name.map((c) => `:has(> .${c})`),
    );
    const selector = fc
      .array(fc.tuple(compound, fc.constantFrom(' ', ' > ', ' + ', ' ~ ')), { minLength: 1, maxLength: 3 })
      .map((parts) => parts.map(([c, j], index) => (index === 0 ? c : j + c)).join(''));
    await fc.assert(
      fc.asyncProperty(
        fc.array(tree, { maxLength: 5 }),
        fc.array(selector, { minLength: 8, maxLength: 8 }),
        async (trees, list) => {
          const source = `<!doctype html><body>${trees.join('')}</body>`;
          expect(here(source, list)).toEqual(await inBrowser(source, list));
        },
      ),
      { numRuns: 60 },
    );
  });

  test.each([
    ['<div>'.repeat(600) + 'z'],
    ['<div>'.repeat(511) + '<p>a</p><b>b</b>' + '</div>'.repeat(20) + '<i>c</i>'],
    [`${'<div>'.repeat(700)}${'</div>'.repeat(300)}<p>a<b>b</p>c<section><p>d</section>`],
    ['<ul><li>'.repeat(400) + 'x' + '</ul>'.repeat(100) + '<p>y'],
    ['<b>'.repeat(900) + 'x</b><i>y'],
    [`${'<div>'.repeat(514)}<svg><g><path/></g></svg><p>a<table><tbody><tr><td>1</table><b>c`],
  ])('nest as deep as in Chromium: %#', async (body) => {
    const source = `<!doctype html><html><head></head><body>${body}</body></html>`;
    await page.setContent(source, { waitUntil: 'domcontentloaded' });
    const theirs = await page.evaluate(() => {
      const all = [...document.querySelectorAll('*')];
      return all.map((each) => `${each.localName} in ${each.parentElement ? all.indexOf(each.parentElement) : -1}`);
    });
    const all = compileMatcherAll(readDocument(source)) as { tagName: string; parentNode: unknown }[];
    const places = new Map<unknown, number>(all.map((each, index) => [each, index]));
    expect(all.map((each) => `${each.tagName} in ${places.get(each.parentNode) ?? -1}`)).toEqual(theirs);
  });

  /** Valid selectors, and mutations of them that seldom are. */
  const part = fc.constantFrom(
    ...`div .x #Case * p:hover :not(.x) :not(.x, li) :is(.x, li) :is(.x, >) :is() :where(::before, p) :has(> .x) :has(+ li) :nth-child(2n+1)`.split(
      / (?=[.#*:a-z])(?![^(]*\))/,
    ),
    ...[
      ':nth-child(2 of .x)',
      ':nth-of-type(2)',
      ':nth-of-type(1 of .x)',
      '[class]',
      '[type="text"]',
      '[class~="x"]',
      '[data-a=b i]',
      '::before',
      ':after',
      '::marker',
      '::part(a)',
      '::slotted(p)',
      '::file-selector-button',
      ':root',
      ':focus-within',
      ':lang(en)',
      '*|p',
      '|p',
      '*|*',
      '[*|href]',
      '[viewBox]',
      '/* c */',
    ],
  );
  const joint = fc.constantFrom('', '', ' ', ' > ', ' + ', '~', '>', ', ', ' > > ', '/* c */');
  const valid = fc
    .array(fc.tuple(part, joint), { minLength: 1, maxLength: 4 })
    .map((list) => list.map(([one, join], index) => (index === list.length - 1 ? one : one + join)).join(''));
  const broken = fc
    .tuple(
      valid,
      fc.nat(),
      fc.constantFrom('', '>', '+ ', ':', '.', '*', '(', ')', '[', '"', ',', '::before', ' ', '#1'),
    )
    .map(([text, at, what]) => {
      const place = at % (text.length + 1);
      return what === ''
        ? text.slice(0, place) + text.slice(place + 1)
        : text.slice(0, place) + what + text.slice(place);
    });

  test('are valid and match what Chromium takes and matches, however they are put together or broken', async () => {
    const source = html.replace(/<script[^>]*><\/script>|<link[^>]*>/g, '');
    await page.setContent(source, { waitUntil: 'domcontentloaded' });
    const tree = readDocument(source);
    const all = fc.sample(fc.oneof(valid, broken), {
      numRuns: runsOf(500, 5000),
      seed: Number(process.env['ORACLE_SEED'] ?? 7),
    });
    const theirs = await page.evaluate((list) => {
      return list.map((text) => {
        try {
          return [...document.querySelectorAll(text)].filter((each) => !each.closest('html > head')).length;
        } catch {
          return null;
        }
      });
    }, all);
    const ours = all.map((text) => {
      const selectors = parseSiteSelectors(closedAtEnd(text));
      if (!selectors) return null;
      const matched = selectors.flatMap((each) => {
        const { element, pseudo } = selectorParts(each.text);
        return pseudo === '' ? compileMatcher(element)(tree) : [];
      });
      return new Set(matched).size;
    });
    const differing = all.flatMap((text, index) =>
      ours[index] === theirs[index] ? [] : [`${text}: ${ours[index]}; Chromium: ${theirs[index]}`],
    );
    noteFigure(
      'selectors',
      `${all.length} selectors, ${theirs.filter((each) => each === null).length} of them invalid: ${differing.length} differ`,
    );
    expect(differing).toEqual([]);
    expect(theirs.filter((each) => each === null).length / all.length).toBeGreaterThan(0.2);
    expect(theirs.filter((each) => each !== null).length / all.length).toBeGreaterThan(0.3);
  });
});
