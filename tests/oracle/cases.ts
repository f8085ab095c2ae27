import cssesc from 'cssesc';
import fc from 'fast-check';

/** A page with its stylesheets and one rule of ours, as text. */
export interface CascadeCase {
  /** Attributes of `html` and `body`, and what is in the body. */
  html: string;
  body: string;
  content: string;
  /** In the order of the page: in the head by `<style>` or by a link, or in the body. */
  sheets: { as: 'style' | 'link' | 'body'; media: string; css: string }[];
  /** The content of a `@needle` block. */
  rule: string;
}

const tag = fc.constantFrom('div', 'p', 'span', 'em', 'section');
const className = fc.constantFrom('a', 'b', 'c', 'd');
const classes = fc.uniqueArray(className, { maxLength: 3 }).map((list) => list.join(' '));

/** A declaration whose value nothing else has: who wins is reported by the computed value. */
const property = fc.constantFrom(
  'z-index',
  'z-index',
  'order',
  'color',
  'margin',
  'margin-top',
  'margin-inline-start',
  'margin-left',
  'padding',
  'padding-block',
  'padding-top',
  'border-color',
  'border-top-color',
  'border-top',
  'border',
  'background',
  'background-color',
  'text-indent',
  '--v',
  'outline-color',
  'flex',
  'flex-grow',
  'list-style-type',
  'list-style',
  'font-size',
  'display',
  'all',
);
interface Declared {
  property: string;
  important: boolean;
  odd: number;
}
const declaration: fc.Arbitrary<Declared> = fc.record({
  property,
  important: fc.boolean().map((yes) => yes),
  odd: fc.integer({ min: 0, max: 19 }),
});

/** Properties of the pool that are compared, as longhands. */
export const compared = [
  'z-index',
  'order',
  'color',
  'margin-top',
  'margin-left',
  'padding-top',
  'padding-bottom',
  'border-top-color',
  'border-left-color',
  'border-top-width',
  'border-top-style',
  'background-color',
  'background-image',
  'text-indent',
  '--v',
  'outline-color',
  'flex-grow',
  'flex-basis',
  'list-style-type',
  'font-size',
  'display',
];

const displays = ['block', 'inline', 'inline-block', 'flex', 'grid', 'none', 'contents', 'list-item', 'table-cell'];

function valueOf(name: string, odd: number, serial: number): string {
  const colour = `rgb(${serial % 256}, ${(serial >> 8) % 256}, ${odd})`;
  if (odd === 0) return 'inherit';
  if (odd === 1) return 'initial';
  if (odd === 2) return 'unset';
  if (odd === 3) return 'revert';
  if (odd === 4) return 'revert-layer';
  if (odd === 5) return 'not-a-value 3 red';
  switch (name) {
    case 'z-index':
    case 'order':
      return odd === 6 ? '1.5' : String(serial);
    case 'margin':
    case 'padding':
      return odd < 10 ? `${serial}px` : `${serial}px ${serial + 0.25}px ${serial + 0.5}px`;
    case 'border':
    case 'border-top':
      return odd < 10 ? `${(serial % 9) + 1}px solid ${colour}` : `dotted ${colour}`;
    case 'background':
      return odd < 10 ? colour : `url(x${serial}.png) no-repeat ${colour}`;
    case 'border-color':
      return odd < 10 ? colour : `${colour} red`;
    case 'flex':
      return odd < 10 ? String(serial) : `${serial} 1 ${serial}px`;
    case 'flex-grow':
      return String(serial);
    case 'list-style':
    case 'list-style-type':
      return odd < 10 ? '"' + serial + '"' : 'square';
    case 'font-size':
      return odd < 12 ? `${serial}px` : odd < 15 ? '1.5em' : '150%';
    case 'display':
      return displays[serial % displays.length] ?? 'block';
    case '--v':
      return `v${serial}`;
    case 'all':
      return 'unset';
    case 'color':
    case 'background-color':
    case 'border-top-color':
    case 'outline-color':
      return odd < 15
        ? colour
        : odd === 15
          ? 'currentcolor'
          : odd === 16
            ? `var(--v, ${colour})`
            : odd === 17
              ? 'var(--v)'
              : colour;
    default:
      return odd === 19 ? '1em' : `${serial}px`;
  }
}

