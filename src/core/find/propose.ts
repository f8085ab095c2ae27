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

/** Names that a build tool generates: long runs of mixed letters and digits, or a hash behind a hyphen. */
export function looksGenerated(name: string): boolean {
  return (
    /^(?=.*\d)(?=.*[a-z])[a-z0-9]{8,}$/i.test(name) ||
    /(^|[-_])(?=[a-z0-9]*\d)(?=[a-z0-9]*[a-z])[a-z0-9]{5,}$/i.test(name) ||
    /^[a-z]{1,3}[-_]?\d{3,}$/i.test(name) ||
    /^(ember|react|ext-gen|yui_|uid)[-_\d]/i.test(name)
  );
}

const identifier = (text: string) => cssesc(text, { isIdentifier: true });
const quoted = (text: string) => cssesc(text, { quotes: 'double', wrap: true });
/** Classes that name a temporary state. */
const isState = (name: string) =>
  /^(is|has)-|^(active|current|open|selected|hover|focus|visible|hidden|disabled)$/i.test(name);

/** Compounds for an element, without its position. */
function ownNames(element: Element): Candidate[] {
  const tag = identifier(element.tagName);
  const found: Candidate[] = [];
  const id = attribute(element, 'id');
  if (id && !looksGenerated(id)) found.push({ selector: `#${identifier(id)}`, cost: 1, reason: 'its ID' });
  else if (id)
    found.push({ selector: `#${identifier(id)}`, cost: 9, reason: 'its ID, which looks generated and may change' });
  const classes = classesOf(element);
  for (const name of classes) {
    const generated = looksGenerated(name);
    const cost = generated ? 9 : isState(name) ? 5 : 2;
    const reason = generated
      ? 'its class, which looks generated and may change'
      : isState(name)
        ? 'a state class, which may come and go'
        : 'its class';
    found.push(
      { selector: `.${identifier(name)}`, cost, reason },
      { selector: `${tag}.${identifier(name)}`, cost: cost + 0.6, reason },
    );
  }
  const steady = classes.filter((name) => !looksGenerated(name) && !isState(name));
  if (steady.length > 1)
    found.push({
      selector: steady
        .slice(0, 3)
        .map((name) => `.${identifier(name)}`)
        .join(''),
      cost: 2.4,
      reason: 'its combined classes',
    });
  for (const name of ['name', 'type', 'href', 'for', 'role', 'aria-label', 'alt']) {
    const value = attribute(element, name);
    if (value && value.length <= 60)
      found.push({ selector: `${tag}[${name}=${quoted(value)}]`, cost: 3.2, reason: `its ${name} attribute` });
  }
  found.push({ selector: tag, cost: 4, reason: 'its element name' });
  return found;
}

/** Maximum number of proposals, and of ancestors used. */
const most = 4;
const mostAncestors = 6;
const mostByPosition = 2;

/**
 * Selectors that match this element and no other on the page, best first: short, not tied to a position or to a name that
 * looks generated. Where position is all there is, the right `:nth-of-type` or `:nth-child` from the nearest named ancestor.
 */
export function propose(element: Element, document: PageDocument): Proposal[] {
  const soleOf = (candidates: Candidate[]): (Proposal & { cost: number })[] =>
    candidates.flatMap(({ selector, cost, reason }) => {
      const elements = compileMatcher(selector)(document);
      return elements.length === 1 && elements[0] === element
        ? [{ selector, here: 1, reason, cost: cost + selector.length / 40 }]
        : [];
    });
  const own = ownNames(element);
  const found = soleOf(own);
  let ancestor = parentOf(element);
  for (
    let depth = 0;
    ancestor && ancestor.tagName !== 'body' && depth < mostAncestors;
    depth++, ancestor = parentOf(ancestor)
  ) {
    if (found.some(({ cost }) => cost < 4 + depth)) break;
    const names = ownNames(ancestor).filter(({ cost }) => cost < 3);
    const inside = names.flatMap((above) =>
      own
        .filter(({ cost }) => cost < 5)
        .map((each): Candidate => ({
          selector: `${above.selector} ${each.selector}`,
          cost: above.cost + each.cost + depth * 0.3,
          reason: `${each.reason}, inside ${above.selector}`,
        })),
    );
    found.push(...soleOf(inside.sort((a, b) => a.cost - b.cost).slice(0, 24)));
  }
  if (!found.some(({ cost }) => cost < 8)) found.push(...soleOf(byPosition(element, own)));
  const seen = new Set<string>();
  return (
    found
      .sort((a, b) => a.cost - b.cost)
      // `a.logo` says no more than `.logo` where that is enough.
      .filter(({ selector }) => {
        const bare = selector.replace(/(^|[\s>])[a-z][\w-]*(?=[.#])/g, '$1');
        return !seen.has(bare) && seen.add(bare);
      })
      .slice(0, most)
      .map(({ selector, here, reason }) => ({ selector, here, reason }))
  );
}

/** Paths of positions down from the nearest ancestor that has a name of its own. */
function byPosition(element: Element, own: Candidate[]): Candidate[] {
  const found: Candidate[] = [];
  const place = `the ${ordinal(positionOf(element, 'nth-of-type'))} <${element.tagName}> of its parent`;
  let path = '';
  let steps = 0;
  for (
    let at: Element | null = element;
    at && at.tagName !== 'html' && steps < 8 && found.length < mostByPosition;
    at = parentOf(at), steps++
  ) {
    const parent = parentOf(at);
    if (!parent) break;
    path = step(at) + (path && ` > ${path}`);
    const [named] =
      parent.tagName === 'body' ? [{ selector: 'body', cost: 3 }] : ownNames(parent).filter(({ cost }) => cost < 3);
    if (!named) continue;
    const reason =
      steps === 0
        ? `by position, ${place}; :nth-of-type counts tags, not classes`
        : 'by position; breaks if something is inserted before it';
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
function step(element: Element): string {
  const tag = identifier(element.tagName);
  if (standingOf(element).sizeOfType === 1) return tag;
  const [steady] = classesOf(element).filter((name) => !looksGenerated(name) && !isState(name));
  return `${steady ? `.${identifier(steady)}` : tag}:nth-of-type(${positionOf(element, 'nth-of-type')})`;
}

const ordinal = (number: number) =>
  `${number}${number % 100 > 10 && number % 100 < 14 ? 'th' : (['th', 'st', 'nd', 'rd'][number % 10] ?? 'th')}`;
