import { parse } from 'css-what';
import { mediaHolds } from '../../src/core/css/cascade/media.js';
import { supportsHolds } from '../../src/core/css/cascade/supports.js';
import { compareWeights, level, type Weight } from '../../src/core/css/cascade/weight.js';
import { declarationFault } from '../../src/core/css/declaration.js';
import { specificityOf } from '../../src/core/css/specificity.js';
import { canonical } from '../../src/core/css/value/canonical.js';
import { longhandValue } from '../../src/core/css/value/expand.js';
import { substitute } from '../../src/core/css/value/variables.js';

const viewport = { name: 'desktop', width: 1280, height: 800 };
const relative = {
  fontSize: () => 20,
  rootFontSize: () => 16,
  viewport,
  isDark: () => false,
  currentColor: () => 'currentcolor',
  base: null,
};

describe('Values', () => {
  test.each([
    ['#FFF', 'rgb(255, 255, 255)'],
    ['white', 'rgb(255, 255, 255)'],
    ['hsl(0 100% 50%)', 'rgb(255, 0, 0)'],
    ['rgb(1 2 3 / 50%)', 'rgba(1, 2, 3, 0.5)'],
    ['transparent', 'rgba(0, 0, 0, 0)'],
    ['CurrentColor', 'currentcolor'],
    ['1em', '20px'],
    ['1.5rem', '24px'],
    ['0em', '0'],
    ['10vw', '128px'],
    ['1in', '96px'],
    ['.50', '0.5'],
    ['500ms', '0.5s'],
    ['0.25turn', '90deg'],
    ['calc(1px + 2em)', '41px'],
    ['1PX SOLID Red', '1px solid rgb(255, 0, 0)'],
    ['translate( 1px,2px )', 'translate(1px, 2px)'],
  ])('%s computes to %s', (value, expected) => expect(canonical(value, relative)).toBe(expected));

  test.each([
    ['margin', '1px 2px', 'margin-left', '2px'],
    ['margin', '1px 2px 3px', 'margin-left', '2px'],
    ['border', '1px solid red', 'border-left-style', 'solid'],
    ['border', 'solid', 'border-top-width', '3px'],
    ['border', '0', 'border-image-source', 'none'],
    ['border-radius', '1px 2px / 3px', 'border-top-right-radius', '2px 3px'],
    ['font', "bold 16px/1.5 'A', serif", 'line-height', '1.5'],
    ['font', "bold 16px/1.5 'A', serif", 'font-weight', 'bold'],
    ['font', '400 16px serif', 'font-size', '16px'],
    ['background', 'url(a.png) no-repeat center / cover #fff', 'background-size', 'cover'],
    ['background', 'url(a.png) no-repeat center / cover #fff', 'background-color', '#fff'],
    ['background', 'red', 'background-image', 'none'],
    ['flex', '1', 'flex-basis', '0%'],
    ['flex', 'none', 'flex-shrink', '0'],
    ['flex', '2 30px', 'flex-basis', '30px'],
    ['list-style', 'none', 'list-style-type', 'none'],
    ['gap', '3px', 'column-gap', '3px'],
    ['overflow', 'hidden auto', 'overflow-y', 'auto'],
    ['white-space', 'pre-line', 'text-wrap-mode', 'wrap'],
    ['animation', 'glide 3s ease-in infinite', 'animation-name', 'glide'],
    ['text-decoration', 'underline dotted red', 'text-decoration-style', 'dotted'],
    ['grid', 'none', 'grid-auto-flow', 'row'],
    ['font', 'caption', 'font-size', null],
    ['margin', 'inherit', 'margin-top', 'inherit'],
  ])('%s: %s gives %s %s', (name, value, longhand, expected) =>
    expect(longhandValue(name, value, longhand)).toBe(expected),
  );

  test.each([
    ['1px solid var(--c)', '1px solid red'],
    ['var(--none, 3px)', '3px'],
    ['var(--none, var(--c))', 'red'],
    ['var(--none)', null],
    ['calc(1px + var(--n))', 'calc(1px + 2px)'],
  ])('%s with its variables is %s', (value, expected) => {
    const known: Record<string, string> = { '--c': 'red', '--n': '2px' };
    expect(substitute(value, (name) => known[name] ?? '')).toBe(expected);
  });

  test.each([
    ['padding', '-1px', false],
    ['margin', '-1px', true],
    ['line-height', '-1', false],
    ['z-index', '1.5', false],
    ['display', 'run-in', false],
    ['color', 'rgb(1 2 3 / .5)', true],
    ['width', 'anchor-size(width)', true],
    ['color', 'var(--x)', true],
    ['flex', '1 1 0', true],
    ['display', '-moz-box', false],
    ['colour', 'red', false],
  ])('%s: %s is kept by browsers: %s', (name, value, kept) =>
    expect(declarationFault(name, value) === null).toBe(kept),
  );
});

