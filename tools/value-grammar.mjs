// Corrects css-tree's grammar of values by what Chromium takes: values are written from the grammar at random, and an
// alternative, a repetition or a negative number of which Chromium takes no value at all is taken out of its definition.
import { definitionSyntax, lexer } from 'css-tree';
import { numbered, randomFrom, sampleOf } from '../dist/tests/oracle/value-samples.js';

const rounds = 8;
/** From this round on, most of what is refused has one reason. */
const strictRounds = 4;
const samplesOfProperty = 200;
/** So many values must be refused because of one way before it is taken out. */
const leastRefused = 5;

const share = (list) => (list.length === 0 ? 0 : list.filter(Boolean).length / list.length);
const keyOf = ({ definition, node, way }) => `${definition} ${node} ${way}`;

const placeOf = (definition) =>
  definition.startsWith('<') ? [lexer.types, definition.slice(1, -1)] : [lexer.properties, definition];

/** Types that stand for one number or another: their ranges differ from place to place, so they are written out. */
const inlined = ['length-percentage', 'angle-percentage', 'time-percentage', 'number-percentage', 'alpha-value'];

/** Returns the definitions whose ranges count only so. */
function writeOut() {
  const ranged = new Set();
  for (const table of [lexer.types, lexer.properties])
    for (const [name, { syntax }] of Object.entries(table)) {
      if (!syntax || inlined.includes(name)) continue;
      const text = definitionSyntax.generate(syntax);
      const plain = text.replace(/<([\w-]+)( \[[^\]]*\])?>/g, (all, type, range = '') => {
        const syntax = inlined.includes(type) ? lexer.types[type]?.syntax : undefined;
        // css-tree reads no range of such a type.
        return syntax ? `[ ${definitionSyntax.generate(syntax).replace(/>/g, `${range}>`)} ]` : all;
      });
      if (plain === text) continue;
      if (/<[\w-]+ \[[^\]]*\]>/.test(text)) ranged.add(table === lexer.types ? `<${name}>` : name);
      if (table === lexer.types) lexer.addType_(name, plain);
      else lexer.addProperty_(name, plain);
    }
  return ranged;
}

/** Changes definitions in css-tree's lexer; returns those that differ now, as `{ types, properties }`. */
export async function learnGrammar(page, names) {
  const changed = writeOut();
  const random = randomFrom(20261125);
  for (let round = 0; round < rounds; round++) {
    const seen = new Map();
    // Ways that were written less often come first, half of the time.
    const choose = (definition, node, ways) => {
      if (random() < 0.5) return Math.floor(random() * ways.length);
      const counts = ways.map((way) => seen.get(keyOf({ definition, node, way })) ?? 0);
      return counts.indexOf(Math.min(...counts));
    };
    const samples = [];
    for (const name of names)
      for (let index = 0; index < samplesOfProperty; index++) {
        const sample = sampleOf(name, choose, random);
        if (!sample) break;
        for (const choice of sample.choices) seen.set(keyOf(choice), (seen.get(keyOf(choice)) ?? 0) + 1);
        samples.push({ ...sample, name });
      }
    const taken = [];
    for (let at = 0; at < samples.length; at += 20_000)
      taken.push(
        ...(await page.evaluate(
          (list) => list.map(([name, value]) => CSS.supports(name, value)),
          samples.slice(at, at + 20_000).map(({ name, value }) => [name, value]),
        )),
      );
    // In a shorthand the value of one property may be taken as that of another.
    const sampled = new Set(samples.map(({ name }) => name));
    const results = new Map();
    samples.forEach(({ choices, name }, index) => {
      for (const key of new Set(
        choices.filter(({ definition }) => definition === name || !sampled.has(definition)).map(keyOf),
      ))
        results.set(key, [...(results.get(key) ?? []).slice(-200), taken[index]]);
    });
    const isGood = (list) => (round < strictRounds ? share(list) > 0 : share(list) > 0.03 || list.length < 30);
    const good = new Set([...results].filter(([, list]) => isGood(list)).map(([key]) => key));
    const blamed = blamedFor(
      samples
        .filter((_, index) => !taken[index])
        .map(({ choices }) => choices.filter((choice) => !good.has(keyOf(choice)))),
    );
    const byDefinition = new Map();
    for (const { choice, count } of blamed.values())
      if (count >= leastRefused)
        byDefinition.set(choice.definition, [...(byDefinition.get(choice.definition) ?? []), choice]);
    let cuts = 0;
    for (const [definition, choices] of byDefinition) {
      const [table, name] = placeOf(definition);
      const cut = without(table[name].syntax, choices);
      if (!cut) continue;
      cuts += choices.length;
      const text = definitionSyntax.generate(cut);
      if (table === lexer.types) lexer.addType_(name, text);
      else lexer.addProperty_(name, text);
      changed.add(definition);
    }
    const refused = taken.filter((each) => !each).length;
    console.log(`Round ${round + 1}: ${samples.length} values, ${refused} refused, ${cuts} ways taken out.`);
    if (cuts === 0) break;
  }
  const textsOf = (isType) =>
    Object.fromEntries(
      [...changed]
        .filter((definition) => definition.startsWith('<') === isType)
        .sort()
        .map((definition) => {
          const [table, name] = placeOf(definition);
          return [name, definitionSyntax.generate(table[name].syntax)];
        }),
    );
  return {
    grammar: { types: textsOf(true), properties: textsOf(false) },
    looseFunctions: await looseFunctions(page, names, random),
  };
}

