import { chmodSync, existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser, BrowserContext, Frame, Page } from 'playwright-core';
import { describeInBrowser, pageHtml, smallProject } from '../helpers.js';
import { launchBrowser } from './chromium.js';
import { pageWithPanel, startPreview, until, type Running } from './previewing.js';

const teal = 'rgb(0, 128, 128)';
const rules =
  '/* Ours. */\n@needle calm { note: "Calm."; pages: path("/"); .x { order: 2; } }\n@needle lost { pages: path("/"); .y { color: teal; } @hide .lgoo; }\n';

describeInBrowser('A draft in the preview', () => {
  let browser: Browser;
  let context: BrowserContext;
  let running: Running;
  let directory: string;
  let tab: Page;
  let panel: Frame;

  beforeAll(async () => {
    browser = await launchBrowser();
  });
  beforeEach(async () => {
    directory = smallProject(rules, {
      'public/index.html': pageHtml(
        'class="page-1"',
        '<style>.y { color: red !important }</style><p class="logo">Logo</p><p class="x">a</p><p class="x">b</p><p class="y">c</p>',
      ),
      'flag.svg': '<svg xmlns="http://www.w3.org/2000/svg" width="1" height="1"/>',
      'public/other.html': pageHtml('class="page-2"', '<p class="x">a</p>'),
      'local-needle.yaml':
        'version: 1\nsites: { live: { folder: public } }\nstates: { scrolled: { add-class: { body: is-stuck } } }\n',
      'bin/code': '#!/bin/sh\necho "$@" > "$0.told"\n',
    });
    chmodSync(join(directory, 'bin/code'), 0o755);
    context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
    running = await startPreview(directory, [], { LAUNCH_EDITOR: join(directory, 'bin/code') });
    ({ tab, panel } = await pageWithPanel(context, running.pages));
  });
  afterEach(async () => {
    await context.close();
    await running.stop();
  });
  afterAll(() => browser?.close());

  const looks = (selector: string, property: 'color' | 'display' = 'color', page = tab) =>
    page.evaluate(
      ([each = '', name = '']) => getComputedStyle(document.querySelector(each)!).getPropertyValue(name),
      [selector, property],
    );
  const written = () => readFileSync(join(directory, 'rules/a.css'), 'utf8');
  async function point(selector: string): Promise<void> {
    await panel.getByRole('button', { name: 'Point at an element' }).click();
    await tab.locator(selector).first().click();
    await panel.locator('.rule-form').waitFor();
  }
  async function restyle(declarations: string): Promise<void> {
    await panel.getByLabel('Restyle').check();
    await panel.getByLabel(/Declarations/).fill(declarations);
  }
  const button = (name: string | RegExp) => panel.getByRole('button', { name, exact: typeof name === 'string' });
  const text = () => panel.getByLabel(/rules\/a\.css/);

  test('is seen as it is typed, on its pages alone, and is gone with Escape', async () => {
    const other = await context.newPage();
    await other.goto(`${running.pages}other.html`);
    await point('.x');
    await restyle('color: teal');
    await until(async () => (await looks('.x')) === teal);
    await panel.locator('.result .hit').waitFor();
    await panel.getByLabel(/Declarations/).fill('color: teal; }');
    await panel.locator('.result .bad:visible').waitFor();
    expect([await looks('.x'), await looks('.x', 'color', other)]).toEqual([teal, 'rgb(0, 0, 0)']);
    expect([written(), existsSync(join(directory, 'rules/added.css'))]).toEqual([rules, false]);
    await panel.getByLabel(/Declarations/).press('Escape');
    await until(async () => (await looks('.x')) === 'rgb(0, 0, 0)');
    expect([existsSync(join(directory, 'rules/added.css')), await panel.locator('.rule-form').count()]).toEqual([
      false,
      0,
    ]);
    expect(running.said()).not.toMatch(/internal error/i);
  });

  test('is written once, and taken back as easily', async () => {
    await point('.x');
    await panel.locator('.result .hit').waitFor();
    expect(await looks('.x', 'display')).toBe('none');
    await button('Write to rules/added.css').click();
    await panel.getByText('Added hide-x to rules/added.css').waitFor();
    expect(readFileSync(join(directory, 'rules/added.css'), 'utf8')).toMatch(
      /^@needle hide-x \{\n {2}pages: path\("\/"\);\n {2}@hide .*;\n\}\n$/,
    );
    await button('Undo').click();
    await until(async () => (await looks('.x', 'display')) === 'block');
    // The file that was made for it goes with it.
    expect(existsSync(join(directory, 'rules/added.css'))).toBe(false);
  });

  test('shows other words, and puts the old ones back', async () => {
    await point('.y');
    await panel.getByLabel('Other words').check();
    await panel.getByLabel('Words', { exact: true }).fill('New');
    await tab.getByText('New', { exact: true }).waitFor();
    await button('Cancel').click();
    await tab.getByText('c', { exact: true }).waitFor();
  });

  test('shows another image, and the rule of an edit too', async () => {
    await tab.evaluate(() => {
      document.body.insertAdjacentHTML('beforeend', '<img class="flag" src="/old.svg" srcset="/two.svg 2x" alt="Old">');
    });
    const flag = tab.locator('.flag');
    const told = () => flag.evaluate((each) => ['src', 'srcset', 'alt'].map((name) => each.getAttribute(name)));
    await point('.flag');
    await panel.getByLabel('Other image').check();
    await panel.getByLabel(/Image file/).fill('../flag.svg');
    await until(async () => /^\/\.local-needle\/.*flag.*\.svg$/.test((await told())[0] ?? ''));
    expect((await fetch(running.pages.slice(0, -1) + ((await told())[0] ?? ''))).status).toBe(200);
    await panel.getByLabel(/Image file/).fill('../none.svg');
    await panel.locator('.result .bad:visible').first().waitFor();
    await button('Cancel').click();
    await until(async () => JSON.stringify(await told()) === '["/old.svg","/two.svg 2x","Old"]');
    await button('Edit (calm)').click();
    await text().fill('@needle calm { pages: path("/"); @swap .y { text: "Edited"; } }');
    await tab.getByText('Edited').waitFor();
  });

  test('is mended by what was tried, where it loses', async () => {
    await point('.y');
    await restyle('color: teal');
    await panel.getByText('it is !important').waitFor();
    expect(await looks('.y')).toBe('rgb(255, 0, 0)');
    await button(/^Apply: Add important: yes/).click();
    await panel.locator('.result .hit').waitFor();
    expect([await looks('.y'), await panel.getByLabel('important: yes').isChecked()]).toEqual([teal, true]);
  });

  test('takes any selector, counts it, and offers what is near', async () => {
    await point('.x');
    const own = panel.getByRole('textbox', { name: 'Another selector' });
    await own.fill('.lgoo');
    await panel.getByText('0 here, on 0 other pages').waitFor();
    await button('.logo').click();
    await panel.getByText('1 here, on 0 other pages').first().waitFor();
    await until(async () => (await looks('.logo', 'display')) === 'none');
    await own.fill('.x');
    await panel.getByText('2 here, on 1 other page').waitFor();
    await own.fill('.x..');
    await panel.getByText('not a valid selector').first().waitFor();
  });

  test('begins with an element around the pointer, or below what covers it, and the panel steps aside', async () => {
    await tab.evaluate(() => {
      document.body.insertAdjacentHTML('beforeend', '<div class="veil" style="position:fixed;inset:0"></div>');
    });
    await button('Point at an element').click();
    const frame = () => panel.frameElement().then((element) => element.boundingBox());
    const logo = await tab.locator('.logo').boundingBox();
    await tab.mouse.move((logo?.x ?? 0) + 5, (logo?.y ?? 0) + 5);
    await button('div.veil').waitFor();
    expect(await panel.locator('#panel').isVisible()).toBe(false);
    expect((await frame())?.height).toBeLessThan(50);
    await button('Below it').click();
    await button('p.logo').waitFor();
    expect(await panel.locator('#size').textContent()).toMatch(/^\d+ × \d+, margin \d+ 0 \d+ 0$/);
    await button('Move this line to the other edge').click();
    await until(async () => ((await frame())?.y ?? 99) < 20);
    // It is not over what the keys aim at.
    for (const key of ['ArrowUp', 'ArrowDown']) await tab.keyboard.press(key);
    await until(async () => ((await frame())?.y ?? 0) > 700);
    // A key that was pressed may still be on its way.
    await until(async () => {
      for (const step of [6, 7]) await tab.mouse.move((logo?.x ?? 0) + step, (logo?.y ?? 0) + 6);
      await button('div.veil').waitFor({ timeout: 1000 });
      await button('Below it').click();
      await button('p.logo').waitFor({ timeout: 1000 });
      return true;
    });
    await button('p.logo').click();
    await panel.locator('.proposals').getByText('.logo', { exact: true }).waitFor();
    await button('Move the panel to the next corner').click();
    await until(async () => ((await frame())?.x ?? 99) < 20);
    await tab.reload();
    await until(async () => {
      const box = await tab
        .frames()
        .find((each) => each.url().includes('/panel?'))
        ?.frameElement();
      return ((await box?.boundingBox())?.x ?? 99) < 20;
    });
  });

  test('is written beside the page where the panel is docked, in a window that is wide enough', async () => {
    const panelBox = async () => {
      const frame = tab.frames().find((each) => each.url().includes('/panel?'));
      return (await frame?.frameElement())?.boundingBox();
    };
    const heightAndEdges = async () => {
      const box = await panelBox();
      const right = await tab.evaluate(() => document.body.getBoundingClientRect().right);
      return [box?.height, box?.y, right <= (box?.x ?? 0)];
    };
    const told = (words: unknown[]) =>
      until(async () => JSON.stringify(await heightAndEdges()) === JSON.stringify(words));
    await tab.setViewportSize({ width: 1200, height: 700 });
    await button('Dock the panel beside the page').click();
    await told([700, 0, true]);
    // Pointing moves nothing under the pointer.
    await button('Point at an element').click();
    await until(async () => ((await panelBox())?.y ?? 0) > 600);
    expect(await tab.evaluate(() => document.body.getBoundingClientRect().right)).toBeLessThanOrEqual(800);
    await button('Stop').click();
    await told([700, 0, true]);
    await tab.reload();
    await told([700, 0, true]);
    // Nothing of the page is moved for a panel that is shut, or where there is no room for both.
    await tab.setViewportSize({ width: 390, height: 700 });
    await until(async () => ((await panelBox())?.y ?? 0) > 0);
    expect(await tab.evaluate(() => getComputedStyle(document.documentElement).marginRight)).toBe('0px');
  });

  test('of a rule that is there is written into its place, and not over what others wrote', async () => {
    await button('Edit (calm)').click();
    await text().fill('@needle calm { note: "Calm."; pages: path("/"); .x { color: teal; } }');
    await until(async () => (await looks('.x')) === teal);
    writeFileSync(join(directory, 'rules/a.css'), `${rules}/* Somebody else's. */\n`);
    await button('Write to rules/a.css').click();
    await panel.getByText('rules/a.css was changed in the meantime').waitFor();
    expect(written()).toBe(`${rules}/* Somebody else's. */\n`);
    await button('Cancel').click();
    await button('Edit (calm)').click();
    await text().fill('@needle calm { note: "Calm."; pages: path("/"); .x { color: teal; } }');
    await button('Write to rules/a.css').click();
    await panel.getByText('Changed calm in rules/a.css').waitFor();
    expect(written()).toBe(`${rules.replace('order: 2', 'color: teal')}/* Somebody else's. */\n`);
  });

  test('may give a rule another name, and no name of another one', async () => {
    await button('Edit (calm)').click();
    for (const name of ['quiet', 'quieter'])
      await text().fill(`@needle ${name} { note: "Calm."; pages: path("/"); .x { color: teal; } }`);
    await until(async () => (await looks('.x')) === teal);
    await text().fill('@needle lost { note: "Calm."; pages: path("/"); .x { color: red; } }');
    await panel.getByText('two rules').waitFor();
    await text().fill('@needle quieter { note: "Calm."; pages: path("/"); .x { order: 2; } }');
    await button('Write to rules/a.css').click();
    await panel.getByText('Changed quieter in rules/a.css').waitFor();
    expect(written()).toBe(rules.replace('calm', 'quieter'));
  });

  test.each([
    ['Pause', 'Paused calm in rules/a.css', rules.replace('calm { ', 'calm { paused: yes; ')],
    ['Delete', 'Deleted calm in rules/a.css', rules.replace(/\n@needle calm.*/, '')],
  ])('%s is one click, and so is taking it back', async (words, said, after) => {
    await button('Edit (calm)').click();
    await button(words).click();
    await panel.getByText(said).waitFor();
    expect(written()).toBe(after);
    await button('Undo').click();
    await panel.getByText(`Taken back: ${said}`).waitFor();
    expect(written()).toBe(rules);
  });

  test('Several changes are taken back one after the other, and a rule is opened in the editor', async () => {
    await button('Edit (calm)').click();
    await button('Open in editor').click();
    const told = join(directory, 'bin/code.told');
    await until(() => existsSync(told) && readFileSync(told, 'utf8').includes('a.css'));
    expect(readFileSync(told, 'utf8')).toContain(`${join(directory, 'rules/a.css')}:2:1`);
    await button('Pause').click();
    await panel.getByText('Paused calm in rules/a.css').waitFor();
    await button('Edit (lost)').click();
    await button('Delete').click();
    await panel.getByText('Deleted lost in rules/a.css').waitFor();
    await button('Undo').click();
    await panel.getByText('Taken back: Deleted lost').waitFor();
    await button('Undo').click();
    await panel.getByText('Taken back: Paused calm').waitFor();
    expect(written()).toBe(rules);
  });

  test('may be for a state', async () => {
    await point('.x');
    await panel.getByLabel('State').selectOption('scrolled');
    const own = panel.getByRole('textbox', { name: 'Another selector' });
    await own.fill('body.is-stuck .x');
    await panel.locator('.result .hit').waitFor();
    await button(/^Write to/).click();
    await panel.getByText(/^Added .* to rules.added\.css/).waitFor();
    expect(readFileSync(join(directory, 'rules/added.css'), 'utf8')).toContain('  state: scrolled;\n');
  });

  test('and every fix of what is found has a button', async () => {
    await button('Find fixes (lost)').click();
    await panel.locator('.fix-list .says').first().waitFor();
    await button(/^Apply: Replace \.lgoo by \.logo/).click();
    await panel.getByText('Replace .lgoo by .logo', { exact: true }).waitFor();
    expect(written()).toBe(rules.replace('.lgoo', '.logo'));
    await until(async () => (await looks('.logo', 'display')) === 'none');
  });

  test('is gone with its page, and told to other windows until then', async () => {
    await point('.x');
    await restyle('color: teal');
    await until(async () => (await looks('.x')) === teal);
    const { tab: second, panel: far } = await pageWithPanel(context, running.pages);
    await far.getByText('style-x is shown as another window has it').waitFor();
    await tab.goto('about:blank');
    await until(async () => (await looks('.x', 'color', second)) === 'rgb(0, 0, 0)');
  });
});
