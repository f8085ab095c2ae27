import fc from 'fast-check';

/** What parsers stumble over. */
const stumbles = [
  ...[
    '{',
    '}',
    '(',
    ')',
    '[',
    ']',
    ';',
    ':',
    '"',
    "'",
    '\\',
    '/*',
    '*/',
    '<!--',
    '-->',
    '</style>',
    '\u0000',
    '@',
    '&',
  ],
  ...[
    '!important',
    'var(--v)',
    ':is(',
    ':has(',
    '<',
    '>',
    '\n',
    ',',
    '#',
    '.',
    '\ud800',
    '\u202e',
    '%',
    '- ',
    '*a',
    '&a',
  ],
];

const mutation = fc.record({
  at: fc.nat({ max: 10_000 }),
  length: fc.nat({ max: 30 }),
  insert: fc.oneof(fc.constantFrom(...stumbles), fc.string({ maxLength: 4 })),
});

const mutations = fc.array(mutation, { minLength: 1, maxLength: 4 });

/** A text with one to four pieces of it cut, or replaced by what parsers stumble over. */
export const mutated = (text: string): fc.Arbitrary<string> =>
  mutations.map((list) =>
    list.reduce((now, { at, length, insert }) => {
      const start = at % (now.length + 1);
      return now.slice(0, start) + insert + now.slice(start + length);
    }, text),
  );

/** Values that are not what a reader asked for. */
const otherKinds: unknown[] = [
  null,
  1,
  -1,
  1e99,
  true,
  '',
  'x',
  '__proto__',
  '../../x',
  [],
  {},
  [[]],
  [null],
  { a: {} },
];

/** A value, such as that of a JSON file, in which one part is of another kind, or gone. */
export const withOtherKind = (value: unknown): fc.Arbitrary<unknown> =>
  fc
    .tuple(fc.nat(), fc.option(fc.constantFrom(...otherKinds), { freq: 4 }), fc.boolean())
    .map(([at, other, remove]) => {
      const copy: Record<string, unknown> = { whole: structuredClone(value) };
      const places: [holder: Record<string, unknown>, key: string][] = [];
      const walk = (holder: Record<string, unknown>) => {
        for (const key of Object.keys(holder)) {
          places.push([holder, key]);
          if (typeof holder[key] === 'object' && holder[key] !== null) walk(holder[key] as Record<string, unknown>);
        }
      };
      walk(copy);
      const [holder, key] = places[at % places.length] ?? ([copy, 'whole'] as const);
      if (remove && other === null && holder !== copy) delete holder[key];
      else holder[key] = other;
      return copy['whole'];
    });
