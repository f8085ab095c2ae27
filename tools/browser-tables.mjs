// Writes src/core/css/browser-tables.json from the Chromium on this machine: which properties there are and the longhands
// that each stands for, and which pseudo-classes and pseudo-elements a selector may hold. Run: npm run tables
import { writeFileSync } from 'node:fs';
import { chromium } from 'playwright-core';
import { chromiumPath } from '../dist/src/browser/chromium.js';

/** Names tried on Chromium; those it does not know are left out of the table. */
const pseudoClasses =
  `active any-link autofill blank checked closed current default defined dir disabled empty enabled first first-child
  first-of-type focus focus-visible focus-within fullscreen future has has-slotted host host-context hover in-range
  indeterminate invalid is lang last-child last-of-type left link local-link modal muted not nth-child nth-col
  nth-last-child nth-last-of-type nth-of-type only-child only-of-type open optional out-of-range past paused
  picture-in-picture placeholder-shown playing popover-open read-only read-write required right root scope seeking
  stalled state target target-current target-within user-invalid user-valid valid visited volume-locked where
  -webkit-any-link -webkit-autofill active-view-transition interest-source`.split(/\s+/);
const pseudoElements = `after backdrop before cue details-content file-selector-button first-letter first-line
  grammar-error highlight marker part placeholder selection slotted spelling-error target-text view-transition
  -webkit-scrollbar -webkit-scrollbar-thumb -webkit-scrollbar-track -webkit-slider-thumb -webkit-search-cancel-button
  -webkit-file-upload-button -webkit-inner-spin-button -webkit-details-marker -webkit-meter-bar -webkit-progress-bar
  -webkit-calendar-picker-indicator checkmark picker-icon scroll-marker column`.split(/\s+/);
const needsArgument = {
  dir: 'ltr',
  has: 'a',
  host: 'a',
  'host-context': 'a',
  is: 'a',
  lang: 'en',
  not: 'a',
  where: 'a',
  state: 'a',
  'nth-child': '1',
  'nth-col': '1',
  'nth-last-child': '1',
  'nth-last-of-type': '1',
  'nth-of-type': '1',
  highlight: 'a',
  part: 'a',
  slotted: 'a',
  cue: null,
};

const browser = await chromium.launch({ executablePath: chromiumPath(), args: ['--no-sandbox'] });
const page = await browser.newPage();
const tables = await page.evaluate(
  ({ pseudoClasses, pseudoElements, needsArgument }) => {
    const style = document.createElement('div').style;
    const names = new Set();
    for (const key in style) {
      const name = key.replace(/[A-Z]/g, (letter) => '-' + letter.toLowerCase()).replace(/^(webkit|moz)-/, '-$1-');
      if (CSS.supports(name, 'initial')) names.add(name);
    }
    names.add('float');
    names.delete('css-float');
    const properties = {};
    for (const name of [...names].sort()) {
      style.cssText = `${name}: initial`;
      const longhands = name === 'all' ? [] : [...style];
      properties[name] = longhands.length === 1 && longhands[0] === name ? 0 : longhands;
    }
    const known = (marker) => (name) => {
      const plain = CSS.supports(`selector(${marker}${name})`);
      const called = needsArgument[name] && CSS.supports(`selector(${marker}${name}(${needsArgument[name]}))`);
      return plain || called;
    };
    return {
      properties,
      pseudoClasses: pseudoClasses.filter(known(':')),
      pseudoElements: pseudoElements.filter(known('::')),
    };
  },
  { pseudoClasses, pseudoElements, needsArgument },
);
const version = browser.version();
await browser.close();
const lines = Object.entries(tables.properties).map(
  ([name, longhands]) => `    ${JSON.stringify(name)}: ${JSON.stringify(longhands)}`,
);
writeFileSync(
  new URL('../src/core/css/browser-tables.json', import.meta.url),
  `{\n  "chromium": "${version}",\n  "pseudoClasses": ${JSON.stringify(tables.pseudoClasses)},\n  "pseudoElements": ${JSON.stringify(tables.pseudoElements)},\n  "properties": {\n${lines.join(',\n')}\n  }\n}\n`,
);
console.log(
  `Chromium ${version}: ${lines.length} properties, ${tables.pseudoClasses.length} pseudo-classes, ${tables.pseudoElements.length} pseudo-elements.`,
);
