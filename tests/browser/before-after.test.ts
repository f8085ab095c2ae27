import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { readFileSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { PNG } from 'pngjs';
import { comparePictures } from '../../src/browser/compare-pictures.js';
import { writeDemoProject, writeDemoSite } from '../../demo/site.js';
import { describeInBrowser, folderWith, pageHtml, run, runBuilt, runBuiltHere, runsOf } from '../helpers.js';
import { inTestBrowser, launchBrowser } from './chromium.js';

const picture = (width: number, height: number, marks: [x: number, y: number][] = []) => {
  const png = new PNG({ width, height, fill: true });
  png.data.fill(255);
  for (const [x, y] of marks) png.data.set([0, 0, 0, 255], (y * width + x) * 4);
  return PNG.sync.write(png);
};

const all = (x: number, y: number, width: number, height: number) => ({ x, y, width, height });

describe('Two pictures', () => {
  test.each([
    ['that are the same', picture(100, 50), picture(100, 50), 0, []],
    ['with a dot', picture(100, 50), picture(100, 50, [[30, 30]]), 9 / 91, [all(24, 24, 24, 24)]],
    [
      'with two dots far apart',
      picture(100, 50),
      picture(100, 50, [
        [1, 1],
        [99, 49],
      ]),
      10 / 91,
      [all(0, 0, 24, 24), all(96, 48, 4, 2)],
    ],
    ['of which one is longer', picture(24, 24), picture(24, 48), 0.5, [all(0, 24, 24, 24)]],
  ])('%s differ by pixels where no element is known', (_what, before, after, share, regions) => {
    const difference = comparePictures(before, after, null);
    expect([difference.share, difference.blocks.map((block) => block.after)]).toEqual([share, regions]);
  });
});

/** What a sheet says of its pairs. */
function pairsOf(directory: string, file = 'before-after/index.html') {
  const html = readFileSync(join(directory, file), 'utf8');
  return [...html.matchAll(/<article data-path="([^"]*)" data-viewports="([^"]*)"[^]*?<\/article>/g)].map(
    ([text, path = '', viewports = '']) => {
      const [before = '', after = ''] = text.split('<figcaption>before');
      const blocks = (part: string) =>
        [
          ...part.matchAll(
            /class="block (\w+)" title="([^"]*)" style="left:([\d.]+)%;top:([\d.]+)%;width:([\d.]+)%;height:([\d.]+)%"/g,
          ),
        ].map(([, kind = '', title = '', ...numbers]) => {
          const [x = 0, y = 0, width = 0, height = 0] = numbers.map(Number);
          return { kind, rules: title.split(': ')[1]?.split(', ') ?? [], x, y, width, height };
        });
      return { path, viewports, before: blocks(before), after: blocks(after) };
    },
  );
}

