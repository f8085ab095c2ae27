// Writes the last part of src/core/css/browser-tables.json, once the rest of it is built: values are written from the grammar at
// random, half of them broken, and where Chromium answers otherwise, the marks of those values are noted. What rules say of
// values with such a mark is not sure.
import { readFileSync, writeFileSync } from 'node:fs';
import { parse } from 'css-tree';
import { chromium } from 'playwright-core';
import { chromiumPath } from '../dist/src/browser/chromium.js';
import { declarationFault, isDoubtful } from '../dist/src/core/css/declaration.js';
import { valueLexer } from '../dist/src/core/css/value-definitions.js';
import { valueMarks } from '../dist/src/core/css/value-marks.js';
import { mutatedValue, randomFrom, sampleOf } from '../dist/tests/oracle/value-samples.js';

const samplesOfProperty = 1000;
/** A mark tells something if Chromium answers otherwise for so many of the values that have it. */
const leastShare = 0.1;
const path = new URL('../src/core/css/browser-tables.json', import.meta.url);
const text = readFileSync(path, 'utf8');
const names = Object.keys(JSON.parse(text).properties).filter((name) => name !== 'all');

valueLexer();
const random = randomFrom(20261126);
const isClosed = (value) => value.split('(').length === value.split(')').length && value.split('"').length % 2 === 1;
const samples = names.flatMap((name) =>
  Array.from({ length: samplesOfProperty }, (_, index) => {
    const sample = sampleOf(name, (_definition, _node, ways) => Math.floor(random() * ways.length), random);
    return sample && (index % 2 === 0 ? sample.value : mutatedValue(sample.value, random));
  })
    .filter((value) => value && isClosed(value))
    .map((value) => [name, value]),
);
const browser = await chromium.launch({ executablePath: chromiumPath(), args: ['--no-sandbox'] });
const page = await browser.newPage();
/** By property: each value's marks, and whether Chromium and the grammar differ. */
const seen = new Map();
for (let at = 0; at < samples.length; at += 20_000) {
  const part = samples.slice(at, at + 20_000);
  const taken = await page.evaluate((list) => list.map(([name, value]) => CSS.supports(name, value)), part);
  part.forEach(([name, value], index) => {
    const isOther = !isDoubtful(name, value) && (declarationFault(name, value) === null) !== taken[index];
    seen.set(name, [...(seen.get(name) ?? []), { value, isOther }]);
  });
}
await browser.close();

/** Names that the samples make up tell nothing. */
const isMadeUp = (mark) => /(^| )(foo|bar|bar-baz|a|--a|--b)( |$)/.test(mark);

/** The marks by which all values that differ are told, those first that occur in the fewest others. */
function marksOf(samples) {
  const found = [];
  const values = samples.flatMap(({ value, isOther }) => {
    try {
      return [{ isOther, marks: [...valueMarks(parse(value, { context: 'value' }))] }];
    } catch {
      return [];
    }
  });
  for (let left = values; left.some(({ isOther }) => isOther);) {
    const counts = new Map();
    for (const { marks, isOther } of left)
      for (const mark of marks) {
        const [other, all] = counts.get(mark) ?? [0, 0];
        counts.set(mark, [other + Number(isOther), all + 1]);
      }
    const [best] = [...counts]
      .filter(([mark, [other, all]]) => other > all * leastShare && !isMadeUp(mark))
      .sort(([, [a, allA]], [, [b, allB]]) => b / (allB + 2) - a / (allA + 2));
    if (!best) break;
    found.push(best);
    left = left.filter(({ marks }) => !marks.includes(best[0]));
  }
  return found;
}

const doubtful = {};
for (const [name, values] of seen) {
  if (!values.some(({ isOther }) => isOther)) continue;
  const found = marksOf(values);
  doubtful[name] = found.map(([mark]) => mark);
  const example = values.find(({ isOther }) => isOther).value;
  console.log(`${name}: ${found.map(([mark, [other, all]]) => `"${mark}" ${other}/${all}`).join(', ')}; as ${example}`);
}
const list = Object.entries(doubtful).map(([name, marks]) => `    ${JSON.stringify(name)}: ${JSON.stringify(marks)}`);
writeFileSync(
  path,
  text.replace(/"doubtfulMarks": \{[^}]*\}/, () => `"doubtfulMarks": {\n${list.join(',\n')}\n  }`),
);
