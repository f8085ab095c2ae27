// Writes src/core/css/browser-tables.json from the Chromium on this machine: which properties there are and the longhands
// that each stands for, their initial values and whether they are inherited, the values that it takes or refuses otherwise
// than css-tree's syntax data has it, which pseudo-classes and pseudo-elements a selector may hold, and what may follow a
// pseudo-element. Run: npm run tables
import { writeFileSync } from 'node:fs';
import { lexer, definitionSyntax } from 'css-tree';
import { chromium } from 'playwright-core';
import { chromiumPath } from '../dist/src/browser/chromium.js';
import { define, ownProperties, ownTypes } from '../dist/src/core/css/value-definitions.js';
import { knownFunctions, learnGrammar } from './value-grammar.mjs';

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

define({ types: ownTypes, properties: ownProperties });
const functions = knownFunctions();

/** Every keyword of css-tree's syntax data, and values of the common types. */
const keywords = new Set();
for (const { syntax } of [...Object.values(lexer.properties), ...Object.values(lexer.types)])
  if (syntax)
    definitionSyntax.walk(syntax, (node) => {
      if (node.type === 'Keyword' && /^-?[a-z][a-z-]*$/.test(node.name)) keywords.add(node.name);
    });
const probes =
  `0 1 -1 1.5 0.5 1px -1px 1em 10% -10% 1deg 1s -1s 100ms red #123 currentcolor rgb(1,2,3) "a" url(a.png) 1fr 1px,2px
  linear-gradient(red,blue) translate(1px) blur(2px) counter(x) some-ident`.split(/\s+/);
probes.push(
  // Newer than the syntax data.
  'base-select',
  '-webkit-center',
  '-webkit-left',
  '-webkit-right',
  '-webkit-match-parent',
  '1px 2px',
  '1px 2px 3px',
  '1px 2px 3px 4px',
  '1px / 2px',
  '1 / 2',
  'a b',
  '1px solid red',
  '"a" "b"',
  'red blue',
);
const values = [...new Set([...keywords, ...probes])].filter(
  (each) => !['inherit', 'initial', 'unset', 'revert', 'revert-layer'].includes(each) && !/^-(moz|ms|o)-/.test(each),
);