/**
 * The ways to blame for values that were refused: `lists` are the ways in each of which no value was taken. A way that only
 * occurs inside of another is innocent; where two are left, the value tells nothing.
 */
function blamedFor(lists) {
  const [counts, together] = [new Map(), new Map()];
  const plain = lists.map((list) => [...new Map(list.map((choice) => [keyOf(choice), choice])).entries()]);
  for (const list of plain)
    for (const [key] of list) {
      counts.set(key, (counts.get(key) ?? 0) + 1);
      for (const [other] of list)
        if (other !== key) together.set(`${key}\n${other}`, (together.get(`${key}\n${other}`) ?? 0) + 1);
    }
  const isInside = (key, other, isLater) =>
    together.get(`${key}\n${other}`) === counts.get(key) && (counts.get(other) > counts.get(key) || isLater);
  const blamed = new Map();
  for (const list of plain) {
    const left = list.filter(
      ([key], at) => !list.some(([other], index) => index !== at && isInside(key, other, at > index)),
    );
    const [only] = left;
    if (left.length !== 1) continue;
    const known = blamed.get(only[0]) ?? { choice: only[1], count: 0 };
    blamed.set(only[0], { ...known, count: known.count + 1 });
  }
  return blamed;
}

const group = (combinator, terms) => ({ type: 'Group', combinator, terms, disallowEmpty: false });

/** A definition without some of its ways; null where nothing would be left. */
function without(syntax, choices) {
  const ids = numbered(syntax);
  const waysOf = (node) => new Set(choices.filter((each) => each.node === ids.get(node)).map(({ way }) => way));
  const copy = (node) => {
    const ways = waysOf(node);
    if (node.type === 'Group') {
      const isChoice = node.combinator === '|' || node.combinator === '||';
      const terms = node.terms.flatMap((term, index) => (isChoice && ways.has(index) ? [] : [copy(term)]));
      return terms.length === 0 || terms.includes(null) ? null : { ...node, terms };
    }
    if (node.type === 'Multiplier') {
      const term = copy(node.term);
      const min = ways.has('none') ? 1 : node.min;
      const max = ways.has('more') ? Math.max(min, 1) : node.max;
      return term === null ? null : min === 1 && max === 1 ? term : { ...node, term, min, max };
    }
    const within = (min, max) => ({ ...node, opts: { type: 'Range', min, max } });
    const most = node.opts?.max ?? null;
    if (ways.has('zero') && !ways.has('negative') && !(node.opts?.min >= 0))
      return { ...group('|', [within(null, -1), within(1, most)]), explicit: true };
    if (ways.has('negative') || ways.has('zero')) return within(ways.has('zero') ? 1 : 0, most);
    return node;
  };
  return copy(syntax);
}

/** Functions of everyday use, that are refused for what stands beside them. */
const everyday = ['url', 'repeat', 'minmax'];

/** Functions of whose values Chromium still refuses more than one in thirty: there the grammar alone does not tell. */
async function looseFunctions(page, names, random) {
  const samples = names.flatMap((name) =>
    Array.from({ length: 150 }, () =>
      sampleOf(name, (_definition, _node, ways) => Math.floor(random() * ways.length), random),
    )
      .filter(Boolean)
      .map(({ value }) => [name, value]),
  );
  const taken = await page.evaluate((list) => list.map(([name, value]) => CSS.supports(name, value)), samples);
  const found = [];
  for (;;) {
    const byFunction = new Map();
    samples.forEach(([, value], index) => {
      const used = new Set([...value.matchAll(/(-?[a-z][\w-]*)\(/gi)].map(([, each]) => each.toLowerCase()));
      if (!found.some((each) => used.has(each)))
        for (const each of used) byFunction.set(each, [...(byFunction.get(each) ?? []), taken[index]]);
    });
    const [worst] = [...byFunction]
      .filter(([name, list]) => !everyday.includes(name) && list.length >= 50 && share(list) < 0.97)
      .sort(([, a], [, b]) => share(a) - share(b));
    if (!worst) return found.sort();
    found.push(worst[0]);
  }
}

/** The names of all functions that the grammar knows. */
export function knownFunctions() {
  const found = new Set();
  for (const table of [lexer.types, lexer.properties])
    for (const { syntax } of Object.values(table))
      if (syntax)
        definitionSyntax.walk(syntax, (node) => node.type === 'Function' && found.add(node.name.toLowerCase()));
  return [...found].sort();
}
