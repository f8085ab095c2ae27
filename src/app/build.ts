import { minifyScript } from './minify-script.js';
import { join, resolve } from 'node:path';
import type { CheckInput } from '../core/check/input.js';
import type { Kept } from '../core/check/result-cache.js';
import type { CheckReport } from '../core/check/verdict.js';
import { forbiddenInPages } from '../core/deployment/deployment.js';
import { isAboutLoading, type Finding } from '../core/finding.js';
import { ProblemError } from '../core/place.js';
import { actionKind } from '../core/action/index.js';
import { proveBuild, type Proof } from '../core/ship/proof.js';
import { prepareShipments, shippingRules } from '../core/ship/shipment.js';
import { Survey, type Answers } from '../core/ship/survey.js';
import { addressText } from '../core/target/run-time-addresses.js';
import { makeBundle, makePages, makeSnippets, patchedPages, type Made, type Making } from './build-forms.js';
import { openCheck, type OpenedCheck } from './check-input.js';
import type { LookCall } from './open.js';
import { parallelCheck } from './parallel-check.js';
import { siteFolder } from './sites.js';

/** What a build is written as. */
export type BuildAs = 'bundle' | 'snippets' | 'pages';

/** Which build to make, and how. */
export interface BuildCall extends LookCall {
  as: BuildAs;
  out?: string;
  /** Whether each site gets a folder of its name. */
  'all-sites': boolean;
  hashed: boolean;
  minify: boolean;
  script: boolean;
}

const defaultFolders = { bundle: 'local-needle', snippets: 'snippets', pages: 'patched' };

/** A site that was checked and is ready to be built. */
export interface ReadyBuild {
  making: Making;
  input: CheckInput;
  report: CheckReport;
  errors: Finding[];
}

/** Reads and checks one site. A page is opened once for both, if what is needed of it is not known yet. Throws ProblemError. */
export async function prepareBuild(call: BuildCall): Promise<ReadyBuild> {
  const opened = openCheck(call);
  const { project, source, content, input: all, learnt, keep } = opened;
  const folder = siteFolder(project.directory, source);
  if (call.as === 'pages' && folder === null)
    throw new ProblemError([
      {
        message: `--as pages copies a folder of HTML, but "${source.name}" is not a folder`,
        hint: 'Write a bundle or snippets for it: --as bundle, --as snippets.',
      },
    ]);
  const { survey, onOpen } = surveyOf(opened);
  const input = { ...all, loading: null, onOpen };
  const report = await parallelCheck(input, lookOf(call), learnt);
  const shipments = prepareShipments({ ...input, ...content, learnt, survey });
  // A build asks other questions than a check, so its answers are kept apart.
  keep(false);
  const base = resolve(call.out ?? defaultFolders[call.as]);
  const making: Making = {
    directory: project.directory,
    site: content.site,
    shipments,
    pathOptions: source.pathOptions,
    place: input.place,
    out: call['all-sites'] ? join(base, source.name) : base,
    minify: call.minify ? minifyScript : null,
    withScript: call.script,
    hashed: call.hashed,
    bundleAddress: source.bundleAddress ?? null,
    source: folder,
    html: content.html,
  };
  const errors = report.findings.filter(({ level, code }) => level === 'error' && !isAboutLoading(code));
  const ready = { making, input, report, errors };
  if (!call.script) requireNoScript(ready, call.as);
  return ready;
}

/** The survey of a build, and how a check asks the pages that it opens. */
export function surveyOf({
  input: { rules, today },
  content,
  learnt,
}: Pick<OpenedCheck, 'input' | 'content'> & { learnt: Kept<Answers> }): {
  survey: Survey;
  onOpen: NonNullable<CheckInput['onOpen']>;
} {
  const survey = new Survey(shippingRules(rules, today), { ...content, learnt });
  return {
    survey,
    onOpen: (page, view, document) => {
      if (view.site === content.site) survey.look(page, document);
    },
  };
}

/** The part of a call that says what is judged. */
const lookOf = ({ project, site, viewport, state, visitor, tolerant }: LookCall): LookCall => ({
  ...{ project, site, viewport, state, visitor, tolerant },
});

function requireNoScript({ making, input }: ReadyBuild, form: BuildAs): void {
  const { whole, toPage } = making.shipments;
  // A patched page does in its own HTML what it can.
  const byScript =
    form === 'pages' &&
    new Set(
      patchedPages({ ...making, withScript: true }).flatMap(({ snippet: { page, inPage } }) =>
        toPage(page).rules.flatMap(({ actions }) =>
          actions.flatMap(({ action }) => (inPage.has(action) ? [] : [action])),
        ),
      ),
    );
  const acting = whole.rules.filter(({ actions }) =>
    actions.some(({ action }) => {
      if (byScript && !byScript.has(action)) return false;
      const { needsScript, loads } = actionKind(action);
      // In a patched page a stylesheet is a link.
      return needsScript(action) && (form === 'bundle' || !loads(action).some(({ kind }) => kind === 'style'));
    }),
  );
  const told = form === 'bundle' ? whole.addresses.list : [];
  if (acting.length === 0 && told.length === 0) return;
  const named = acting.map(({ rule }) => ({
    message: `"${rule.name}" needs local-needle.js, and --no-script forbids it`,
    at: rule.at,
    hint: 'Pause it (paused: yes), or build with the script.',
  }));
  const addresses = told.map((address) => ({
    message: `${addressText(address)} has no unique handle, so local-needle.js matches it by its address, and --no-script forbids that`,
    hint: `Add a unique class to its <body>, or see needs-script in local-needle check${input.paths === 'run-time' ? '; paths: handles in local-needle.yaml uses the existing handles' : ''}.`,
  }));
  throw new ProblemError([...named, ...addresses]);
}

/** Writes a build, reads it back and holds it against what was checked. */
export function makeBuild(
  { as }: Pick<BuildCall, 'as'>,
  { making, input, report }: ReadyBuild,
): { made: Made; proof: Proof } {
  const made = writers[as](making);
  // A page file is the same for everybody, so it leaves out what only one visitor sees.
  const rules = shippingRules(input.rules, input.today).filter((rule) => as === 'bundle' || rule.visitor === null);
  const proof = proveBuild({ ...input, rules }, report.cells, { to: made.to, pathOptions: making.pathOptions });
  const view = input.view(null);
  return {
    made,
    proof: { ...proof, findings: [...proof.findings, ...(view ? forbiddenInPages(made.snippets, view) : [])] },
  };
}

/** How each form is written. */
const writers: Record<BuildAs, (making: Making) => Made> = {
  bundle: makeBundle,
  snippets: makeSnippets,
  pages: (making) => {
    if (making.source === null) throw new Error('Only a folder of HTML can be patched');
    return makePages({ ...making, source: making.source });
  },
};
