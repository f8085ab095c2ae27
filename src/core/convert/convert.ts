import type { Viewport } from '../css/cascade/media.js';
import { check } from '../check/check.js';
import type { FindingCode } from '../finding.js';
import type { PageDocument } from '../page/document.js';
import type { Page } from '../page/page.js';
import type { View } from '../page/view.js';
import type { Place } from '../place.js';
import type { Rule } from '../rule/rule.js';
import { merged, type RuleGroup } from './rule-groups.js';
import type { Left } from './left.js';
import { leftoversOf, unscopedOf } from './leftovers.js';
import { proveConversion, ruleOf, whereLoaded, type Difference, type ConvertProof } from './proof.js';
import { scriptsIn, sheetsIn, type OldFile, type Script, type SourceSheet } from './sources.js';
import { groupText, leftoverOf, scriptRuleText } from './write.js';

export type { OldFile };

export interface ConvertInput {
  files: OldFile[];
  view: View;
  viewports: Viewport[];
  place: 'head-end' | 'body-end';
  /** Names of the existing rules. */
  taken: string[];
  /** The folder of scripts, as rules name it: `converted`. */
  scriptFolder: string;
  /** Called for each page that is compared. */
  onPage?: (done: number, page: Page) => void;
  /** Reads the text of a rule file. */
  readRules: (text: string, scripts: Map<string, string>) => Rule[];
}

/** The result of converting old files. */
export interface ConvertResult {
  /** The text of the rule file; empty if nothing could be converted. */
  rules: string;
  /** The scripts of rules, by their name. */
  scripts: Map<string, string>;
  /** `pages` is null where only a browser can tell. */
  converted: { rule: string; condition: string; pages: number | null; what: string; at: Place }[];
  /** The rest of each file that could not be converted completely, by the file's name. */
  leftovers: Map<string, string>;
  left: Left[];
  proof: ConvertProof;
}

/** Maximum number of attempts to write groups in another way; each attempt leaves at least one more group unchanged. */
const mostRounds = 12;

/**
 * Converts old CSS and snippets into rules. A group whose conversion would change any captured page is written in
 * another way, or stays where it is. Throws ProblemError with the place if a file cannot be read.
 */
export function convert(given: ConvertInput): ConvertResult {
  const input = { ...given, view: keepingPages(given.view) };
  const { view, files } = input;
  const left: Left[] = [];
  const sheets = files.flatMap((file) => sheetsIn(file, view));
  const scripts = files.flatMap((file) => scriptsIn(file, view, left));
  const present = whereLoaded(
    sheets.map(({ text, file: { page } }) => ({ text, page })),
    view,
    input.place,
  );
  for (let round = 0; ; round++) {
    const written = writeAll(sheets, scripts, input);
    const old = sheets.map(({ text, root, groups, file: { page } }) => ({
      ...{ text, leftover: leftoverOf(root, groups), page },
      converted: groups
        .filter(({ level }) => level !== 'left')
        .flatMap(({ styles }) => styles.flatMap(({ originals }) => originals)),
    }));
    const rules = input.readRules(written.rules, written.scripts);
    const proof = proveConversion(old, rules, view, {
      ...input,
      present,
      openAnew: given.view.open,
    });
    if (proof.differences.length === 0 || round === mostRounds)
      return {
        ...writeAll(sheets, scripts, input, acceptanceFor(rules, input)),
        leftovers: leftoversOf(files, sheets, scripts),
        left: [...left, ...unscopedOf(sheets, view)],
        proof,
      };
    const last = round === mostRounds - 1;
    for (const group of blamed(proof.differences, sheets, written.groups, last)) {
      const [first] = proof.differences;
      group.level = group.level === 'best' && !last ? 'plain' : 'left';
      if (group.level === 'left' && first)
        left.push({
          at: group.at,
          what: group.styles[0]?.originals.join(', ') ?? '',
          pages: group.pages.map(({ path }) => path),
          reason:
            reasonFor(group, proof.differences) ?? `converting it would change ${first.property} on ${first.page.path}`,
        });
    }
  }
}

/** Elements of pages that are kept open; a page of more is opened each time. */
const mostKept = 200_000;

/** A view that keeps its first pages open, since converting looks at each page several times. Their documents must not change. */
function keepingPages(view: View): View {
  const kept = new Map<Page, PageDocument>();
  let elements = 0;
  return {
    ...view,
    open(page) {
      const document = kept.get(page) ?? view.open(page);
      if (!kept.has(page) && elements + document.elements.length <= mostKept) {
        kept.set(page, document);
        elements += document.elements.length;
      }
      return document;
    },
  };
}

const reasonFor = (group: RuleGroup, differences: Difference[]) => {
  const own = differences.find(({ page }) => group.pages.includes(page));
  return (
    own &&
    `converting it would change ${own.property} of ${own.element} on ${own.page.path} from ${own.before} to ${own.after}`
  );
};

