import type { Page as BrowserPage } from 'playwright-core';
import { canonical } from '../../src/core/css/value/canonical.js';
import { oneSpelling } from '../../src/core/css/value/spelling.js';
import type { CascadeCase } from './cases.js';
import { computed, inChromium, sourceOf } from './judge.js';

const relative = {
  fontSize: () => 16,
  rootFontSize: () => 16,
  viewport: { width: 1000, height: 700 },
  isDark: () => false,
  currentColor: () => 'currentcolor',
  base: null,
};
/** Wide colours to two digits: where the last ones come from, no page shows. */
const rounded = (value: string) =>
  value.replace(/\b(?:ok)?(?:lab|lch)\([^()]*\)/g, (colour) =>
    colour.replace(/-?\d*\.?\d+(?:e-?\d+)?/g, (number) => String(Math.abs(Number(Number(number).toFixed(2))))),
  );
/** A computed value of ours or of Chromium, so that two that are the same are the same text. */
export const plain = (name: string, value: string) =>
  name === '--v' ? value.trim() : rounded(oneSpelling(name, canonical(value, relative)));

/** What differs between our values and Chromium's, as text; null if nothing does. */
export async function differences(page: BrowserPage, cases: CascadeCase[]): Promise<(string | null)[]> {
  const ours = cases.map(computed);
  const theirs = await inChromium(
    page,
    cases.map((each, index) => sourceOf(each, `<style>${ours[index]?.css ?? ''}</style>`)),
  );
  return ours.map(({ values, faults }, index) => {
    if (faults.length > 0) return `the rule was refused: ${faults.join('; ')}`;
    const found = theirs[index] ?? [];
    if (found.length !== values.length) return `${values.length} elements, and ${found.length} in Chromium`;
    for (const [at, own] of values.entries()) {
      for (const [name, value] of Object.entries(own)) {
        const other = plain(name, found[at]?.[name] ?? '');
        if (plain(name, value) !== other) return `element ${at}, ${name}: ${value}, and ${other} in Chromium`;
      }
    }
    return null;
  });
}