const simple = fc.oneof(
  { weight: 6, arbitrary: className.map((name) => `.${name}`) },
  { weight: 3, arbitrary: tag },
  fc.constantFrom(
    '#i',
    '#j',
    '*',
    '[data-k]',
    '[data-k="V" i]',
    ':is(.a, #i)',
    ':is(.a, :unknown-thing)',
    '[title="&"]',
    ':not([title="a&b, > c"])',
    ':has(.c, > .a)',
    ':where(.a, #j)',
    ':not(.b)',
    ':not(.b, #i)',
    ':has(.c)',
    ':has(> .a)',
    ':has(+ p)',
    ':nth-child(2)',
    ':nth-child(1 of .a)',
    ':first-child',
    ':last-of-type',
    ':empty',
    '.a.b',
    'p.c',
    ':is(.a :not(em))',
    ':is(:unknown, .b)',
    ':root',
    'html',
    'body',
    '.dark .a',
    '*|p',
    '::before',
    ':scope',
  ),
);
const complex = fc.oneof(
  { weight: 4, arbitrary: simple },
  {
    weight: 3,
    arbitrary: fc
      .tuple(simple, fc.constantFrom(' ', ' > ', ' + ', ' ~ '), simple)
      .map(([one, combinator, two]) => (one === '::before' ? two : one + combinator + two)),
  },
);
const selectorList = fc.array(complex, { minLength: 1, maxLength: 2 }).map((list) => list.join(', '));
const nestedSelector = fc.oneof(
  complex,
  complex.map((each) => `& ${each}`),
  fc.constantFrom('&.b', '.c &', '> .b', '+ p', '&:not(.c)', '& &', ':is(&, .d)', '&'),
);

type Node =
  | { kind: 'style'; selector: string; content: (Declared | Node)[] }
  | { kind: 'at'; prelude: string; content: (Declared | Node)[] }
  | { kind: 'statement'; text: string };

const atRule = fc.constantFrom(
  '@media (min-width: 600px)',
  '@media (max-width: 600px)',
  '@media print, (orientation: landscape)',
  '@media not all',
  '@supports (display: grid)',
  '@supports (display: nonsense) or (not (color: red))',
  '@layer x',
  '@layer y',
  '@layer x.z',
  '@layer',
);
const scope = fc.constantFrom('@scope (.a)', '@scope (.a) to (.b)', '@scope (.b)', '@scope (div, #i) to (:scope > .c)');

const style = (selector: fc.Arbitrary<string>, content: fc.Arbitrary<(Declared | Node)[]>): fc.Arbitrary<Node> =>
  fc.record({ kind: fc.constant('style' as const), selector, content });
const at = (prelude: fc.Arbitrary<string>, content: fc.Arbitrary<(Declared | Node)[]>): fc.Arbitrary<Node> =>
  fc.record({ kind: fc.constant('at' as const), prelude, content });
const some = <T>(each: fc.Arbitrary<T>, most: number) => fc.array(each, { minLength: 1, maxLength: most });
const mostly = <T, U>(usual: fc.Arbitrary<T>, now: fc.Arbitrary<U>, weight = 6) =>
  fc.oneof({ weight, arbitrary: usual }, { weight: 1, arbitrary: now });

// Two levels of nesting and of at-rules; deeper ones say nothing new.
const innermost = fc.oneof(style(nestedSelector, some(declaration, 2)), at(atRule, some(declaration, 2)));
const nested = fc.oneof(
  style(nestedSelector, some(mostly(declaration, innermost), 3)),
  at(atRule, some(mostly(declaration, innermost), 3)),
);
const styleRule = style(selectorList, some(mostly(declaration, nested), 4));
const anyAtRule = mostly(atRule, scope, 3);
const around = at(anyAtRule, some(mostly(styleRule, at(anyAtRule, some(styleRule, 2)), 3), 2));
const ruleContent = some(mostly(styleRule, around, 3), 3);
const broken = fc
  .constantFrom('@layer y, x;', '@layer z;', '} ', 'nonsense;', '@unknown { .a { z-index: 1 } }', '.a..b { order: 1 }')
  .map((text): Node => ({ kind: 'statement', text }));
