import type { Page } from 'playwright-core';
import tables from '../../src/core/css/browser-tables.json' with { type: 'json' };
import { declarationFault, isDoubtful, longhandsOf } from '../../src/core/css/declaration.js';
import { longhandValue, undecided } from '../../src/core/css/value/expand.js';
import { valueLexer } from '../../src/core/css/value-definitions.js';
import type { Element } from '../../src/core/page/document.js';
import { describeInBrowser, noteFigure, runsOf } from '../helpers.js';
import { usesTab } from './chromium.js';
import { opened, viewport } from '../oracle/judge.js';
import { randomFrom, sampleOf } from '../oracle/value-samples.js';

const shorthands = Object.keys(tables.properties).filter((name) => name !== 'all' && longhandsOf(name).length > 1);

/** What such a font is, the machine tells: the verdict is not sure. */
const isSystemFont = (value: string) => /^(caption|icon|menu|message-box|small-caption|status-bar)$/i.test(value);

/** What is told apart though it looks the same, or the other way: `0` and `0px`, a prefixed name, depths of formulas. */
const neverTold =
  /^(-webkit-border-image|(border|-webkit-mask-box)-image(-outset)?|stroke-dashoffset|math-depth|scroll-marker-group|-webkit-box-reflect|app-region|dynamic-range-limit|font-palette)$/;

describeInBrowser('Shorthands give their longhands the values that Chromium gives them', () => {
  let page: Page;
  usesTab((given) => (page = given));

  /** What each value gives where our longhands and Chromium's compute to another value. */
  const differing = async (cases: [name: string, value: string][]) => {
    const expanded = cases.map(([name, value]) => ({
      name,
      value,
      longhands: longhandsOf(name).map((longhand): [string, string | null] => [
        longhand,
        longhandValue(name, value, longhand),
      ]),
    }));
    return page.evaluate((list) => {
      document.body.innerHTML = '<p style="color: teal"><i></i><b></b></p>';
      const [theirs, ours] = [...document.querySelectorAll<HTMLElement>('i, b')];
      if (!theirs || !ours) throw new Error('no elements');
      return list.flatMap(({ name, value, longhands }) => {
        theirs.style.cssText = ours.style.cssText = '';
        theirs.style.setProperty(name, value);
        for (const [longhand, text] of longhands) {
          // Only the old name takes "text" (CSS Masking 1, appendix).
          if (longhand === 'mask-clip') ours.style.setProperty('-webkit-mask-clip', text ?? '');
          ours.style.setProperty(longhand, text ?? '');
        }
        const differ = longhands.flatMap(([longhand, text]) => {
          const [one, other] = [theirs, ours].map((each) => getComputedStyle(each).getPropertyValue(longhand));
          return one === other && text !== null ? [] : [`${longhand} is ${one}, not ${text}`];
        });
        return differ.length > 0 ? [`${name}: ${value} – ${differ.join('; ')}`] : [];
      });
    }, expanded);
  };

  test('each that Chromium has, with its initial values and its initial value by name', async () => {
    const initial = tables.initial as Record<string, string>;
    const cases = shorthands.flatMap((name): [string, string][] => {
      const first = longhandsOf(name)[0] ?? '';
      return [initial[first] ?? '', 'none', 'normal', 'auto', 'initial', '1px', '1px 2px', '2', 'center']
        .filter((value) => value !== '')
        .map((value) => [name, value]);
    });
    const taken = await page.evaluate((list) => list.map(([name, value]) => CSS.supports(name, value)), cases);
    expect(await differing(cases.filter((_, index) => taken[index]))).toEqual([]);
  });

  const seed = Number(process.env['ORACLE_SEED'] ?? Math.floor(Math.random() * 2 ** 31));
  test(`with values written from the grammar at random (seed ${seed})`, async () => {
    valueLexer();
    const random = randomFrom(seed);
    const cases: [string, string][] = [];
    for (let index = 0; index < runsOf(400, 30_000); index++) {
      const name = shorthands[index % shorthands.length] ?? '';
      const sample = sampleOf(name, (_definition, _node, ways) => Math.floor(random() * ways.length), random);
      if (sample && !isSystemFont(sample.value) && declarationFault(name, sample.value) === null)
        cases.push([name, sample.value]);
    }
    const taken = await page.evaluate((list) => list.map(([name, value]) => CSS.supports(name, value)), cases);
    const valid = cases.filter((_, index) => taken[index]);
    const wrong = await differing(valid);
    noteFigure('shorthands', `${valid.length} values (seed ${seed}): ${wrong.length} differ`);
    expect(wrong).toEqual([]);
  });

  test('and values are the same as initial ones where Chromium computes the same', async () => {
    valueLexer();
    const random = randomFrom(seed);
    const names = Object.keys(tables.properties).filter((name) => name !== 'all');
    const written = Array.from({ length: runsOf(700, 20_000) }, (_, index): [string, string] => {
      const name = names[index % names.length] ?? '';
      const sample = sampleOf(name, (_definition, _node, ways) => Math.floor(random() * ways.length), random);
      return [name, sample?.value ?? 'initial'];
    });
    const plain = names.flatMap((name) =>
      'none normal auto 0 1 0s 0px 100% start currentcolor'.split(' ').map((value): [string, string] => [name, value]),
    );
    const decided = [...written, ...plain].filter(
      ([name, value]) =>
        !value.includes("'") &&
        !neverTold.test(name) &&
        declarationFault(name, value) === null &&
        !isDoubtful(name, value) &&
        undecided(name, value) === null,
    );
    const taken = await page.evaluate((list) => list.map(([name, value]) => CSS.supports(name, value)), decided);
    const cases = decided.filter((_, index) => taken[index]);
    const elements = cases.map(([name, value]) => `<b style='${name}: ${value}'>x</b>`).join('');
    const source = `<!doctype html><body class="page-1"><p style="color: teal"><b>x</b>${elements}</p>`;
    await page.setViewportSize(viewport);
    await page.setContent(source);
    const theirs = await page.evaluate(
      (lists) => {
        const [first, ...others] = [...document.querySelectorAll('b')];
        // Lengths as computed, not as laid out.
        const isLaidOut = /width|height|size|margin|inset|padding|^(top|left|right|bottom)$|origin/;
        const valueOf = (element: HTMLElement, name: string) => {
          const typed = isLaidOut.test(name) ? element.computedStyleMap().getAll(name) : [];
          return typed.length > 0 ? typed.map(String).join() : getComputedStyle(element).getPropertyValue(name);
        };
        return others.map((element, index) =>
          (lists[index] ?? []).map((name) => first !== undefined && valueOf(element, name) === valueOf(first, name)),
        );
      },
      cases.map(([name]) => longhandsOf(name)),
    );
    const { look } = opened(source);
    const [first, ...others] = look.document.elements.filter(({ tagName }) => tagName === 'b');
    const valueOf = (element: Element | undefined, name: string) => element && look.built.value(element, '', name);
    const wrong = cases.flatMap(([name, value], index) =>
      longhandsOf(name).flatMap((longhand, at) => {
        const [one, other] = [valueOf(others[index], longhand), valueOf(first, longhand)];
        return (one === other) === theirs[index]?.[at] ? [] : [`${name}: ${value}: ${longhand} is ${one} and ${other}`];
      }),
    );
    noteFigure('shorthands', `${cases.length} computed values: ${wrong.length} differ`);
    expect(wrong).toEqual([]);
  });
});
