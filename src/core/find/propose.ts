import cssesc from 'cssesc';
import { attribute, type Element, type PageDocument } from '../page/document.js';
import { compileMatcher } from '../page/elements.js';
import { positionOf, standingOf } from '../page/family.js';
import { parentOf } from '../page/document.js';
import { classesOf } from './describe.js';

/** A proposed selector, with its score and counts. */
export interface Proposal {
  selector: string;
  /** Elements that it matches on this page. */
  here: number;
  reason: string;
}

interface Candidate {
  selector: string;
  /** Lower is better: what could change under it counts against it. */
  cost: number;
  reason: string;
}

const byCost = (a: { cost: number }, b: { cost: number }) => a.cost - b.cost;

/** Names that a build tool generates: long runs of mixed letters and digits, or a hash behind a hyphen. */
export function looksGenerated(name: string): boolean {
  return (
    /^(?=.*\d)(?=.*[a-z])[a-z0-9]{8,}$/i.test(name) ||
    /(^|[-_])(?=[a-z0-9]*\d)(?=[a-z0-9]*[a-z])[a-z0-9]{5,}$/i.test(name) ||
    /^[a-z]{1,3}[-_]?\d{3,}$/i.test(name) ||
    /^(ember|react|ext-gen|yui_|uid)[-_\d]/i.test(name)
  );
}

/** Selectors of more letters are hard to read. */
const manyLetters = 60;
const lengthCost = ({ length }: string) => length / 40 + Math.max(0, length - manyLetters) / 10;

/** What counts against a class that names a look: that it says nothing of the thing. */
const lookCost = 7;

const identifier = (text: string) => cssesc(text, { isIdentifier: true });
const quoted = (text: string) => cssesc(text, { quotes: 'double', wrap: true });
/** Classes that name a temporary state. */
const isState = (name: string) =>
  /^(is|has)-|^(active|current|open|selected|hover|focus|visible|hidden|disabled)$/i.test(name);
const isSteady = (name: string) => !looksGenerated(name) && !isState(name);

/** Whether a class names a look (look-classes.ts). */
type IsLook = (className: string) => boolean;

/** Whether a selector matches several elements of another page (elsewhere.ts). */
type IsSeveral = (selector: string) => boolean;
/** What that counts against a selector. */
const severalElsewhere = 4;

/** Attributes that tell what an element is for, with what each counts against a selector; others' texts may be translated. */
const telling: Record<string, number> = {
  ...{ name: 3.2, for: 3.2, href: 3.2, action: 3.2, 'aria-controls': 3.1, role: 3.4, type: 3.5, src: 3.6 },
  ...{ alt: 3.8, placeholder: 3.8, title: 3.8, value: 3.9, 'aria-label': 4.2 },
};
const mostValue = 60;
/** Values longer than this are told by their ends too. */
const longValue = 24;
/** Parts of a page that there are few of: their tags are names. */
const landmarks = /^(header|footer|nav|main|aside|form)$/;

