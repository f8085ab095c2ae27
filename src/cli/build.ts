import { join, relative, resolve } from 'node:path';
import { gzipSync } from 'node:zlib';
import { prepareShipments } from '../core/build/shipment.js';
import { mustRun } from '../core/build/tasks.js';
import { snippetText } from '../core/build/snippet.js';
import { check } from '../core/check/check.js';
import { isAboutLoading, type Finding } from '../core/check/finding.js';
import { forbiddenInPages } from '../core/check/loading.js';
import type { CheckInput } from '../core/check/plan.js';
import { proveBuild, type Proof } from '../core/check/prove-build.js';
import { ProblemError } from '../core/place.js';
import { ships } from '../core/rule/ships.js';
import type { CheckReport } from '../core/check/verdict.js';
import { buildText } from '../report/build.js';
import { findingsText } from '../report/check-text.js';
import { count, firstFew, styleFor } from '../report/text.js';
import {
  folderOfAddress,
  makeBundle,
  makePages,
  makeSnippets,
  snippetsOf,
  type Made,
  type Making,
} from './build-forms.js';
import { failOn, statusFor, type FailArguments } from './check.js';
import { status, today, type Command, type Output } from './command.js';
import { lookAt, openProject } from './open.js';
import { pageAt } from './page-at.js';
import { siteFolder } from './sites.js';

interface BuildArguments extends FailArguments {
  as: 'bundle' | 'snippets' | 'pages';
  out?: string;
  page?: string;
  'all-sites': boolean;
  hashed: boolean;
  minify: boolean;
  script: boolean;
  anyway: boolean;
}

const defaultFolders = { bundle: 'needle', snippets: 'snippets', pages: 'patched' };

/** A site that was checked and is ready to be built. */
interface Ready {
  making: Making;
  input: CheckInput;
  report: CheckReport;
  errors: Finding[];
}

export const command: Command<BuildArguments> = {
  options: {
    as: {
      choices: ['bundle', 'snippets', 'pages'],
      default: 'bundle',
      describe:
        'One stylesheet and script for all pages, a snippet to paste for each page, or a patched copy of a folder',
    },
    out: {
      type: 'string',
      describe: 'Folder to write to, counted from where you are (default: needle, snippets or patched)',
    },
    page: { type: 'string', describe: 'With --as snippets: print the snippet of this page alone, and write nothing' },
    'all-sites': { type: 'boolean', default: false, describe: 'Build for every site, each in a folder of its name' },
    hashed: {
      type: 'boolean',
      default: false,
      describe: 'Names that change with the content, and a manifest.json that tells them',
    },
    minify: { type: 'boolean', default: false, describe: 'Small: without notes and spaces' },
    script: { type: 'boolean', default: true, describe: 'With --no-script, refuse to build what needs needle.js' },
    anyway: { type: 'boolean', default: false, describe: 'Build what is sound although the check found errors' },
    ...failOn,
  },
  examples: [
    ['$0 build --as bundle --out public/assets', 'needle.css, and needle.js if a rule needs it'],
    ['$0 build --hashed --minify', 'names that no cache keeps too long'],
    ['$0 build --as snippets --page /tickets/pay | xclip', 'one page’s snippet into the clipboard'],
    ['$0 build --as pages --out ../public-with-rules', 'a copy of a folder of HTML with the rules written in'],
    ['$0 build --all-sites', 'each site with its own IDs'],
  ],
  async run(args, { out, log }) {
    requireFitting(args);
    const { settings } = openProject(args).project;
    const names = args['all-sites'] ? settings.sites.map(({ name }) => name) : [args.site];
    const ready = names.map((site) => prepare({ ...args, site }));
    const style = styleFor(process.stdout, process.env);
    const withErrors = ready.filter(({ errors }) => errors.length > 0);
    for (const { making, errors } of withErrors) {
      const which = [...new Set(errors.map(({ code, rule }) => `${code} in ${rule ?? 'a rule file'}`))];
      log(`${making.site.name}: ${count(errors.length, 'error')}${args.anyway ? `: ${firstFew(which, 5)}` : ''}`);
      if (!args.anyway) log(findingsText(errors, style).join('\n').trimEnd());
    }
    if (withErrors.length > 0) {
      if (args.anyway) log('What is sound ships; local-needle check says more.');
      else log('Nothing was written. Mend them, or pause the rules (rules pause NAME); --anyway ships what is sound.');
      if (!args.anyway) return status.findings;
    }
    if (args.page !== undefined && ready[0]) return printSnippet(ready[0], args, { out, log });
    const findings = ready.flatMap((each) => {
      const made = make(args, each);
      const proof = proveBuild(proofInput(each.input, args), each.report.cells, {
        to: made.to,
        pathOptions: each.making.pathOptions,
      });
      out(shown(args, each.making, made, proof));
      const view = each.input.view(null);
      const told = [...proof.findings, ...(view ? forbiddenInPages(made.snippets, view) : [])];
      if (told.length > 0) log(findingsText(told, style).join('\n').trimEnd());
      return [...each.report.findings, ...told];
    });
    return statusFor(
      findings.map(({ level }) => level),
      args['fail-on'],
    );
  },
};

