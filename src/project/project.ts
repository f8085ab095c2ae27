import { existsSync, realpathSync } from 'node:fs';
import { join } from 'node:path';
import picomatch from 'picomatch';
import { globSync } from 'tinyglobby';
import type { Finding } from '../core/finding.js';
import { suggestion } from '../core/nearest.js';
import { normalisePath } from '../core/page/path.js';
import { ProblemError, type Problem } from '../core/place.js';
import type { Expectation, KeptVisible } from '../core/rule/keep-visible-and-expect.js';
import type { Rule } from '../core/rule/rule.js';
import { selectorFault } from '../core/css/selector.js';
import { loadFileUse, projectPath, readProjectText, withSource } from './files.js';
import type { Settings } from './read-configuration.js';
import { configurationName, loadSettings } from './settings.js';
import type { LoadFile, RuleFile } from './reader.js';
import { doubleNames, emptyRuleFile, readPageFiles, readRuleFile, type KeptBlocks } from './rule-file.js';

/** A user's project: its settings, its rules in the order of their files, and what reading them found. */
export interface Project {
  /** Absolute. */
  directory: string;
  settings: Settings;
  rules: Rule[];
  keptVisible: KeptVisible[];
  expectations: Expectation[];
  findings: Finding[];
  /** What is wrong in rule files that were left out of it (`tolerant`). */
  problems: Problem[];
}

/** How a project is read. */
export interface Reading {
  /** Whether files with problems are left out, if others are sound. */
  tolerant?: boolean;
  /** Texts that stand for those of rule files and of local-needle.yaml, by their path in the project. */
  texts?: ReadonlyMap<string, string>;
  /** Rule files as they were read before, to be used where their text is the same; read ones are added. */
  kept?: KeptRuleFiles;
}

/** Rule files by their path, with the text that they were read from and the stylesheets that they name. */
export type KeptRuleFiles = Map<string, { text: string; read: RuleFile; styles: Set<string>; blocks: KeptBlocks }>;

/** Reads a project. Throws ProblemError with all problems of all files. */
export function loadProject(directory: string, { tolerant = false, texts: given, kept }: Reading = {}): Project {
  const root = realpathSync(directory);
  const settings = loadSettings(root, given?.get(configurationName));
  const files = globSync(settings.rules, {
    cwd: root,
    absolute: true,
    onlyFiles: true,
    ignore: [
      '**/node_modules/**',
      '.local-needle/**',
      ...(settings.pageFiles === null ? [] : [`${settings.pageFiles.replace(/\/$/, '')}/**`]),
    ],
  });
  const isRuleFile = picomatch(settings.rules);
  // A file that is not saved yet is a rule file too.
  for (const path of given?.keys() ?? [])
    if (isRuleFile(path) && !existsSync(join(root, path))) files.push(join(root, path));
  const project: Project = {
    ...{ directory: root, settings, rules: [], keptVisible: [], expectations: [], findings: [], problems: [] },
  };
  const problems: Problem[] = stateProblems(settings);
  const styleFiles = new Set<string>();
  let access = false;
  const read = files
    .map((file) => ({ file, path: projectPath(root, file) }))
    .sort((a, b) => (a.path < b.path ? -1 : 1))
    .map(({ file, path }) => {
      try {
        const text = given?.get(path) ?? readProjectText(root, file);
        const known = kept?.get(path);
        const styles = known?.text === text ? known.styles : new Set<string>();
        const blocks: KeptBlocks = known?.blocks ?? new Map<string, RuleFile>();
        const one =
          known?.text === text ? known.read : readRuleFile(text, path, file, loaderFor(root, settings, styles), blocks);
        kept?.set(path, { text, read: one, styles, blocks });
        for (const each of styles) styleFiles.add(each);
        return { path, text, ...one };
      } catch (error) {
        if (!(error instanceof ProblemError)) throw error;
        access ||= error.kind === 'access';
        return { path, text: '', ...emptyRuleFile(), problems: error.problems };
      }
    })
    // A stylesheet that a rule names by @style-file is plain CSS and no rule file, wherever it lies.
    .filter(({ path }) => !styleFiles.has(path));
  const isSound = (each: (typeof read)[number]) => each.problems.length === 0;
  const leavesOut = tolerant && !access && read.some((each) => isSound(each) && each.rules.length > 0);
  for (const each of read) {
    if (leavesOut && !isSound(each)) {
      project.problems.push(...each.problems);
      continue;
    }
    project.rules.push(...each.rules);
    project.keptVisible.push(...each.keptVisible);
    project.expectations.push(...each.expectations);
    project.findings.push(...each.findings);
    problems.push(...each.problems);
  }
  if (settings.pageFiles !== null) {
    const own = pageFileRules(root, settings.pageFiles, loaderFor(root, settings, styleFiles));
    project.rules.push(...own.rules);
    project.findings.push(...own.findings);
    problems.push(...own.problems);
  }
  const texts = new Map(read.map(({ path, text }) => [path, text]));
  problems.push(
    ...doubleNames(project.rules).flatMap((problem) => withSource([problem], texts.get(problem.at?.file ?? '') ?? '')),
  );
  for (const rule of [...project.rules, ...project.expectations]) {
    problems.push(...withSource(unknownNames(rule, settings), texts.get(rule.at.file) ?? ''));
  }
  if (problems.length > 0) throw new ProblemError(problems, access ? 'access' : 'input');
  return project;
}

