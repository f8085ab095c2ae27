import type { SiteContent } from '../capture/site-content.js';
import type { CheckInput } from '../core/check/input.js';
import type { KeptOutline } from '../core/check/kept-parts.js';
import { sheetStores } from '../core/css/cascade/page-sheets.js';
import { packed, unpacked } from '../core/check/packed-result.js';
import type { PageResult } from '../core/check/result-cache.js';
import type { Hint } from '../core/fix/missing-element.js';
import { buildBundle } from '../core/ship/bundle.js';
import { prepareShipments } from '../core/ship/shipment.js';
import type { ScriptText } from '../core/ship/script.js';
import type { Answers } from '../core/ship/survey.js';
import { Cache } from '../project/cache.js';
import type { Project } from '../project/project.js';
import type { SiteSource } from '../project/read-configuration.js';
import { today } from './call.js';
import { isPlain, openProject, viewOptions, type LookCall } from './open.js';
import { hashName, shippedName } from './shipped-name.js';
import { otherSites } from './sites.js';

/** Maximum time for all selectors on one page, in milliseconds. */
const pageMs = 10_000;

/** The time limit for one page. */
function startTime(): () => boolean {
  const end = performance.now() + pageMs;
  return () => performance.now() > end;
}

/** A project, one of its sites, and everything that a check of it needs. */
export interface OpenedCheck {
  project: Project;
  source: SiteSource;
  content: SiteContent;
  input: CheckInput & { results: Cache<PageResult>; outlines: Cache<KeptOutline> };
  /** Answers that earlier builds read from pages. */
  learnt: Cache<Answers>;
  /** Saves results for the next run; `forget` drops those that this run did not use. */
  keep: (forget?: boolean) => void;
  /** Drops results in memory that were not used since this was last called. */
  age: () => void;
}

/** Reads everything that a check needs, for every command that checks, explains, builds or shows. Throws ProblemError. */
export function openCheck(call: LookCall): OpenedCheck {
  const { project, source, content } = openProject(call);
  return checkOf(project, source, content, call);
}

/** The same for a project and a site that were read already. Throws ProblemError. */
export function checkOf(project: Project, source: SiteSource, content: SiteContent, call: LookCall): OpenedCheck {
  const options = viewOptions(call, project, source, content);
  const { directory } = project;
  // What was kept by the quick way does not answer for the plain one.
  const way = isPlain() ? 'plain' : null;
  const looked = [source.name, options.viewport, options.state, options.visitor, way].filter((each) => each !== null);
  const about = ({ parts }: PageResult) => parts?.page ?? '';
  const form = { write: packed, read: unpacked, about };
  const results = new Cache<PageResult>(directory, ['check', ...looked].join('.'), form);
  const outlines = new Cache<KeptOutline>(directory, ['outlines', ...looked].join('.'));
  const hints = new Cache<Hint>(directory, ['hints', ...looked].join('.'));
  const { dropExtension = '', queryKeys = [] } = source.pathOptions;
  const learnt = new Cache<Answers>(directory, ['learnt', source.name, dropExtension, ...queryKeys].join('.'));
  const input: OpenedCheck['input'] = {
    ...options,
    ...{ results, outlines, hints, startTime, sheets: sheetStores(options.place) },
    rules: project.rules,
    findings: [...project.findings, ...content.findings],
    others: otherSites(directory, project.settings, source),
    today: today(),
    loading: source.bundleAddress === null ? null : { address: source.bundleAddress, built: () => built(opened) },
  };
  const keep = (forget = true) => {
    results.save(forget);
    outlines.save(false);
    hints.save(forget);
    learnt.save();
  };
  const age = () => {
    results.age();
    hints.age();
  };
  const opened: OpenedCheck = { project, source, content, input, learnt, keep, age };
  return opened;
}

/** What a check needs with the rules of another reading of the same project. */
export const withRules = (
  { content, input }: Pick<OpenedCheck, 'content' | 'input'>,
  { rules, keptVisible, expectations, findings }: Project,
): CheckInput => ({ ...input, rules, keptVisible, expectations, findings: [...findings, ...content.findings] });

/** File names and texts of today's build, in each of the ways that it can be written. */
function built({ input, source, content, learnt }: OpenedCheck): { names: string[]; texts: string[] } {
  const shipments = prepareShipments({ ...input, ...content, learnt });
  // Only the stylesheet is asked for.
  const made = [null, (script: ScriptText) => script].map((minify) => {
    const form = { site: source.name, pathOptions: source.pathOptions, minify, withScript: true, shippedName };
    return buildBundle(shipments, { ...form, nameOf: hashName }).css;
  });
  return {
    names: made.map(({ name }) => name),
    texts: made.map(({ text }) => text.replace(/\/\*# sourceMappingURL.*/, '').trim()),
  };
}