/** Compounds for an element, without its position. */
function ownNames(element: Element, isLook: IsLook): Candidate[] {
  const tag = identifier(element.tagName);
  const found: Candidate[] = [];
  const id = attribute(element, 'id');
  if (id && !looksGenerated(id)) found.push({ selector: `#${identifier(id)}`, cost: 1, reason: 'its ID' });
  else if (id)
    found.push({ selector: `#${identifier(id)}`, cost: 9, reason: 'its ID, which looks generated and may change' });
  const classes = classesOf(element);
  for (const name of classes) {
    const [cost, reason] = looksGenerated(name)
      ? [9, 'its class, which looks generated and may change']
      : isLook(name)
        ? [lookCost, 'its class, which names a look rather than a thing']
        : isState(name)
          ? [5, 'a state class, which may come and go']
          : [2, 'its class'];
    found.push(
      { selector: `.${identifier(name)}`, cost, reason },
      { selector: `${tag}.${identifier(name)}`, cost: cost + 0.6, reason },
    );
  }
  const steady = classes.filter((name) => isSteady(name) && !isLook(name));
  if (steady.length > 1)
    found.push({
      selector: steady
        .slice(0, 3)
        .map((name) => `.${identifier(name)}`)
        .join(''),
      cost: 2.4,
      reason: 'its combined classes',
    });
  for (const { name, value } of element.attrs) {
    const cost = /^data-(?!local-needle)[\w-]+$/.test(name) ? 3 : telling[name];
    if (cost === undefined || value.length > mostValue || looksGenerated(value)) continue;
    const test = value === '' ? `[${name}]` : `[${name}=${quoted(value)}]`;
    if (value !== '' || cost === 3) found.push({ selector: tag + test, cost, reason: `its ${name} attribute` });
    const ends = value.length > longValue ? [/[/#][^/#]{3,}$/, /\.[^/#.]{6,}$/].map((end) => end.exec(value)?.[0]) : [];
    for (const end of /^(href|src|action)$/.test(name) ? ends.filter((each) => each !== undefined) : [])
      found.push({
        selector: `${tag}[${name}$=${quoted(end)}]`,
        cost,
        reason: `the end of its ${name} attribute`,
      });
  }
  found.push({ selector: tag, cost: landmarks.test(tag) ? 2.9 : 4, reason: 'its element name' });
  return found;
}

/** What counts against an element that is told by an ID close to it alone. */
const onlyNear = 2;

/** An element by an ID close to it: of what stands before it, or of a heading that it begins with; also of an anchor in these. */
function byNearId(element: Element, isLook: IsLook): Candidate[] {
  const tag = identifier(element.tagName);
  const [word] = classesOf(element).filter((name) => isSteady(name) && !isLook(name));
  const { previous } = standingOf(element);
  const first = firstIn(element);
  const [before, inBefore] = [steadyId(previous), steadyId(previous && firstIn(previous))];
  const begins = steadyId(first) ?? steadyId(first && firstIn(first));
  const found: Candidate[] = [];
  if (before) found.push({ selector: `${before} + ${tag}`, cost: 3.1, reason: 'the ID of what stands before it' });
  else if (previous && inBefore) {
    const selector = `${identifier(previous.tagName)}:has(> ${inBefore}) + ${tag}`;
    found.push({ selector, cost: 3.2, reason: 'an ID in what stands before it' });
  }
  if (begins) {
    const selector = `${word ? `.${identifier(word)}` : tag}:has(${begins})`;
    found.push({ selector, cost: 3.2, reason: 'the ID that it begins with' });
  }
  return found;
}

const firstIn = (element: Element) => element.childNodes.find((each) => 'tagName' in each) ?? null;

function steadyId(element: Element | null): string | null {
  const id = element && attribute(element, 'id');
  return id && !looksGenerated(id) ? `#${identifier(id)}` : null;
}

/** Elements inside that are looked at for what tells the outer one, and selectors that are made of them. */
const mostInside = 40;
/** Parts of a path to it, the empty one before its first step among them. */
const mostPath = 3;

/** An element by something inside of it: anywhere, or at its place there, where one around the element holds it too. */
function byInside(element: Element, isLook: IsLook): Candidate[] {
  const tag = identifier(element.tagName);
  const inside: { element: Element; path: string }[] = [];
  const visit = (node: Element, path: string) => {
    for (const child of node.childNodes)
      if ('tagName' in child && inside.length < mostInside) {
        inside.push({ element: child, path });
        visit(child, `${path}${identifier(child.tagName)} > `);
      }
  };
  visit(element, '> ');
  return inside.flatMap(({ element: each, path }) =>
    ownNames(each, isLook)
      .filter(({ cost }) => cost < 3.9)
      .flatMap(({ selector, cost, reason }) =>
        (path.split('>').length > mostPath ? [''] : ['', path]).map((way) => ({
          selector: `${tag}:has(${way}${selector})`,
          cost: 3 + cost + (way ? 0.3 : 0),
          reason: `what is inside: ${reason.replace(/^its /, 'the ')} of an element there`,
        })),
      ),
  );
}

/** Maximum number of proposals, and of ancestors used. */
const most = 4;
const mostAncestors = 12;
const mostByPosition = 2;
const mostSteps = 10;

/**
 * Selectors that match this element and no other on the page, best first: short, not tied to a position or to a name that
 * looks generated, and right on the site's other pages too. Where position is all there is, the right `:nth-of-type` or
 * `:nth-child` from the nearest named ancestor.
 */
export function propose(
  element: Element,
  document: PageDocument,
  isLook: IsLook = () => false,
  isSeveral: IsSeveral = () => false,
): Proposal[] {
  const soleOf = (candidates: Candidate[]): (Proposal & { cost: number; several: boolean })[] =>
    candidates.flatMap(({ selector, cost, reason }) => {
      const elements = compileMatcher(selector)(document);
      if (elements.length !== 1 || elements[0] !== element) return [];
      const several = isSeveral(selector);
      return [
        {
          ...{ selector, here: 1, several },
          reason: several ? `${reason}; several on other pages` : reason,
          cost: cost + lengthCost(selector) + (several ? severalElsewhere : 0),
        },
      ];
    });
  const own = ownNames(element, isLook);
  const found = soleOf([...own, ...byNearId(element, isLook).map((each) => ({ ...each, cost: each.cost + onlyNear }))]);
  let ancestor = parentOf(element);
  for (
    let depth = 0;
    ancestor && ancestor.tagName !== 'body' && depth < mostAncestors;
    depth++, ancestor = parentOf(ancestor)
  ) {
    if (found.some(({ cost, several }) => cost < Math.min(4 + depth, 6) && !several)) break;
    const names = [...ownNames(ancestor, isLook), ...byNearId(ancestor, isLook)].filter(({ cost }) => cost < 3.3);
    const inside = names.flatMap((above) =>
      own
        .filter(({ cost }) => cost < 5 || cost === lookCost)
        .map((each): Candidate => ({
          selector: `${above.selector} ${each.selector}`,
          cost: above.cost + each.cost + depth * 0.3,
          reason: `${each.reason}, inside ${above.selector}`,
        })),
    );
    found.push(...soleOf(inside.sort(byCost).slice(0, 24)));
  }
  if (!found.some(({ cost }) => cost < 5)) found.push(...soleOf(byInside(element, isLook)).sort(byCost).slice(0, 2));
  if (!found.some(({ cost }) => cost < 7))
    found.push(
      ...soleOf(insidePosition(element, own, isLook))
        .sort(byCost)
        .slice(0, mostByPosition),
    );
  if (!found.some(({ cost }) => cost < 8))
    for (const each of byPosition(element, own, isLook)
      .filter((path) => soleOf([path]).length > 0)
      .slice(0, mostByPosition)) {
      const isRight = (selector: string) => soleOf([{ ...each, selector }]).some(({ several }) => !several);
      found.push(...soleOf([each, { ...each, selector: shortened(each.selector, isRight) }]));
    }
  const seen = new Set<string>();
  return (
    found
      .sort(byCost)
      // `a.logo` says no more than `.logo` where that is enough.
      .filter(({ selector }) => {
        const bare = selector.replace(/(^|[\s>])[a-z][\w-]*(?=[.#])/g, '$1');
        return !seen.has(bare) && seen.add(bare);
      })
      .slice(0, most)
      .map(({ selector, here, reason }) => ({ selector, here, reason }))
  );
}

/** A path without the steps that it does not need. */
function shortened(path: string, isSole: (selector: string) => boolean): string {
  const steps = path.split(' > ').map((text, index) => ({ text, joint: index === 0 ? '' : ' > ' }));
  const write = (each: typeof steps) =>
    each.map(({ text, joint }, index) => (index === 0 ? '' : joint) + text).join('');
  for (let at = 0; at < steps.length - 1;) {
    const next = steps[at + 1];
    const fewer = steps.filter((_, index) => index !== at);
    const loose = fewer.map((each) => (each === next ? { ...each, joint: ' ' } : each));
    if (isSole(write(loose))) steps.splice(0, steps.length, ...loose);
    else at++;
  }
  return write(steps);
}

/** An element by its own name inside an element around it that its position tells. */
function insidePosition(element: Element, own: Candidate[], isLook: IsLook): Candidate[] {
  const found: Candidate[] = [];
  const placed: Candidate = { selector: step(element, isLook), cost: 6, reason: `by position, ${placeOf(element)}` };
  let at = parentOf(element);
  for (let depth = 0; at && at.tagName !== 'body' && depth < mostAncestors; depth++, at = parentOf(at)) {
    const here = step(at, isLook);
    const above = parentOf(at);
    const [named] = above ? ownNames(above, isLook).filter(({ cost }) => cost < 3.3) : [];
    const names = [...ownNames(at, isLook), ...byNearId(at, isLook)].filter(({ cost }) => cost < 3.3);
    for (const each of [...own.filter(({ cost }) => cost < 5), placed]) {
      const places = [here, ...(named ? [`${named.selector} > ${here}`] : [])];
      const steady = each === placed ? names.map(({ selector }) => selector) : [];
      for (const around of [...steady, ...places])
        found.push({
          selector: `${around} ${each.selector}`,
          cost: 6 + each.cost / 4 + depth * 0.3 + (steady.includes(around) ? 0 : 0.6),
          reason: `${each.reason}, inside ${around}; breaks if ${each === placed ? 'one is inserted before it' : 'that moves'}`,
        });
    }
  }
  return found.sort((a, b) => a.cost + lengthCost(a.selector) - b.cost - lengthCost(b.selector)).slice(0, mostInside);
}

/** Paths of positions down from the nearest ancestor that has a name of its own. */
function byPosition(element: Element, own: Candidate[], isLook: IsLook): Candidate[] {
  const found: Candidate[] = [];
  let path = '';
  let steps = 0;
  for (let at: Element | null = element; at && at.tagName !== 'html' && steps < mostSteps; at = parentOf(at), steps++) {
    const parent = parentOf(at);
    if (!parent) break;
    path = step(at, isLook) + (path && ` > ${path}`);
    const [named] =
      parent.tagName === 'body'
        ? [{ selector: 'body', cost: 3 }]
        : ownNames(parent, isLook).filter(({ cost }) => cost < 3);
    if (!named) continue;
    const reason =
      steps === 0 ? `by position, ${placeOf(element)}` : 'by position; breaks if something is inserted before it';
    found.push({ selector: `${named.selector} > ${path}`, cost: 8 + named.cost + steps, reason });
    const [name] = own.filter(({ cost, selector }) => cost < 3 && selector.startsWith('.'));
    if (steps === 0 && name) {
      const child = positionOf(element, 'nth-child');
      found.push({
        selector: `${named.selector} > ${name.selector}:nth-child(${child})`,
        cost: 8.5 + named.cost,
        reason: `by position, the ${ordinal(child)} child; :nth-child counts every element`,
      });
    }
  }
  return found;
}

/** One step of such a path: the tag alone where its parent has no other, else with its class where that says more. */
function step(element: Element, isLook: IsLook): string {
  const tag = identifier(element.tagName);
  if (standingOf(element).type.size === 1) return tag;
  const [steady] = classesOf(element).filter((name) => isSteady(name) && !isLook(name));
  return `${steady ? `.${identifier(steady)}` : tag}:nth-of-type(${positionOf(element, 'nth-of-type')})`;
}

const placeOf = (element: Element) =>
  `the ${ordinal(positionOf(element, 'nth-of-type'))} <${element.tagName}> of its parent; :nth-of-type counts tags, not classes`;

const ordinal = (number: number) =>
  `${number}${number % 100 > 10 && number % 100 < 14 ? 'th' : (['th', 'st', 'nd', 'rd'][number % 10] ?? 'th')}`;
