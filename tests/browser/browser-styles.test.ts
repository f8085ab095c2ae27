import type { Browser } from 'playwright-core';
import { Cascade } from '../../src/core/css/cascade/cascade.js';
import { canonical } from '../../src/core/css/value/canonical.js';
import { Computed } from '../../src/core/css/value/computed.js';
import { readDocument } from '../../src/core/page/document.js';
import { describeInBrowser } from '../helpers.js';
import { launchBrowser } from './chromium.js';

/** Every element of HTML that is in use, and attributes that change how it looks. */
const source = `<!doctype html><html><head></head><body>
<h1>a</h1><h2>a</h2><h3>a</h3><h4>a</h4><h5>a</h5><h6>a</h6><p>a <b>b</b> <strong>c</strong> <i>d</i> <em>e</em> <u>f</u> <s>g</s>
<small>h</small> <sub>i</sub> <sup>j</sup> <mark>k</mark> <code>l</code> <kbd>m</kbd> <q>n</q> <cite>o</cite> <abbr title="x">p</abbr>
<del>q</del> <ins>r</ins> <a href="/x">s</a> <a>t</a> <time>u</time> <var>v</var> <span>w</span> <bdo dir="rtl">x</bdo> <big>y</big></p>
<ul><li>a<ul><li>b<ol><li>c</li></ol></li></ul></li></ul><ol type="a"><li>d</li></ol><dl><dt>e</dt><dd>f</dd></dl>
<blockquote>a</blockquote><figure>b<figcaption>c</figcaption></figure><pre>d</pre><hr><address>e</address><center>f</center>
<section>a</section><article>b</article><aside>c</aside><nav>d</nav><header>e</header><footer>f</footer><main>g</main><search>h</search>
<table border="1" cellpadding="3"><caption>a</caption><colgroup><col></colgroup><thead><tr><th>b</th></tr></thead><tbody><tr><td>c</td></tr></tbody><tfoot><tr><td>d</td></tr></tfoot></table>
<table bgcolor="#ff0000" align="center" width="50%"><tr><td align="right" valign="top" bgcolor="yellow" nowrap>e</td></tr></table>
<form><fieldset><legend>a</legend><label>b <input></label><input type="hidden"><input type="checkbox"><input type="radio"><input type="submit">
<button>c</button><select><option>d</option></select><textarea>e</textarea><output>f</output><progress></progress><meter></meter></fieldset></form>
<details><summary>a</summary><p>b</p></details><details open><summary>c</summary><p>d</p></details><dialog>e</dialog><dialog open>f</dialog>
<div hidden>a</div><p hidden="until-found">b</p><template>c</template><noscript>d</noscript><script></script><style></style><datalist></datalist>
<img src="/x.png" width="40" height="30" border="2" hspace="4" align="left"><video width="10"></video><audio></audio><canvas></canvas><iframe></iframe><svg width="5"><g></g></svg>
<font color="red" size="5" face="Georgia">a</font><div align="center">b</div><p align="right">c</p><br><wbr><ruby>d<rt>e</rt></ruby><slot></slot><div popover>f</div>
<ins>g</ins><x-own>h</x-own><menu>i</menu><hgroup>j</hgroup><marquee>k</marquee></body></html>`;

/** What rules set most; the widths of form controls and what their inner parts look like is out of reach. */
const longhands =
  `display color background-color font-size font-weight font-style text-decoration-line text-align list-style-type
  margin-top margin-right margin-bottom margin-left padding-top padding-right padding-bottom padding-left border-top-width
  border-top-style border-left-color white-space-collapse text-wrap-mode visibility position float vertical-align opacity cursor
  z-index overflow-x box-sizing text-transform text-indent direction`.split(/\s+/);

/** Controls whose looks Chromium draws by the system's theme. */
const drawn = /^(INPUT|SELECT|TEXTAREA|BUTTON|PROGRESS|METER|OPTION|MARQUEE|LEGEND|FIELDSET|AUDIO|VIDEO|IFRAME)$/;

describeInBrowser('What a browser does of its own accord', () => {
  let browser: Browser;
  beforeAll(async () => {
    browser = await launchBrowser();
  });
  afterAll(() => browser?.close());

  test('every element looks as in Chromium, form controls aside', async () => {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, javaScriptEnabled: true });
    await page.setContent(source);
    const theirs = await page.evaluate(
      (names) =>
        [...window.document.querySelectorAll<HTMLElement>('html, body, body *')].map((element) => ({
          tag: element.tagName,
          values: names.map((name) => {
            const typed = element.computedStyleMap().getAll(name).map(String).join(', ');
            return /color/.test(name) ? getComputedStyle(element).getPropertyValue(name) : typed;
          }),
        })),
      longhands,
    );
    const document = readDocument(source);
    const viewport = { name: 'desktop', width: 1280, height: 800 };
    const computed = new Computed(
      new Cascade(document, { uses: [], unseen: [], ofFonts: [], unread: [], loaded: [] }, null, viewport),
    );
    const relative = {
      fontSize: () => 16,
      rootFontSize: () => 16,
      viewport,
      isDark: () => false,
      currentColor: () => '',
      base: null,
    };
    expect(document.elements.map(({ tagName }) => tagName.toUpperCase())).toEqual(
      theirs.map(({ tag }) => tag.toUpperCase()),
    );
    const wrong = document.elements.flatMap((element, index) =>
      longhands.flatMap((name, at) => {
        const tag = element.tagName.toUpperCase();
        if (drawn.test(tag) && !/^(display|visibility|position|float)$/.test(name)) return [];
        const ours = canonical(computed.value(element, '', name), relative);
        const other = canonical(theirs[index]?.values[at] ?? '', relative);
        return ours === other ? [] : [`${tag.toLowerCase()} ${name}: ${ours}, in Chromium ${other}`];
      }),
    );
    expect([...new Set(wrong)]).toEqual([]);
  });
});