/** Everything that could be converted, as text. */
function writeAll(
  sheets: SourceSheet[],
  scripts: Script[],
  { taken, scriptFolder, view }: ConvertInput,
  allowed = new Map<string, string[]>(),
) {
  const names = new Set(taken);
  const groups = new Map<string, RuleGroup[]>();
  const converted: ConvertResult['converted'] = [];
  const texts: string[] = [];
  const active = sheets.flatMap((sheet) => sheet.groups.filter(({ level }) => level !== 'left'));
  for (const { group, from } of merged(active)) {
    const name = nameFor(group, names, view);
    texts.push(groupText(name, group, allowed.get(name) ?? []));
    groups.set(name, from);
    const selectors = group.styles.flatMap((style) => style.selectors).length;
    const what = `${selectors} selector${selectors === 1 ? '' : 's'}`;
    const condition = conditionText(group);
    converted.push({ rule: name, condition, pages: group.pages.length, what, at: group.at });
  }
  const ownScripts = new Map<string, string>();
  for (const { file, converted: parts } of scripts) {
    for (const each of parts) {
      const conditions = each.conditions.map((text) => [text]);
      const name = nameFor({ conditions, except: each.except, pages: file.page ? [file.page] : [] }, names, view);
      ownScripts.set(`${name}.js`, each.text);
      texts.push(scriptRuleText(name, each, `${scriptFolder}/${name}.js`));
      const at = { file: file.name, line: each.line, column: 1 };
      const condition = conditionText({ conditions, except: each.except });
      converted.push({ rule: name, condition, pages: null, what: 'a script', at });
    }
  }
  return { rules: texts.length > 0 ? `${texts.join('\n\n')}\n` : '', scripts: ownScripts, converted, groups };
}

const conditionText = ({ conditions, except }: Pick<RuleGroup, 'conditions' | 'except'>) =>
  conditions.map((terms) => terms.join(' ')).join(', ') + (except.length > 0 ? ` but ${except.join(', ')}` : '');

/** Why what a check finds wrong with a converted rule is accepted: no page changes by it. */
const acceptances: Partial<Record<FindingCode, string>> = {
  'missing-element': 'The old CSS matches nothing there either.',
  overridden: 'The old CSS is overridden there too.',
};

/** The `allow` lines that converted rules need to pass a check, by the rule's name. */
function acceptanceFor(rules: Rule[], { view, viewports, place }: ConvertInput): Map<string, string[]> {
  const { findings } = check({
    ...{ rules, view: (visitor) => (visitor === null ? view : null), viewports, place },
    ...{ keptVisible: [], expectations: [], others: [], findings: [], states: {}, visitors: [], loading: null },
    ...{ paths: 'handles', viewport: viewports[0]?.name ?? '', state: null, visitor: null, today: '', hints: null },
  });
  const codes = new Map<string, Set<FindingCode>>();
  for (const { level, rule, code } of findings)
    if (level === 'error' && rule !== null) codes.set(rule, (codes.get(rule) ?? new Set()).add(code));
  const lineOf = (code: FindingCode) => `allow: ${code} "${acceptances[code] ?? 'The old CSS did the same.'}";`;
  return new Map([...codes].map(([rule, own]) => [rule, [...own].map(lineOf)]));
}

/** A new rule name, from its only page or the class of its pages. */
function nameFor(
  { pages, conditions, except }: Pick<RuleGroup, 'pages' | 'conditions' | 'except'>,
  names: Set<string>,
  { site }: View,
): string {
  const others = site.pages.filter((page) => !pages.includes(page));
  const isAll = conditions.every(([term]) => term === 'all');
  const [page] = isAll && except.length > 0 ? others : pages.length === 1 || conditions.length > 1 ? pages : [];
  const said = page?.path ?? /\("?([^")]*)/.exec(conditions[0]?.[0] ?? '')?.[1] ?? '';
  const base =
    (said === '/' ? 'front' : said)
      .replace(/[^A-Za-z0-9]+/g, '-')
      .replace(/^[-0-9]+|-$/g, '')
      .slice(0, 40) || 'converted';
  let name = base;
  for (let number = 2; names.has(name); number++) name = `${base}-${number}`;
  names.add(name);
  return name;
}

/** The groups that decided what differs, before or now. */
function blamed(
  differences: Difference[],
  sheets: SourceSheet[],
  written: Map<string, RuleGroup[]>,
  all: boolean,
): Set<RuleGroup> {
  const result = new Set<RuleGroup>();
  const active = sheets.flatMap(({ groups }) => groups.filter(({ level }) => level !== 'left'));
  if (all) return new Set(active);
  for (const { is, was, page } of differences) {
    const before = result.size;
    const rule = ruleOf(is);
    for (const group of (rule && written.get(rule.name)) ?? []) result.add(group);
    for (const group of was ? groupsAt(was.declaration.offset, was.declaration.name, sheets) : [])
      if (group.level !== 'left') result.add(group);
    if (result.size === before && result.size === 0)
      for (const group of active.filter(({ pages }) => pages.includes(page))) result.add(group);
  }
  return result.size > 0 ? result : new Set(active);
}

/** The groups that a declaration of an old stylesheet went into. */
function groupsAt(offset: number, name: string, sheets: SourceSheet[]): RuleGroup[] {
  return sheets
    .filter(({ text }) => text.slice(offset, offset + name.length).toLowerCase() === name)
    .flatMap(({ groups }) =>
      groups.filter(({ styles }) =>
        styles.some(
          ({ node: { source } }) =>
            (source?.start?.offset ?? Infinity) <= offset && offset <= (source?.end?.offset ?? -1),
        ),
      ),
    );
}