const browser = await chromium.launch({ executablePath: chromiumPath(), args: ['--no-sandbox'] });
const page = await browser.newPage();
const tables = await page.evaluate(
  ({ pseudoClasses, pseudoElements, needsArgument, values }) => {
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
    // Measured where nothing is laid out, so that computed values are reported rather than used ones.
    const outer = document.body.appendChild(document.createElement('x-a'));
    const inner = outer.appendChild(document.createElement('x-b'));
    outer.style.cssText = 'display: none; color: rgb(1, 2, 3)';
    const [outside, inside] = [getComputedStyle(outer), getComputedStyle(inner)];
    const initial = {};
    const inherited = [];
    const supported = {};
    for (const name of Object.keys(properties)) {
      supported[name] = values.filter((value) => CSS.supports(name, value));
      if (properties[name] !== 0) continue;
      inner.style.cssText = `${name}: initial`;
      const typed = inner.computedStyleMap().getAll(name).map(String).join(', ');
      initial[name] = (typed || inside.getPropertyValue(name)).replaceAll(
        'rgb(1, 2, 3)',
        name === 'color' ? 'rgb(0, 0, 0)' : 'currentcolor',
      );
      inner.style.cssText = '';
      for (const value of supported[name]) {
        outer.style.setProperty(name, value);
        const there = outside.getPropertyValue(name);
        inner.style.cssText = `${name}: initial`;
        if (there === inside.getPropertyValue(name)) continue;
        inner.style.cssText = '';
        if (there === inside.getPropertyValue(name)) inherited.push(name);
        break;
      }
      outer.style.cssText = 'display: none; color: rgb(1, 2, 3)';
    }
    const known = (marker) => (name) => {
      const plain = CSS.supports(`selector(${marker}${name})`);
      const called = needsArgument[name] && CSS.supports(`selector(${marker}${name}(${needsArgument[name]}))`);
      return plain || called;
    };
    const form = (name) =>
      needsArgument[name] ? `${name}(${/^(is|not|where)$/.test(name) ? ':hover' : needsArgument[name]})` : name;
    const follows = (element) => (text) => CSS.supports(`selector(::${form(element)}${text})`);
    const afterPseudoElements = Object.fromEntries(
      pseudoElements
        .filter(known('::'))
        .map((element) => [
          element,
          [
            ...pseudoClasses.filter((name) => follows(element)(`:${form(name)}`)).map((name) => `:${name}`),
            ...pseudoElements.filter((name) => follows(element)(`::${form(name)}`)).map((name) => `::${name}`),
          ],
        ]),
    );
    // What pseudo-elements take that are no boxes of their own.
    document.body.insertAdjacentHTML('beforeend', '<ul><li>x</ul>');
    const sheet = document.head.appendChild(document.createElement('style'));
    const [plain, item] = ['x-a', 'li'].map((each) => document.querySelector(each));
    outer.style.cssText = '';
    const takenIn = {};
    for (const element of 'first-line first-letter selection target-text spelling-error grammar-error marker'.split(
      ' ',
    )) {
      const own = getComputedStyle(item, `::${element}`);
      takenIn[element] = Object.keys(initial).filter((name) => {
        sheet.textContent = '';
        const [before, there] = [own.getPropertyValue(name), getComputedStyle(plain).getPropertyValue(name)];
        let isSeen = false;
        for (const value of supported[name]) {
          sheet.textContent = `x-a, li::${element} { ${name}: ${value} !important }`;
          if (own.getPropertyValue(name) !== before) return true;
          isSeen ||= getComputedStyle(plain).getPropertyValue(name) !== there;
        }
        // What no value shows is taken.
        return !isSeen;
      });
    }
    return {
      takenIn,
      properties,
      initial,
      inherited,
      supported,
      afterPseudoElements,
      pseudoClasses: pseudoClasses.filter(known(':')),
      pseudoElements: pseudoElements.filter(known('::')),
    };
  },
  { pseudoClasses, pseudoElements, needsArgument, values },
);
const { grammar, looseFunctions } = await learnGrammar(
  page,
  Object.keys(tables.properties).filter((name) => name !== 'all'),
);
const version = browser.version();
await browser.close();
/** Values that Chromium takes (+) or refuses (-) otherwise than css-tree does. */
const differences = {};
for (const [name, supported] of Object.entries(tables.supported)) {
  const takes = new Set(supported);
  const list = values.flatMap((value) => {
    const { error } = lexer.matchProperty(name, value);
    if (error && error.name !== 'SyntaxMatchError') return [];
    return takes.has(value) === !error ? [] : [(takes.has(value) ? '+' : '-') + value];
  });
  if (list.length > 0) differences[name] = list;
}
const object = (entries) =>
  `{\n${Object.entries(entries)
    .map(([name, value]) => `    ${JSON.stringify(name)}: ${JSON.stringify(value)}`)
    .join(',\n')}\n  }`;
const { properties, initial, inherited } = tables;
writeFileSync(
  new URL('../src/core/css/browser-tables.json', import.meta.url),
  `{\n  "chromium": "${version}",\n  "pseudoClasses": ${JSON.stringify(tables.pseudoClasses)},\n  "pseudoElements": ${JSON.stringify(tables.pseudoElements)},\n  "afterPseudoElements": ${object(Object.fromEntries(Object.entries(tables.afterPseudoElements).filter(([, list]) => list.length > 0)))},\n  "takenIn": ${object(tables.takenIn)},\n  "inherited": ${JSON.stringify(inherited)},\n  "properties": ${object(properties)},\n  "initial": ${object(initial)},\n  "differences": ${object(differences)},\n  "grammar": {\n  "types": ${object(grammar.types)},\n  "properties": ${object(grammar.properties)}\n  },\n  "doubtfulMarks": {},\n  "looseFunctions": ${JSON.stringify(looseFunctions)},\n  "functions": ${JSON.stringify(functions)}\n}\n`,
);
console.log(
  `Chromium ${version}: ${Object.keys(properties).length} properties, ${tables.pseudoClasses.length} pseudo-classes, ${tables.pseudoElements.length} pseudo-elements, ${Object.keys(differences).length} properties with values that css-tree reads otherwise, ${Object.keys({ ...grammar.types, ...grammar.properties }).length} definitions changed, ${looseFunctions.length} functions loose.`,
);
