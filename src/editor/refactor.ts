import type { LiveReading } from '../app/live-project.js';
import { parseCondition } from '../core/target/condition.js';
import { conditionPages } from '../core/target/pages.js';
import { pathCondition } from '../core/target/path-condition.js';
import { isCss, withOnBlocks, withPause } from '../project/edit.js';
import { pagesAt } from './navigation.js';
import { ruleNameAt } from './symbols.js';

/** A change that mends nothing and that people may want: a part of a text and what comes in its place. */
export interface Refactor {
  title: string;
  start: number;
  end: number;
  newText: string;
}

/** Maximum number of pages that are written by their paths. */
const mostPaths = 6;

/** What can be done with the rule or the condition at an offset. */
export function refactorsAt(text: string, offset: number, { project, input }: LiveReading): Refactor[] {
  const name = ruleNameAt(text, offset)?.name;
  const rule = project.rules.find((each) => each.name === name);
  const found: Refactor[] = [];
  if (rule && isCss(text)) {
    const whole = { start: 0, end: text.length };
    const title = `${rule.paused ? 'Resume' : 'Pause'} ${rule.name}`;
    found.push({ ...whole, title, newText: withPause(text, rule.name, !rule.paused) });
    const split = withOnBlocks(text, rule.name);
    if (split !== null)
      found.push({ ...whole, title: `Split ${rule.name} by @on, a block for each condition`, newText: split });
  }
  const condition = pagesAt(text, offset, input);
  if (!condition || condition.picked.size === 0 || condition.picked.size > mostPaths) return found;
  const { picked, site, start, end } = condition;
  const newText = [...picked].map(({ path }) => pathCondition(path)).join(', ');
  const same = conditionPages(parseCondition(newText).condition, site);
  const isSame = same.size === picked.size && [...picked].every((page) => same.has(page));
  if (!isSame || newText === condition.text) return found;
  const title =
    picked.size === 1 ? `Write this page by its path: ${newText}` : `Write these ${picked.size} pages by their paths`;
  return [...found, { title, start, end, newText }];
}