describe('Conditions', () => {
  test.each([
    ['', true],
    ['screen', true],
    ['print', false],
    ['not print', true],
    ['only screen and (min-width: 1280px)', true],
    ['(min-width: 1281px)', false],
    ['(width >= 80em)', true],
    ['(400px < width < 1280px)', false],
    ['(orientation: portrait), (hover)', true],
    ['(prefers-color-scheme: dark)', false],
    ['not (unknown-feature)', false],
    ['(aspect-ratio: 16/10)', true],
    ['(min-resolution: 2dppx)', false],
    ['(max-width: 50', false],
    ['(', false],
  ])('@media %s holds: %s', (list, holds) => expect(mediaHolds(list, viewport)).toBe(holds));

  test.each([
    ['(display: grid)', true],
    ['(display: grid) and (not (color: nonsense))', true],
    ['(foo: bar) or (gap: 1px)', true],
    ['selector(:has(a))', true],
    ['selector(:nonsense)', false],
    ['not ((display: grid))', false],
    ['(', false],
  ])('@supports %s holds: %s', (condition, holds) => expect(supportsHolds(condition)).toBe(holds));
});

describe('Weights', () => {
  test.each([
    ['#a .b c', [1, 1, 1]],
    [':is(.a, #b) c', [1, 0, 1]],
    [':where(#a) b', [0, 0, 1]],
    [':not(.a, b)', [0, 1, 0]],
    [':nth-child(2n of .a, #b)', [1, 1, 0]],
    ['a::before', [0, 0, 2]],
    ['[id=a]:hover', [0, 2, 0]],
    ['*', [0, 0, 0]],
  ])('%s weighs %j', (selector, expected) => expect(specificityOf(parse(selector)[0] ?? [])).toEqual(expected));

  const base: Weight = {
    level: level.author,
    shadow: false,
    inline: false,
    layer: Infinity,
    specificity: [0, 1, 0],
    proximity: Infinity,
    order: [0, 0],
  };
  test.each<[string, Partial<Weight>, Partial<Weight>, string]>([
    ['what is important over what is inline', { level: level.authorImportant }, { inline: true }, 'important'],
    ['the page over a shadow tree', {}, { shadow: true, specificity: [1, 0, 0] }, 'shadow'],
    [
      'what is important in a shadow tree over the page',
      { level: level.authorImportant, shadow: true },
      { level: level.authorImportant, inline: true },
      'shadow',
    ],
    ['an animation over what is inline', { level: level.animation }, { inline: true }, 'animation'],
    ['inline over an ID', { inline: true }, { specificity: [1, 0, 0] }, 'inline'],
    ['no layer over a layer', {}, { layer: 3, specificity: [1, 0, 0] }, 'layer'],
    ['a later layer', { layer: 2 }, { layer: 1 }, 'layer'],
    [
      'an earlier layer, if important',
      { layer: 1, level: level.authorImportant },
      { layer: 2, level: level.authorImportant },
      'layer',
    ],
    ['specificity over proximity', { specificity: [0, 2, 0] }, { proximity: 0 }, 'specificity'],
    ['the nearer scope over order', { proximity: 1 }, { proximity: 2, order: [1, 0] }, 'scope'],
    ['a later sheet', { order: [1, 0] }, { order: [0, 9] }, 'order'],
  ])('%s wins', (_name, stronger, weaker, step) => {
    const [a, b] = [
      { ...base, ...stronger },
      { ...base, ...weaker },
    ];
    expect(compareWeights(a, b).sign).toBeGreaterThan(0);
    expect(compareWeights(b, a).sign).toBeLessThan(0);
    expect(compareWeights(a, b).step).toBe(step);
  });
});
