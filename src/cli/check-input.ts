import { buildBundle } from '../core/build/bundle.js';
import { prepareShipments } from '../core/build/shipment.js';
import type { PageResult } from '../core/check/memory.js';
import type { CheckInput } from '../core/check/plan.js';
import { Cache } from '../project/cache.js';
import { today } from './command.js';
import { lookAt, openProject, type LookArguments } from './open.js';
import { hashName, shippedName } from './shipped-name.js';
import { otherSites } from './sites.js';

/** What selectors may take on one page, in milliseconds. */
const pageMs = 10_000;

/** The time of one page. */
function startTime(): () => boolean {
  const end = performance.now() + pageMs;
  return () => performance.now() > end;
}

/** What `check` looks at, read anew each time. */
export function readAll(args: LookArguments) {
  const { project, source, content } = openProject(args);
  const look = lookAt(args, project, source, content);
  const name = ['check', source.name, look.viewport, look.state, look.visitor]
    .filter((each) => each !== null)
    .join('.');
  const memory = new Cache<PageResult>(project.directory, name);
  const { dropExtension = '', queryKeys = [] } = source.pathOptions;
  const learnt = new Cache<Record<string, unknown>>(
    project.directory,
    ['learnt', source.name, dropExtension, ...queryKeys].join('.'),
  );
  const built = () => {
    const shipments = prepareShipments({ ...input, ...content, learnt });
    learnt.save();
    const made = [false, true].map((minify) => {
      const form = { site: source.name, pathOptions: source.pathOptions, minify, withScript: true, shippedName };
      return buildBundle(shipments, { ...form, nameOf: hashName }).css;
    });
    const names = made.map(({ name }) => name);
    return { names, texts: made.map(({ text }) => text.replace(/\/\*# sourceMappingURL.*/, '').trim()) };
  };
  const input: CheckInput = {
    ...look,
    memory,
    startTime,
    rules: project.rules,
    findings: [...project.findings, ...content.findings],
    others: otherSites(project.directory, project.settings, source),
    today: today(),
    loading: source.bundleAddress === null ? null : { address: source.bundleAddress, built },
  };
  return { project, source, content, input, memory, learnt };
}

export type All = ReturnType<typeof readAll>;
