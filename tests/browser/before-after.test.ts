import { readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { PNG } from 'pngjs';
import { comparePictures } from '../../src/browser/compare-pictures.js';
import { describeInBrowser, folderWith, pageHtml, run } from '../helpers.js';

const picture = (width: number, height: number, marks: [x: number, y: number][] = []) => {
  const png = new PNG({ width, height, fill: true });
  png.data.fill(255);
  for (const [x, y] of marks) png.data.set([0, 0, 0, 255], (y * width + x) * 4);
  return PNG.sync.write(png);
};

describe('Two pictures', () => {
  test.each([
    ['that are the same', picture(100, 50), picture(100, 50), 0, []],
    ['with a dot', picture(100, 50), picture(100, 50, [[30, 30]]), 1 / 5000, [{ x: 24, y: 24, width: 24, height: 24 }]],
    [
      'with two dots far apart',
      picture(100, 50),
      picture(100, 50, [
        [1, 1],
        [99, 49],
      ]),
      2 / 5000,
      [
        { x: 0, y: 0, width: 24, height: 24 },
        { x: 96, y: 48, width: 4, height: 2 },
      ],
    ],
    ['of which one is longer', picture(24, 24), picture(24, 48), 0.5, [{ x: 0, y: 24, width: 24, height: 24 }]],
  ])('%s', (_what, before, after, share, regions) => {
    const difference = comparePictures(before, after);
    expect([difference.share, difference.regions]).toEqual([share, regions]);
  });
});

describeInBrowser('before-after', () => {
  const block = (words: string) => `<header class="masthead">${words}</header><div class="x">Ferry</div>`;
  const project = (more = '') =>
    folderWith({
      'local-needle.yaml':
        'version: 1\nsites: { live: { folder: public } }\nviewports: { desktop: 800x600, phone: 390x600 }\nstates:\n  open: { add-class: { .x: is-open } }\n',
      'rules/a.css': `@needle calm { pages: page-id(1); .masthead { background: teal; } }\n@needle wide { pages: page-id(2); state: open; viewport: desktop; .x.is-open { color: tomato; } }\n${more}`,
      'public/index.html': pageHtml(
        'class="page-1"',
        `${block('One')}<script>setInterval(() => { document.body.append(new Date().toISOString()); }, 100)</script><style>@keyframes blink { to { opacity: 0; } } .x { animation: blink 0.3s infinite; }</style>`,
      ),
      'public/two.html': pageHtml('class="page-2"', block('<img src=x onerror="document.title=1"> Two')),
      'public/three.html': pageHtml('class="page-3"', block('Three')),
    });

  test('shows each targeted page at each viewport, in the rule’s state, and controls that stay', async () => {
    const directory = project();
    const { status, out, log } = await run(directory, ['before-after']);
    expect([status, log]).toEqual([0, '5 pairs taken.\n']);
    expect(out.split('\n').map((line) => line.split('\t'))).toEqual(
      expect.arrayContaining([
        ['/', 'desktop', 'calm', expect.stringMatching(/^\d+\.\d %$/)],
        ['/', 'phone', 'calm', expect.stringMatching(/^\d+\.\d %$/)],
        ['/two.html', 'desktop', 'wide', 'under 0.1 %'],
        ['/three.html', 'desktop', 'no rule: must not change', 'identical'],
        ['/three.html', 'phone', 'no rule: must not change', 'identical'],
      ]),
    );
    const made = join(directory, 'before-after');
    expect(readdirSync(made).sort()).toEqual(['contact-sheet.png', 'index.html', 'pictures']);
    expect(readdirSync(join(made, 'pictures'))).toHaveLength(10);
    const html = readFileSync(join(made, 'index.html'), 'utf8');
    expect(html.match(/class="region"/g)?.length).toBeGreaterThan(3);
    // A second run gives the same pictures, although the page counts and blinks.
    const pictures = () =>
      readdirSync(join(made, 'pictures')).map((name) => readFileSync(join(made, 'pictures', name)).toString('base64'));
    const first = pictures();
    await run(directory, ['before-after']);
    expect(pictures()).toEqual(first);
  });

  test('names the rules that change something, region by region', async () => {
    const box = (name: string) => `<p class="${name}" style="height: 100px; margin: 60px">${name}</p>`;
    const directory = folderWith({
      'local-needle.yaml': 'version: 1\nsites: { live: { folder: public } }\nviewports: { desktop: 800x600 }\n',
      'rules/a.css': `@needle idle { pages: path("/"); note: "Set already."; .a { height: 100px; } }
@needle teal { pages: path("/"); .b { background: teal; } }
@needle camera { pages: path("/two.html"); @only-here .c; }
@needle words { pages: path("/"); @swap .d { text: "New"; } }`,
      'public/index.html': pageHtml('class="page-1"', ['a', 'b', 'd', 'e', 'f', 'c'].map(box).join('')),
      'public/two.html': pageHtml('class="page-2"', box('c')),
    });
    const { out } = await run(directory, ['before-after', '--page', '/']);
    expect(out).toContain('/\tdesktop\tteal, camera, words\t');
    const html = readFileSync(join(directory, 'before-after', 'index.html'), 'utf8');
    const named = [...html.matchAll(/class="region" title="([^"]*)"/g)].map(([, rules]) => rules);
    expect([...new Set(named)]).toEqual(['teal', 'words', 'camera']);
  });

  test('of one rule or page shows that alone, and says what cannot be', async () => {
    const directory = project();
    const { out } = await run(directory, ['before-after', '--rule', 'wide', '--viewport', 'desktop']);
    expect(out).toMatch(/\/two\.html\tdesktop\twide[^]*\/\tdesktop\tno rule: must not change\tidentical/);
    expect((await run(directory, ['before-after', '--rule', 'wid'])).log).toMatch(/There is no rule "wid"[^]*wide/);
    expect((await run(directory, ['before-after', '--page', '/three.html'])).log).toMatch(/No rule targets this page/);
    expect((await run(directory, ['before-after', '--page', '/thre.html'])).log).toMatch(/has no page[^]*three\.html/);
    expect((await run(directory, ['before-after', '--out', '.'])).log).toMatch(/overlap/);
  });
});