/** The rules that files named after pages make, in the order of their paths. */
function pageFileRules(root: string, folder: string, load: LoadFile): RuleFile {
  const all = emptyRuleFile();
  const stems = new Map<string, string[]>();
  for (const file of globSync('**/*.{css,js}', { cwd: join(root, folder), onlyFiles: true }).sort()) {
    const stem = file.replace(/\.(css|js)$/, '');
    stems.set(stem, [...(stems.get(stem) ?? []), file]);
  }
  for (const [stem, files] of stems) {
    const name = `${folder.replace(/\/$/, '')}/${stem}`;
    const use = (ending: string) => {
      const file = files.find((each) => each.endsWith(ending));
      if (file === undefined) return null;
      const { use: found, fault } = load(
        'local-needle.yaml',
        `${encodeURI(folder)}/${encodeURI(file)}`,
        {
          file: `${name}${ending}`,
          line: 1,
          column: 1,
        },
        'read',
      );
      if (fault) all.problems.push({ message: fault });
      return found;
    };
    const path = normalisePath(
      `/${stem
        .split('/')
        .map(encodeURIComponent)
        .join('/')
        .replace(/(^|\/)index$/, '$1')}`,
    );
    const read = readPageFiles(name, path, use('.css'), use('.js'), join(root, `${name}.css`), load);
    all.rules.push(...read.rules);
    all.findings.push(...read.findings);
    all.problems.push(...read.problems);
  }
  return all;
}

/** Invalid selectors of states. Not checked for commands that need no rules, which start faster this way. */
function stateProblems(settings: Settings): Problem[] {
  return Object.entries(settings.states).flatMap(([name, { addClass, removeClass, pseudoClass }]) =>
    [...addClass, ...removeClass, ...pseudoClass].flatMap(([selector]): Problem[] => {
      const fault = selectorFault(selector);
      if (!fault) return [];
      const at = settings.placeOf(['states', name]);
      return [{ message: `The state "${name}": ${fault.message}`, at, hint: fault.hint }];
    }),
  );
}

/** Names used in a rule that local-needle.yaml does not define. */
function unknownNames(rule: Rule | Expectation, settings: Settings): Problem[] {
  const lists = {
    state: Object.keys(settings.states),
    visitor: Object.keys(settings.visitors),
    viewport: settings.viewports.map(({ name }) => name),
  };
  return (['state', 'visitor', 'viewport'] as const).flatMap((kind) => {
    const name = rule[kind];
    if (name === null || lists[kind].includes(name)) return [];
    return [
      {
        message: `"${rule.name}" names the ${kind} "${name}", which is not in local-needle.yaml`,
        at: rule.at,
        hint: lists[kind].length > 0 ? suggestion(name, lists[kind]) : `Add it below ${kind}s.`,
      },
    ];
  });
}

/** Reads files that rules name; notes which of them are stylesheets. */
function loaderFor(root: string, { files }: Settings, styleFiles: Set<string>): LoadFile {
  return (from, url, at, kind) => {
    if (kind === 'served' && files === 'leave') return { use: { url, at, path: null, content: null }, fault: null };
    const loaded = loadFileUse(root, from, url, at);
    if (loaded.use.path === from)
      throw new ProblemError([{ message: `${url} names itself`, at, hint: 'Name another file.' }]);
    if (kind === 'read' && loaded.use.path?.endsWith('.css') && loaded.use.content) styleFiles.add(loaded.use.path);
    return loaded;
  };
}