function requireFitting(args: BuildArguments): void {
  const refuse = (message: string, hint: string) => {
    throw new ProblemError([{ message, hint }]);
  };
  if (args.page !== undefined && args.as !== 'snippets')
    refuse('--page prints one snippet, and this is no build of snippets', 'Add --as snippets.');
  if (args.page !== undefined && args['all-sites'])
    refuse('--page and --all-sites do not go together', 'Name the site by --site.');
  if (args.hashed && args.as !== 'bundle')
    refuse(`--hashed names the files of a bundle, and --as ${args.as} has none`, 'Leave one of them out.');
}

/** Reads and checks one site. */
function prepare(args: BuildArguments): Ready {
  const { project, source, content } = openProject(args);
  const look = lookAt(args, project, source, content);
  const input: CheckInput = {
    ...look,
    rules: project.rules,
    findings: [...project.findings, ...content.findings],
    others: [],
    today: today(),
  };
  const report = check(input);
  const folder = siteFolder(project.directory, source);
  if (args.as === 'pages' && folder === null)
    throw new ProblemError([
      {
        message: `--as pages copies a folder of HTML, and "${source.name}" is none`,
        hint: 'Write a bundle or snippets for it: --as bundle, --as snippets.',
      },
    ]);
  const shipments = prepareShipments({ ...input, site: content.site, open: content.open });
  const base = resolve(args.out ?? defaultFolders[args.as]);
  const making: Making = {
    directory: project.directory,
    site: content.site,
    shipments,
    pathOptions: source.pathOptions,
    place: look.place,
    out: args['all-sites'] ? join(base, source.name) : base,
    minify: args.minify,
    withScript: args.script,
    hashed: args.hashed,
    bundleAddress: source.bundleAddress ?? null,
    source: folder,
  };
  const errors = report.findings.filter(({ level, code }) => level === 'error' && !isAboutLoading(code));
  const ready = { making, input, report, errors };
  if (!args.script) requireNoScript(ready, args.as);
  return ready;
}

function requireNoScript({ making, input }: Ready, form: BuildArguments['as']): void {
  const { whole } = making.shipments;
  const acting = whole.rules.filter(({ actions }) =>
    actions.some(({ action }) => mustRun(action) && (form === 'bundle' || action.kind !== 'stylesheet')),
  );
  const marked = form === 'bundle' ? whole.marks.list : [];
  if (acting.length === 0 && marked.length === 0) return;
  const named = acting.map(({ rule }) => ({
    message: `"${rule.name}" needs needle.js, and --no-script forbids it`,
    at: rule.at,
    hint: 'Pause it (paused: yes), or build with the script.',
  }));
  const told = marked.map(({ path, pattern, name }) => ({
    message: `needle.js must tell ${path ?? pattern ?? name} by its address, and --no-script forbids it`,
    hint: `Give the page a class of its own on its body, or see needs-script in local-needle check${input.paths === 'run-time' ? '; paths: handles in local-needle.yaml uses those that are there' : ''}.`,
  }));
  throw new ProblemError([...named, ...told]);
}

function make(args: BuildArguments, { making }: Ready): Made {
  const { source } = making;
  if (args.as === 'bundle') return makeBundle(making);
  if (args.as === 'snippets' || source === null) return makeSnippets(making);
  return makePages({ ...making, source });
}

/** Rules that ship, as the build was written for; what only a visitor sees is not in a page of everybody. */
function proofInput(input: CheckInput, { as }: BuildArguments): CheckInput {
  const rules = input.rules.filter((rule) => ships(rule, input.today) && (as === 'bundle' || rule.visitor === null));
  return { ...input, rules };
}

function printSnippet({ making }: Ready, args: BuildArguments, { out, log }: Output): number {
  const { site } = making;
  const page = pageAt(args.page ?? '', site, making.pathOptions);
  const snippet = snippetsOf(making, folderOfAddress(making.bundleAddress)).find((each) => each.page === page);
  if (!snippet) {
    log(`No rule is for ${page.path} of ${site.name}: it needs no snippet.`);
    return status.fine;
  }
  out(snippetText(snippet, args.minify).trimEnd());
  if (snippet.files.size > 0)
    log(
      `It names ${[...snippet.files.keys()].join(', ')}, to be served below ${folderOfAddress(making.bundleAddress)}; build --as snippets without --page writes them.`,
    );
  return status.fine;
}

function shown(args: BuildArguments, making: Making, made: Made, proof: Proof): string {
  const folder = relative(process.cwd(), making.out) || '.';
  const zipped = made.bundle?.js ? gzipSync(made.bundle.js.text).length : null;
  return buildText({
    site: making.site.name,
    rules: making.shipments.whole.rules.length,
    pages: making.shipments.pages.length,
    left: making.shipments.left,
    files: [...made.files].map(([name, size]) => ({ name: join(folder, name), size })),
    folder,
    zipped: made.bundle?.js ? { name: join(folder, made.bundle.js.name), size: zipped ?? 0 } : null,
    summary: made.summary,
    bundle: made.bundle,
    base: folderOfAddress(making.bundleAddress ?? (args.as === 'bundle' ? '' : null)),
    proof,
    place: making.place,
  });
}