const sheet = some(fc.oneof({ weight: 6, arbitrary: styleRule }, { weight: 3, arbitrary: around }, broken), 5);

interface Tree {
  tag: string;
  classes: string;
  id: string;
  key: boolean;
  style: Declared[];
  children: Tree[];
}
const treeOf = (children: fc.Arbitrary<Tree[]>): fc.Arbitrary<Tree> =>
  fc.record({
    tag,
    classes,
    id: fc.constantFrom('', '', '', 'i', 'j'),
    key: fc.boolean(),
    style: mostly(fc.constant<Declared[]>([]), some(declaration, 2), 4),
    children,
  });
const leaf = treeOf(fc.constant([]));
const tree = treeOf(fc.array(treeOf(fc.array(leaf, { maxLength: 2 })), { maxLength: 2 }));

/** What a rule of ours refuses although a stylesheet may say it. */
const refusedInRules = (text: string) => /\*\||:unknown|not-a-value|1\.5\b|all:|: (revert|revert-layer)/.test(text);

/** Pages, stylesheets and rules; every value is one of a kind. */
export const cascadeCase: fc.Arbitrary<CascadeCase> = fc
  .record({
    dark: fc.boolean(),
    bodyClasses: classes,
    trees: fc.array(tree, { minLength: 1, maxLength: 3 }),
    sheets: fc.array(
      fc.record({
        as: fc.constantFrom('style' as const, 'style' as const, 'link' as const, 'body' as const),
        media: fc.constantFrom('', '', '', 'print', 'screen and (min-width: 500px)'),
        nodes: sheet,
      }),
      { minLength: 1, maxLength: 3 },
    ),
    ours: ruleContent,
    firm: fc.constantFrom(false, false, false, true),
  })
  .map(({ dark, bodyClasses, trees, sheets, ours, firm }) => {
    let serial = 10;
    const declared = ({ property: name, important, odd }: Declared) =>
      `${name}: ${valueOf(name, odd, ++serial)}${important && odd % 3 === 0 ? ' !important' : ''};`;
    const nodeText = (node: Declared | Node): string => {
      if ('property' in node) return declared(node);
      if (node.kind === 'statement') return node.text;
      return `${node.kind === 'style' ? node.selector : node.prelude} { ${node.content.map(nodeText).join(' ')} }`;
    };
    const treeText = ({ tag: name, classes: own, id, key, style, children }: Tree): string =>
      `<${name}${own && ` class="${own}"`}${id && ` id="${id}"`}${key ? ' data-k="v"' : ''}${style.length > 0 ? ` style='${style.map(declared).join(' ')}'` : ''}>${children.map(treeText).join('')}x</${name}>`;
    return {
      html: dark ? 'class="dark"' : '',
      body: `class="page-1 ${bodyClasses}"`,
      content: trees.map(treeText).join(''),
      sheets: sheets.map(({ as, media, nodes }) => ({ as, media, css: nodes.map(nodeText).join('\n') })),
      rule: `${firm ? 'important: yes; ' : ''}${ours.map(nodeText).join('\n')}`,
    };
  })
  .map((made) => (refusedInRules(made.rule) ? { ...made, rule: '.a { order: 3 }' } : made))
  .chain((made) =>
    fc
      .constantFrom(
        '',
        '',
        '',
        'md:w-1/2',
        'sm:p-1.5',
        'lg:w-[20rem]',
        'a&b',
        '2x',
        '@c',
        "it's",
        'q"',
        'u,v',
        '#>',
        'ü\\',
      )
      .map((name) => (name === '' ? made : withName(made, 'a', name))),
  );

