import cssesc from 'cssesc';
import { readdirSync, readFileSync, statSync } from 'node:fs';
import { basename, join } from 'node:path';
import fc from 'fast-check';
import type { Page } from 'playwright-core';
import { renderPage, writeDemoSite } from '../../demo/site.js';
import { demoPages } from '../../demo/pages.js';
import { parseSelectorList, parseSiteSelectors, selectorParts } from '../../src/core/css/selector.js';
import { faultOf } from '../../src/core/place.js';
import { closedAtEnd } from '../../src/core/css/selector-grammar.js';
import { parentOf, readDocument, type Element } from '../../src/core/page/document.js';
import { remembering } from '../../src/core/action/compile.js';
import { compileSelector, forMany } from '../../src/core/css/cascade/sheet.js';
import { splitList } from '../../src/core/css/selector-text.js';
import { classesOf } from '../../src/core/find/describe.js';
import { compileMatcher } from '../../src/core/page/elements.js';
import { plainMatcher } from '../../src/core/page/query.js';
import { randomFrom } from '../oracle/value-samples.js';
import { describeInBrowser, folderWith, noteFigure, runsOf } from '../helpers.js';
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
    const numbers = new Map(compileMatcherAll(document).map((each, at) => [each, at]));
    return list.map((selector) => {
      const read = faultOf(() => parseSelectorList(selector));
      if (read !== null) return null;
      const taken = parseSelectorList(selector).map(({ text }) => text);
      return matched(taken.join(', '), document).map((each) => numbers.get(each));
    });
  };
  /** What a selector matches in each of the ways that the program has, which must be the same. */
  const matched = (selector: string, document: ReturnType<typeof readDocument>) => {
    const found = plainMatcher(selector)(document);
    expect([selector, compileMatcher(selector)(document).length]).toEqual([selector, found.length]);
    const plain = new Set(found);
    const parts = splitList(selector).flatMap((part) => compileSelector(part.trim()) ?? []);
    for (const one of [parts, parts.map(forMany), parts.map(remembering)]) {
      const other = document.elements.filter((each) => one.some((part) => part.matches(document, each)));
      expect([selector, other.filter((each) => !plain.has(each)).length, other.length]).toEqual([
        ...[selector, 0, found.length],
      ]);
    }
    return found;
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
    // Every character that a name may hold only with an escape, and those with which names of utilities are made.
    const name = fc.oneof(
      { weight: 4, arbitrary: fc.constantFrom('a', 'b', 'c') },
      {
        weight: 1,
        arbitrary: fc.constantFrom('md:w-1/2', 'sm:p-1.5', 'lg:w-[20rem]', '2a', '-1', '@b', 'a#b', 'a&b', 'ü', 'a,b'),
      },
    );
    const inAttribute = (text: string) => text.replace('&', '&amp;');
    const tag = fc.constantFrom('div', 'p', 'ul', 'li', 'span');
    const { tree } = fc.letrec<{ tree: string }>((tie) => ({
      tree: fc.oneof(
        { depthSize: 'small' },
        fc.constant(''),
        fc
          .tuple(tag, name, fc.array(tie('tree'), { maxLength: 4 }))
          .map(([t, c, inner]) => `<${t} class="${inAttribute(c)}">${inner.join('')}</${t}>`),
      ),
    }));
    const written = name.map((c) => cssesc(c, { isIdentifier: true }));
    const compound = fc.oneof(
      tag,
      written.map((c) => `.${c}`),
      fc.tuple(tag, written).map(([t, c]) => `${t}.${c}`),
      fc.tuple(written, fc.integer({ min: -1, max: 3 })).map(([c, n]) => `.${c}:nth-of-type(n+${n})`),
      fc.tuple(written, fc.integer({ min: 1, max: 3 })).map(([c, n]) => `:nth-child(${n} of .${c})`),
      written.map((c) => `:not(.${c})`),
      written.map((c) => `:has(> .${c})`),
      fc.tuple(written, tag).map(([c, t]) => `:is(.${c} ${t}, .${c} > ${t})`),
      name.map((c) => `[class="${c}"]`),
    );
    const selector = fc
      .array(fc.tuple(compound, fc.constantFrom(' ', ' > ', ' + ', ' ~ ')), { minLength: 1, maxLength: 5 })
      .map((parts) => parts.map(([c, j], index) => (index === 0 ? c : j + c)).join(''));
    await fc.assert(
      fc.asyncProperty(
        fc.array(tree, { minLength: 1, maxLength: 5 }),
        // Ways that are quicker begin on large pages.
        fc.constantFrom(1, 51, 51, 200, 5000),
        fc.constantFrom('', 'ul', 'div', 'li'),
        fc.array(selector, { minLength: 8, maxLength: 8 }),
        async (trees, atLeast, outer, list) => {
          const one = trees.join('') || '<p class="a"></p>';
          const body = one.repeat(Math.ceil(atLeast / one.split(' class=').length));
          const source = `<!doctype html><body>${outer ? `<${outer} class="a">${body}</${outer}>` : body}</body>`;
          expect(here(source, list)).toEqual(await inBrowser(source, list));
        },
      ),
      { numRuns: runsOf(60, 1000), seed: Number(process.env['ORACLE_SEED'] ?? 7) },
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

  test.each([
    ['.menu ul > li', `<ul class="menu">${'<li>'.repeat(60)}</ul>`],
    ['ul ul > li', `<ul>${'<li>'.repeat(40)}<li><ul>${'<li>'.repeat(40)}</ul></ul>`],
    ['body.page-1 body > *', '<p>'.repeat(60)],
    ['div p ~ p > b', `<div>${'<p><b>x</b></p>'.repeat(60)}</div>`],
  ])('what is above an element is above the compound before it: %s', async (selector, body) => {
    const source = `<!doctype html><body class="page-1">${body}</body>`;
    expect(here(source, [selector])).toEqual(await inBrowser(source, [selector]));
  });

  /** Names, attributes and structure of a page's own elements, put together at random. */
  const selectorOf = (elements: Element[], pick: <T>(list: readonly T[]) => T): string => {
    const own = (element: Element): string => {
      const escaped = (text: string) => cssesc(text, { isIdentifier: true });
      const names = classesOf(element).map((each) => `.${escaped(each)}`);
      const attributes = element.attrs.filter(({ prefix, name }) => !prefix && /^[a-z][\w-]*$/i.test(name));
      const id = attributes.find(({ name, value }) => name === 'id' && value !== '')?.value;
      const attribute = attributes.length > 0 ? pick(attributes) : null;
      const value = cssesc(attribute?.value ?? '', { wrap: true, quotes: 'double' });
      const part = cssesc(attribute?.value.slice(0, 4) ?? '', { wrap: true, quotes: 'double' });
      return pick([
        ...[element.tagName, element.tagName, '*', ...names, ...names.map((each) => element.tagName + each)],
        ...(id === undefined ? [] : [`#${escaped(id)}`]),
        ...(attribute ? [`[${attribute.name}]`, `[${attribute.name}=${value}]`, `[${attribute.name}^=${part}]`] : []),
        `${element.tagName}:nth-child(2n+1)`,
        `${element.tagName}:last-of-type`,
        ...names.map((each) => `:not(${each})`),
        ...names.map((each) => `:nth-child(-n+3 of ${each})`),
        `:is(${[element.tagName, ...names].join(', ')})`,
        ...element.childNodes.flatMap((child) =>
          'tagName' in child ? [`${element.tagName}:has(> ${child.tagName})`] : [],
        ),
      ]);
    };
    let at: Element | null = pick(elements);
    let text = own(at);
    for (let more = pick([0, 1, 1, 2, 2, 3, 4]); more > 0 && at; more--) {
      const siblings: Element[] = (at.parentNode?.childNodes ?? []).filter((each) => 'tagName' in each);
      const before: Element | undefined = siblings[siblings.indexOf(at) - 1];
      if (before && pick([true, false, false])) {
        text = `${own((at = before))} ${pick(['+', '~'])} ${text}`;
        continue;
      }
      at = parentOf(at);
      if (at && pick([true, false])) text = `${own(at)} > ${text}`;
      else if (at) {
        while (parentOf(at) && pick([true, false])) at = parentOf(at) as Element;
        text = `${own(at)} ${text}`;
      }
    }
    return text;
  };

  /** The largest first: SITE_FOLDERS=/a:/b npm run test:long tests/browser/selectors; else the demo's. */
  test('are the same for selectors made of the names and the structure of pages, the largest first', async () => {
    const random = randomFrom(Number(process.env['ORACLE_SEED'] ?? 7));
    const pick = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)] as T;
    const folders = process.env['SITE_FOLDERS']?.split(':') ?? [join(folderWith({}), 'demo')];
    if (process.env['SITE_FOLDERS'] === undefined) writeDemoSite(folders[0] ?? '', 'live');
    const wanted = runsOf(300, 20_000);
    let tried = 0;
    for (const folder of folders) {
      const files = readdirSync(folder, { recursive: true })
        .map(String)
        .filter((file) => file.endsWith('.html'))
        .map((file) => ({ file, size: statSync(join(folder, file)).size }))
        .sort((a, b) => b.size - a.size);
      // Half of them the largest, and the others spread over the rest.
      const many = runsOf(6, 40);
      const step = Math.max(1, Math.floor(files.length / (many / 2)));
      const chosen = files.filter((_, at) => at < many / 2 || at % step === 0).slice(0, many);
      const each = Math.ceil(wanted / folders.length / chosen.length);
      for (const { file } of chosen) {
        const html = readFileSync(join(folder, file), 'utf8')
          .replace(/<script\b[^]*?<\/script>/gi, '')
          .replace(/<(link|img|iframe|source)\b[^>]*>/gi, '');
        const { elements } = readDocument(html);
        const list = Array.from({ length: each }, () => selectorOf(elements, pick));
        const [ours, theirs] = [here(html, list), await inBrowser(html, list)];
        const differing = list.flatMap((selector, at) =>
          JSON.stringify(ours[at]) === JSON.stringify(theirs[at])
            ? []
            : [`${selector} on ${file}: ${ours[at]?.length}; Chromium: ${theirs[at]?.length}`],
        );
        expect(differing).toEqual([]);
        tried += list.length;
      }
    }
    noteFigure(
      'selectors',
      `${tried} made of the names of ${folders.map((each) => basename(each)).join(', ')}: 0 differ`,
    );
    expect(tried).toBeGreaterThanOrEqual(wanted);
  });

  /** Fields of forms with every attribute that decides about a pseudo-class. */
  const field = fc
    .record({
      tag: fc.constantFrom('input', 'input', 'input', 'input', 'select', 'textarea', 'button', 'progress', 'output'),
      type: fc.constantFrom(
        ...'text,checkbox,radio,radio,number,range,email,url,tel,date,month,week,time,datetime-local,color,hidden,submit,reset,button,image,file,search,password,nonsense'.split(
          ',',
        ),
      ),
      value: fc.constantFrom(
        null,
        '',
        '5',
        '12',
        'a@b.example',
        'a@',
        'https://saltmere.example/',
        '2026-02-30',
        '2026-03-05',
        '2026-03',
        '2026-W09',
        '10:30',
        'abc',
        '2026-03-05T10:30',
        '1.5',
      ),
      more: fc.uniqueArray(
        fc.constantFrom(
          ...[
            'required',
            'readonly',
            'disabled',
            'checked',
            'name=a',
            'name=b',
            'placeholder=p',
            'min=3',
            'max=10',
            'step=2',
            'pattern="[a-c]+"',
          ],
          ...[
            'multiple',
            'form=f',
            'min=2026-03-01',
            'max=2026-03',
            'max=2026-04-01',
            'min=09:00',
            'max=10:00',
            'step=any',
            'size=3',
            'contenteditable',
          ],
        ),
        { maxLength: 4 },
      ),
      options: fc.array(
        fc.constantFrom(
          '<option>',
          '<option value="">',
          '<option selected>',
          '<option disabled>',
          '<optgroup disabled><option>',
          '<option selected value="">',
        ),
        { maxLength: 3 },
      ),
    })
    .map(({ tag, type, value, more, options }) => {
      const own = [tag === 'input' || tag === 'button' ? `type=${type}` : '', ...more].join(' ');
      const open = `<${tag} ${own}${value !== null && tag !== 'select' ? ` value="${value}"` : ''}>`;
      if (tag === 'input') return open;
      const inner =
        tag === 'select'
          ? options.map((each) => `${each}${each.includes('value') ? '' : 'x'}`).join('')
          : tag === 'textarea'
            ? (value ?? '')
            : 'x';
      return `${open}${inner}</${tag}>`;
    });
  const around = fc.constantFrom(
    ['', ''],
    ['<form>', '</form>'],
    ['<form id=f>', '</form>'],
    ['<fieldset disabled>', '</fieldset>'],
    ['<fieldset disabled><legend>', '</legend></fieldset>'],
    ['<fieldset><legend>a</legend>', '</fieldset>'],
    ['<fieldset disabled><div><legend>', '</legend></div></fieldset>'],
    ['<datalist>', '</datalist>'],
    ['<div contenteditable=true>', '</div>'],
    ['<div contenteditable><p contenteditable=false>', '</p></div>'],
  );
  const directed = fc
    .record({
      tag: fc.constantFrom('p', 'bdi', 'div', 'input', 'textarea', 'span'),
      dir: fc.constantFrom(
        '',
        'dir=auto',
        'dir=rtl',
        'dir=ltr',
        'dir=AUTO',
        'dir=no',
        'type=tel',
        'type=tel dir=auto',
        'type=checkbox dir=auto',
      ),
      text: fc.constantFrom(
        '',
        '123',
        'abc',
        '\u05d0\u05d1',
        '12 \u0627',
        '<b dir=ltr>a</b>\u05d0',
        '<bdi>a</bdi>\u05d0',
        '<style>a</style>\u05d0',
        '\u200f',
        '<i>\u05d0</i>a',
      ),
    })
    .map(({ tag, dir, text }) =>
      tag === 'input'
        ? `<input ${dir} value="${text.replace(/<.*>/g, '')}">`
        : `<${tag} ${dir}>${tag === 'textarea' ? text.replace(/<.*>/g, '') : text}</${tag}>`,
    );

  test('of forms and of directions are those that Chromium matches', async () => {
    const names =
      'disabled enabled required optional read-only read-write checked indeterminate default valid invalid in-range out-of-range placeholder-shown dir(ltr) dir(rtl)';
    const list = [
      ...names.split(' ').map((each) => `:${each}`),
      '[alt~=""]',
      '[value~="5 "]',
      ':is(input, :unknown-thing)',
      '[class^=""]',
      '[class*=""]',
    ];
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(around, around, fc.array(fc.oneof(field, directed), { minLength: 1, maxLength: 4 })), {
          minLength: 1,
          maxLength: 6,
        }),
        async (groups) => {
          const body = groups.map(([[a, z], [b, y], fields]) => `${a}${b}${fields.join('')}${y}${z}`).join('\n');
          const source = `<!doctype html><body alt="" class="">${body}</body>`;
          const [ours, theirs] = [here(source, list), await inBrowser(source, list)];
          const wrong = list.flatMap((selector, at) => {
            const [own, given] = [ours[at], theirs[at]];
            return JSON.stringify(own) === JSON.stringify(given)
              ? []
              : [`${selector}: ${JSON.stringify(own)}; Chromium: ${JSON.stringify(given)}`];
          });
          expect({ body, wrong }).toEqual({ body, wrong: [] });
        },
      ),
      { numRuns: runsOf(100, 5000), seed: Number(process.env['ORACLE_SEED'] ?? 7), includeErrorInReport: true },
    );
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
