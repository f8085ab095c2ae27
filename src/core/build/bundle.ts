import { scopeSelector, bodyScope, type Reach, type Scope } from '../css/scope.js';
import { selectorParts } from '../css/selector.js';
import type { PageDocument } from '../page/document.js';
import { compileMatcher, type Matcher } from '../page/elements.js';
import type { PathOptions } from '../page/path.js';
import type { Page, Site } from '../page/page.js';
import type { Action, FileUse, Rule } from '../rule/rule.js';
import { targets } from '../rule/target.js';
import { elsewhereOf, Marks, scopeOf } from './scope.js';
import { needleScript } from './script.js';
import { stylesheet } from './stylesheet.js';
import type { ShippedTask } from './runtime.js';

export interface BuildInput {
  site: Site;
  rules: Rule[];
  open: (page: Page) => PageDocument;
  paths: 'handles' | 'run-time';
  pathOptions: PathOptions;
  /** The day of the build, `2027-03-31`: a rule whose `until` is past does not ship. */
  today: string;
  /** Where a file of the project ships to, relative to needle.css: `files/logo-3f2a9b.svg`. */
  shippedName: (file: FileUse) => string;
}

/** One rule on its way out, with each action's scope. */
export interface ShippedRule {
  rule: Rule;
  actions: { action: Action; scope: Scope; selectors: string[] }[];
}

/** What ships, as texts; nothing is written here. */
export interface Bundle {
  css: string;
  cssMap: string;
  /** Null where no rule needs a script. */
  js: string | null;
  jsMap: string | null;
  /** Files of the project that ship beside it, by their shipped name. */
  files: Map<string, Uint8Array>;
  /** Rules left out, with the reason. */
  left: { rule: string; reason: string }[];
  /** Pages that can be told only at run time. */
  atRunTime: string[];
  /** How many rules and pages the bundle reaches. */
  rules: number;
  pages: number;
}

/** Builds one stylesheet and one script for a site, every selector limited to the pages of its rule. */
export function buildBundle(input: BuildInput): Bundle {
  const { site, rules, today } = input;
  const marks = new Marks(input.paths);
  const left: Bundle['left'] = [];
  const shipping = rules.filter((rule) => {
    const reason = rule.paused ? 'paused' : rule.until && rule.until.day < today ? `ran until ${rule.until.day}` : null;
    if (reason) left.push({ rule: rule.name, reason });
    return !reason;
  });
  const scopes = new Map<Action, Scope>();
  for (const rule of shipping) {
    for (const action of rule.actions) {
      const own = action.kind === 'definition' ? new Marks(input.paths) : marks;
      const scope =
        action.kind === 'only-here' ? elsewhereOf(rule, action, site, own) : scopeOf(rule, action, site, own);
      if (scope && scope.branches.length > 0) scopes.set(action, scope);
    }
    if (!rule.actions.some((action) => scopes.has(action)))
      left.push({
        rule: rule.name,
        reason: rule.actions.length === 0 ? 'does nothing' : `picks no page of ${site.name}`,
      });
  }
  const reaches = measureReach(shipping, scopes, input);
  const shipped: ShippedRule[] = [];
  for (const rule of shipping) {
    const actions = rule.actions.flatMap((action) => {
      const scope = scopes.get(action);
      if (!scope) return [];
      const inScope = 'within' in action && action.within.some(({ name }) => name.toLowerCase() === 'scope');
      const selectors = action.selectors.map(({ text }) =>
        scopeSelector(text, scope, reaches.reach(action, text), inScope),
      );
      return [{ action, scope, selectors }];
    });
    if (actions.length > 0) shipped.push({ rule, actions });
  }
  const files = new Map<string, Uint8Array>();
  const ship = (file: FileUse) => {
    if (!file.content) return file.url;
    const name = input.shippedName(file);
    files.set(name, file.content);
    return name;
  };
  const tasks = shipped.flatMap(({ rule, actions }) => actions.flatMap((each) => taskOf(rule, each, ship)));
  const css = stylesheet(shipped, site.name);
  const script =
    tasks.length > 0 || marks.list.length > 0 ? needleScript(marks.list, tasks, input.pathOptions, site.name) : null;
  return {
    css: css.text,
    cssMap: css.map,
    js: script?.text ?? null,
    jsMap: script?.map ?? null,
    files,
    left,
    atRunTime: marks.list.map(
      (mark) => mark.path ?? mark.pattern ?? mark.queries.map((pair) => pair.join('=')).join('&'),
    ),
    rules: shipped.length,
    pages: reaches.pages,
  };
}

/** A task of needle.js; its script, if it has one, is written into the file by script.ts. */
export interface Task extends Omit<ShippedTask, 'run'> {
  script?: FileUse;
}

function taskOf(
  rule: Rule,
  { action, scope, selectors }: ShippedRule['actions'][number],
  ship: (file: FileUse) => string,
): Task[] {
  const common = { rule: rule.name, scope: bodyScope(scope) };
  if (action.kind === 'script') return [{ ...common, selector: action.waitFor ?? '', script: action.file }];
  if (action.kind !== 'swap') return [];
  const html = action.html?.content ? new TextDecoder().decode(action.html.content).trim() : undefined;
  const looksAhead = selectors.some((text) => /:(last|only|nth-last|has|empty)\b/i.test(text)) || undefined;
  const image = action.image ? ship(action.image) : undefined;
  return [
    {
      ...common,
      selector: selectors.join(', '),
      image,
      alt: action.alt ?? undefined,
      text: action.text ?? undefined,
      html,
      looksAhead,
    },
  ];
}

/** What every selector matches on the pages that its action targets; each page is opened once. */
function measureReach(rules: Rule[], scopes: Map<Action, Scope>, { site, open }: BuildInput) {
  const work = new Map<Page, { key: string; all: Matcher; below: Matcher }[]>();
  const reaches = new Map<string, Reach>();
  const keys = new Map<Action, number>();
  const pages = new Set<Page>();
  for (const rule of rules) {
    for (const action of rule.actions) {
      if (!scopes.has(action)) continue;
      keys.set(action, keys.size);
      const measured = action.selectors.map(({ text }) => {
        const { element } = selectorParts(text);
        const key = `${keys.get(action)} ${text}`;
        reaches.set(key, { elements: 0, belowBody: 0, html: 0 });
        return { key, all: compileMatcher(element), below: compileMatcher(`body ${element}`) };
      });
      for (const page of site.pages) {
        if (targets(rule, action, page, site) === (action.kind === 'only-here')) continue;
        pages.add(page);
        if (measured.length > 0) work.set(page, [...(work.get(page) ?? []), ...measured]);
      }
    }
  }
  for (const [page, measured] of work) {
    const document = open(page);
    for (const { key, all, below } of measured) {
      const reach = reaches.get(key);
      if (!reach) continue;
      const elements = all(document);
      reach.elements += elements.length;
      reach.belowBody += below(document).length;
      reach.html += elements.filter(({ tagName }) => tagName === 'html').length;
    }
  }
  return {
    pages: pages.size,
    reach: (action: Action, text: string) =>
      reaches.get(`${keys.get(action)} ${text}`) ?? { elements: 0, belowBody: 0, html: 0 },
  };
}