/** A case in which a class has another name: one that CSS writes with escapes. */
function withName(made: CascadeCase, from: string, to: string): CascadeCase {
  const inHtml = to.replaceAll('&', '&amp;').replaceAll('"', '&quot;');
  const html = (text: string) =>
    text.replace(/ ?class="([^"]*)"/g, (all, list: string) =>
      all.replace(
        list,
        list
          .split(' ')
          .map((each) => (each === from ? inHtml : each))
          .join(' '),
      ),
    );
  const css = (text: string) =>
    text.replace(new RegExp(`\\.${from}(?![\\w-])`, 'g'), () => `.${cssesc(to, { isIdentifier: true })}`);
  const sheets = made.sheets.map((each) => ({ ...each, css: css(each.css) }));
  return { ...made, body: html(made.body), content: html(made.content), sheets, rule: css(made.rule) };
}

/** A length of a theme, a colour of it in a wide gamut, and what utility classes make of them. */
const themed = fc.constantFrom(
  'margin-inline: calc(var(--space) * 3)',
  'margin-block: var(--space-7)',
  'padding-inline: calc(var(--space) * 2) var(--space-3)',
  'padding-block-start: max(var(--space), 2px)',
  'color: var(--tone-4)',
  'color: color-mix(in oklab, var(--tone-12) 50%, transparent)',
  'background-color: color-mix(in srgb, var(--tone-30), white 40%)',
  'background-color: rgb(from var(--plain) r g b / 50%)',
  'border-color: oklch(62.3% 0.214 259.815)',
  'border: 1px solid var(--tone-9)',
  'font-size: var(--text-2, 1.25rem)',
  'font-size: clamp(1rem, 0.5rem + 2vw, 3rem)',
  'z-index: var(--level)',
  '--level: 3',
  '--space: 0.5rem',
  '--v: var(--tone-2)',
  'order: -9999',
  'flex: 1 1 0%',
  'display: inline-flex',
  'text-indent: calc(infinity * 0 * 1px + var(--space))',
  'outline-color: var(--none, var(--plain))',
);
const utility = fc.constantFrom(
  '.a',
  '.b',
  '.c',
  '.d',
  ':where(.a > :not(:last-child))',
  '.b:is(:where(.c) *)',
  '.c { &:not(.d) }',
  '.d { @media (width >= 40rem) }',
  '.a { &:is(.b, #i) { @supports (color: oklch(0 0 0)) } }',
  '*, ::before',
  '@container (width > 1px) { .a }',
  '.b { > * }',
);

/** A rule with its declarations in its innermost block. */
function utilityText(selector: string, list: string[]): string {
  const open = selector.split('{').length - 1;
  const [head = ''] = selector.split('}', 1);
  return `${head} { ${list.join('; ')} }${' }'.repeat(open)}`;
}

/** Pages with stylesheets in the manner of utility frameworks: layers, hundreds of custom properties, wide colours, logical properties. */
export const utilityCase: fc.Arbitrary<CascadeCase> = fc
  .record({
    base: cascadeCase,
    rules: fc.array(
      fc.tuple(
        utility,
        fc.array(themed, { minLength: 1, maxLength: 3 }),
        fc.constantFrom('base', 'components', 'utilities', ''),
      ),
      {
        minLength: 3,
        maxLength: 9,
      },
    ),
    ours: fc.array(fc.tuple(fc.constantFrom('.a', '.b .c', '.d', 'p', 'div > *'), themed), {
      minLength: 1,
      maxLength: 3,
    }),
    firm: fc.boolean(),
  })
  .map(({ base, rules, ours, firm }) => {
    const tones = Array.from(
      { length: 120 },
      (_, index) =>
        `--tone-${index}: oklch(${(index * 7) % 100}% ${((index % 5) / 20).toFixed(2)} ${index * 3}); --space-${index}: calc(var(--space) * ${index})`,
    );
    const css = `@layer theme, base, components, utilities;
@property --level { syntax: "<integer>"; inherits: false; initial-value: 1 }
@layer theme { :root, :host { --space: 0.25rem; --plain: #369; ${tones.join('; ')} } }
${rules.map(([selector, list, layer]) => (layer === '' ? utilityText(selector, list) : `@layer ${layer} { ${utilityText(selector, list)} }`)).join('\n')}`;
    return {
      ...base,
      sheets: [{ as: 'style', media: '', css }, ...base.sheets.slice(0, 1)],
      rule: `${firm ? 'important: yes; ' : ''}${ours.map(([selector, one]) => `${selector} { ${one} }`).join(' ')}`,
    };
  });