describeInBrowser('before-after', () => {
  const block = (words: string) => `<header class="masthead">${words}</header><div class="x">Ferry</div>`;
  const configuration = (viewports: string) =>
    `version: 1\nsites: { live: { folder: public } }\nviewports: ${viewports}\n`;
  const project = (more = '') =>
    folderWith({
      'local-needle.yaml': `${configuration('{ desktop: 800x600, phone: 390x600 }')}states:\n  open: { add-class: { .x: is-open } }\n`,
      'rules/a.css': `@needle calm { pages: page-id(1); .masthead { background: teal; } }\n@needle wide { pages: page-id(2); state: open; viewport: desktop; .x.is-open { color: tomato; } }\n${more}`,
      'public/index.html': pageHtml(
        'class="page-1"',
        `${block('One')}<script>setInterval(() => { document.body.append(new Date().toISOString()); }, 100)</script><style>@keyframes blink { to { opacity: 0; } } .x { animation: blink 0.3s infinite; }</style><script>document.querySelector('.x').append(localStorage.visits = 1 + Number(localStorage.visits || 0), document.cookie, window.name); document.cookie = window.name = 'seen=1';</script>`,
      ),
      'public/two.html': pageHtml('class="page-2"', block('<img src=x onerror="document.title=1"> Two')),
      'public/three.html': pageHtml('class="page-3"', block('Three')),
    });

  test('shows each rule at each viewport, in its state, and a page of each template that stays', async () => {
    const directory = project();
    const { status, out, log } = await runBuilt(directory, ['before-after']);
    expect([status, log]).toEqual([0, '4 pairs taken.\n']);
    expect(out.split('\n').map((line) => line.split('\t'))).toEqual(
      expect.arrayContaining([
        ['/', 'desktop', 'calm', expect.stringMatching(/^\d+\.\d % changed$/)],
        ['/', 'phone', 'calm', expect.stringMatching(/^\d+\.\d % changed$/)],
        ['/two.html', 'desktop, open', 'wide', expect.stringMatching(/^\d+\.\d % changed$/)],
        ['/three.html', 'desktop', 'no rule: must not change', 'identical'],
      ]),
    );
    const made = join(directory, 'before-after');
    expect(readdirSync(made).sort()).toEqual(['contact-sheet.png', 'index.html', 'pictures']);
    expect(readdirSync(join(made, 'pictures'))).toHaveLength(8);
    // A second run gives the same pictures, although the page counts, blinks and remembers visits; here in one file.
    const one = await runBuilt(directory, ['before-after', '--parallel', '3', '--out', 'one.html']);
    expect(one.out).toContain('one.html.');
    const html = readFileSync(join(directory, 'one.html'), 'utf8');
    for (const name of readdirSync(join(made, 'pictures')))
      expect([name, html.includes(readFileSync(join(made, 'pictures', name)).toString('base64'))]).toEqual([
        name,
        true,
      ]);
    expect(html).not.toContain('src="pictures/');
  });

  const box = (name: string, more = '') => `<p class="${name}" style="height: 100px; margin: 60px"${more}>${name}</p>`;

  test('tells what changed, went, came and moved, and by which rules', async () => {
    const directory = folderWith({
      'local-needle.yaml': configuration('{ desktop: 800x600, night: { size: 800x600, color-scheme: dark } }'),
      'rules/a.css': `@needle idle { pages: path("/"); note: "Set already."; .a { height: 100px; } }
@needle teal { pages: path("/"); .b { background: teal; } }
@needle camera { pages: path("/two.html"); @only-here .c; }
@needle words { pages: path("/"); @swap .d { text: "New"; } }
@needle logo { pages: path("/"); @swap .logo { image: url("../logo.svg"); } }
@needle shown { pages: path("/"); .g { display: block !important; } }`,
      'logo.svg':
        '<svg xmlns="http://www.w3.org/2000/svg" width="40" height="40"><rect width="40" height="40" fill="red"/></svg>',
      'public/index.html': pageHtml(
        'class="page-1"',
        `<img class="logo" width="40" height="40" src="data:,">${['a', 'b', 'd'].map((name) => box(name)).join('')}${box('c')}${box('e')}<p class="g" style="display: none; height: 30px">New here</p>${box('f')}`,
      ),
      'public/two.html': pageHtml('class="page-2"', box('c')),
    });
    const { out } = await runBuiltHere(directory, ['before-after', '--page', '/'], inTestBrowser);
    expect(out).toMatch(/\/\tdesktop, night\tteal, camera, words, logo, shown\t[\d.]+ % changed, 2 blocks moved/);
    const [pair] = pairsOf(directory);
    const told = (blocks: { kind: string; rules: string[] }[] = []) =>
      blocks.map(({ kind, rules }) => [kind, ...rules].join(' '));
    expect(told(pair?.before)).toEqual([
      'changed logo',
      'changed teal',
      'changed words',
      'gone camera',
      'moved',
      'moved',
    ]);
    expect(told(pair?.after)).toEqual(['changed logo', 'changed teal', 'changed words', 'moved', 'new shown', 'moved']);
    // The picture itself is there, not its broken sign.
    const { data, width } = PNG.sync.read(
      readFileSync(join(directory, 'before-after/pictures/001-front-desktop-after.png')),
    );
    expect([...data.subarray((20 * width + 20) * 4, (20 * width + 20) * 4 + 3)]).toEqual([255, 0, 0]);
  });

  test('tells what moved from what changed, under a border, a float and a taller neighbour', async () => {
    const directory = folderWith({
      'local-needle.yaml': configuration('{ desktop: 800x600 }'),
      'rules/a.css': '@needle calm { pages: path("/"); @hide .band; }',
      'public/index.html': pageHtml(
        'class="page-1"',
        `<div style="position: fixed; top: 0; width: 800px; height: 40px; background: gold">Fixed</div><header style="border-bottom: 5px solid red; padding-top: 60px"><p class="band" style="height: 33.5px">Band</p><b>Menu</b></header><div style="display: flex"><main style="flex: 1"><p>Words</p></main><aside style="border: 3px solid green; flex: 1">Side</aside></div>`,
      ),
      'public/two.html': pageHtml('class="page-2"', '<p>Two</p>'),
    });
    await runBuiltHere(directory, ['before-after', '--page', '/'], inTestBrowser);
    const [pair] = pairsOf(directory);
    expect(pair?.before.map(({ kind }) => kind)).toEqual(['gone', 'moved']);
  });

  test('gives every region of the demo to the rules that make it alone', async () => {
    const directory = folderWith({});
    writeDemoProject(directory);
    for (const site of ['live', 'staging'] as const) writeDemoSite(join(directory, site), site);
    writeFileSync(
      join(directory, 'local-needle.yaml'),
      'version: 1\nsites: { live: { folder: live }, staging: { folder: staging } }\n',
    );
    for (const path of runsOf(0, 1) > 0 ? ['/winter', '/tickets/pay'] : ['/winter']) {
      const blocksBy = async (words: string[]) => {
        await runBuiltHere(
          directory,
          ['before-after', '--viewport', 'desktop', '--page', path, ...words],
          inTestBrowser,
        );
        const [pair] = pairsOf(directory);
        // What is new has no place before.
        const here = (pair?.before ?? []).filter(({ kind }) => kind !== 'moved');
        return { here, rules: new Set(here.flatMap(({ rules }) => rules)) };
      };
      const whole = await blocksBy([]);
      expect(whole.rules.size).toBeGreaterThan(2);
      const alone = new Map<string, Awaited<ReturnType<typeof blocksBy>>['here']>();
      // Every second of them, the others in another run; all in the long one.
      const [step, first] = runsOf(0, 1) > 0 ? [1, 0] : [2, Math.floor(Math.random() * 2)];
      for (const rule of [...whole.rules].filter((_rule, at) => at % step === first))
        alone.set(rule, (await blocksBy(['--rule', rule])).here);
      expect(alone.size).toBeGreaterThan(1);
      for (const { x, y, width, height, rules } of whole.here) {
        const makers = [...alone].filter(([, blocks]) =>
          blocks.some(
            (other) =>
              x < other.x + other.width && other.x < x + width && y < other.y + other.height && other.y < y + height,
          ),
        );
        const told = rules.filter((rule) => alone.has(rule)).sort();
        expect([path, x, y, makers.map(([rule]) => rule).sort()]).toEqual([path, x, y, told]);
      }
    }
  });

  test('takes one page of a template for each rule, or all; the sheet can be searched and read without JavaScript', async () => {
    const page = (id: number) => pageHtml(`class="page-${id}"`, `<main class="post"><h1>Post ${id}</h1></main>`);
    const directory = folderWith({
      'local-needle.yaml': configuration('{ desktop: 800x600 }'),
      'rules/a.css':
        '@needle posts { pages: path("/journal/*"); h1 { color: teal; } }\n@needle one { pages: path("/journal/b.html"); main { background: gold; } }\n@needle set { pages: path("/about.html"); main { display: block; } }',
      ...Object.fromEntries(['a', 'b', 'c', 'd'].map((name, at) => [`public/journal/${name}.html`, page(at)])),
      'public/about.html': pageHtml('class="page-9"', '<main class="about"><section><p>About</p></section></main>'),
      'public/contact.html': pageHtml('class="page-8"', '<main class="about"><section><p>Contact</p></section></main>'),
    });
    const { out } = await runBuiltHere(directory, ['before-after'], inTestBrowser);
    expect(out).toMatch(/\/journal\/b\.html and 3 like it\tdesktop\tposts, one\t/);
    expect(out).toMatch(/\/contact\.html\tdesktop\tno rule: must not change\tidentical/);
    expect(out).toContain('1 page left out: the rules change nothing there.');
    expect(pairsOf(directory).map(({ path }) => path)).toEqual(['/journal/b.html', '/contact.html']);
    // Asked for, it is shown, and is no page without a rule.
    const same = await runBuiltHere(directory, ['before-after', '--page', '/about.html'], inTestBrowser);
    expect(same.out).toMatch(/\/about\.html\tdesktop\tno rule changes anything\tidentical/);
    expect([same.status, same.out]).toEqual([0, expect.not.stringContaining('without a rule')]);
    const all = await runBuiltHere(directory, ['before-after', '--all', '--rule', 'posts'], inTestBrowser);
    expect(all.out.match(/\/journal\/\w\.html\tdesktop\tposts/g)).toHaveLength(4);
    const sheet = pathToFileURL(join(directory, 'before-after/index.html')).href;
    const browser = await launchBrowser();
    try {
      const plain = await browser.newPage({ javaScriptEnabled: false });
      await plain.goto(sheet);
      expect([await plain.locator('article:visible').count(), await plain.locator('#filter').isVisible()]).toEqual([
        5,
        false,
      ]);
      const tab = await browser.newPage();
      await tab.goto(sheet);
      await tab.getByLabel('Page or rule').fill('journal/c');
      expect(await tab.locator('article:visible h3').allTextContents()).toEqual(['/journal/c.html']);
      await tab.getByLabel('Page or rule').fill('');
      await tab.locator('article').first().locator('.picture').first().click();
      const compared = tab.locator('.compared');
      for (const [key, name] of [
        ['2', 'slider'],
        ['3', 'overlay'],
        ['4', 'flicker'],
        ['1', 'beside'],
      ] as const) {
        await tab.keyboard.press(key);
        expect([await compared.getAttribute('class'), await compared.locator('img').count()]).toEqual([
          expect.stringContaining(name),
          2,
        ]);
      }
      const title = await tab.locator('dialog h2').textContent();
      await tab.keyboard.press('ArrowRight');
      expect(await tab.locator('dialog h2').textContent()).not.toBe(title);
      await tab.keyboard.press('Escape');
      expect(await tab.locator('dialog').isVisible()).toBe(false);
    } finally {
      await browser.close();
    }
  });

  test('interrupted, shows what is done', async () => {
    const pages = Array.from({ length: 60 }, (_none, at) => [
      `public/${at}.html`,
      pageHtml(`class="page-${at + 1}"`, block('One')),
    ]);
    const directory = folderWith({
      'local-needle.yaml': configuration('{ desktop: 800x600 }'),
      'rules/a.css': '@needle calm { pages: all; .masthead { background: teal; } }',
      ...Object.fromEntries(pages),
      'temporary/.keep': '',
    });
    const temporary = join(directory, 'temporary');
    const program = join(process.cwd(), 'dist/program/local-needle.js');
    const child = spawn(process.execPath, [program, 'before-after', '--all'], {
      cwd: directory,
      env: { ...process.env, ...inTestBrowser, TMPDIR: temporary },
    });
    let log = '';
    child.stderr.on('data', (text) => (log += text));
    const ended = once(child, 'exit');
    const done = () =>
      readdirSync(temporary, { recursive: true, encoding: 'utf8' }).filter((name) => /after\.png$/.test(name));
    while (done().length < 2 && child.exitCode === null) await new Promise((next) => setTimeout(next, 50));
    child.kill('SIGINT');
    const [code] = await ended;
    const [, taken] = /Interrupted: (\d+) of 60 pairs/.exec(log) ?? [];
    expect([code, pairsOf(directory).length]).toEqual([3, Number(taken)]);
    expect(readFileSync(join(directory, 'before-after/index.html'), 'utf8')).toContain(
      `${60 - Number(taken)} pairs not here: not taken yet`,
    );
    expect(readdirSync(temporary).filter((name) => name.startsWith('local-needle'))).toEqual([]);
  });

  test('a page that cannot be pictured, or opens others, keeps none of the others from it', async () => {
    const directory = folderWith({
      'local-needle.yaml': configuration('{ desktop: 800x600 }'),
      'rules/a.css': '@needle calm { pages: all; .masthead { background: teal; } }',
      'public/index.html': pageHtml('class="page-1"', block('One')),
      'public/odd.html': pageHtml(
        'class="page-2"',
        `${block('Two')}<script>Element.prototype.getClientRects = null; open('/index.html'); alert(1);</script>`,
      ),
      'public/stays.html': pageHtml(
        'class="page-4"',
        `${block('Four')}<script>Object.defineProperty(document, 'fonts', { value: { ready: new Promise(() => {}) } });</script>`,
      ),
      'public/z.html': pageHtml('class="page-3"', block('Three')),
    });
    const { status, out, log } = await runBuiltHere(
      directory,
      ['before-after', '--all', '--timeout', '3'],
      inTestBrowser,
    );
    expect([status, log]).toEqual([3, expect.stringMatching(/\/odd\.html could not be pictured: .*getClientRects/)]);
    expect(log).toContain('/stays.html could not be pictured: it did not answer within 3 s\n');
    expect(out.match(/^\/\S*\tdesktop\tcalm\t/gm)).toEqual(['/\tdesktop\tcalm\t', '/z.html\tdesktop\tcalm\t']);
    expect(pairsOf(directory)).toHaveLength(2);
  });

  test('of one rule or page shows that alone, and says what cannot be', async () => {
    const directory = project();
    const { out } = await runBuiltHere(
      directory,
      ['before-after', '--rule', 'wide', '--viewport', 'desktop'],
      inTestBrowser,
    );
    expect(out).toMatch(
      /\/two\.html\tdesktop, open\twide[^]*\/ and 1 like it\tdesktop\tno rule: must not change\tidentical/,
    );
    expect((await run(directory, ['before-after', '--rule', 'wid'])).log).toMatch(/There is no rule "wid"[^]*wide/);
    expect((await run(directory, ['before-after', '--page', '/three.html'])).log).toMatch(/No rule targets this page/);
    expect((await run(directory, ['before-after', '--page', '/thre.html'])).log).toMatch(/has no page[^]*three\.html/);
    expect((await run(directory, ['before-after', '--out', '.'])).log).toMatch(/overlap/);
  });
});
