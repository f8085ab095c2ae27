import { join, relative } from 'node:path';
import { gzipSync } from 'node:zlib';
import { makeBuild, prepareBuild, type ReadyBuild } from '../app/build.js';
import { bundleFolder, folderOfAddress, pageChanges, snippetsOf, type Made, type Making } from '../app/build-forms.js';
import { pageAt } from '../app/page-at.js';
import { ProblemError } from '../core/place.js';
import type { Proof } from '../core/ship/proof.js';
import { snippetText } from '../core/ship/snippet.js';
import { buildText } from '../report/build.js';
import { diffText } from '../report/fixes.js';
import { findingsText } from '../report/check-text.js';
import { count, firstFew, styleFor } from '../report/text.js';
import { loadsBuild } from '../core/deployment/deployment.js';
import { readForEdit, withSiteKey, writeEdited } from '../project/edit.js';
import { configurationName, findProject, loadSettings } from '../project/settings.js';
import { problemsText } from '../report/problems.js';
import { failOn, statusFor } from './check.js';
import { defineCommand, type ArgumentsOf, status, type Output } from './command.js';

const options = {
  as: {
    choices: ['bundle', 'snippets', 'pages'],
    default: 'bundle',
    describe: 'bundle: one stylesheet and script; snippets: one to paste per page; pages: a patched copy of the folder',
  },
  out: {
    type: 'string',
    describe: 'Output folder, relative to the current directory (default: local-needle, snippets or patched)',
  },
  page: { type: 'string', describe: 'With --as snippets: print the snippet for this page; write nothing' },
  diff: {
    type: 'boolean',
    default: false,
    describe: 'With --as pages: print what changes in the pages; write nothing',
  },
  'all-sites': { type: 'boolean', default: false, describe: 'Build for every site, each in its own folder' },
  hashed: {
    type: 'boolean',
    default: false,
    describe: 'Add a content hash to file names and write manifest.json',
  },
  minify: { type: 'boolean', default: false, describe: 'Remove notes and whitespace' },
  script: { type: 'boolean', default: true, describe: 'Allow local-needle.js; --no-script refuses rules that need it' },
  force: {
    type: 'boolean',
    default: false,
    describe: 'Build in spite of errors; invalid CSS and scripts are left out',
  },
  remember: {
    type: 'boolean',
    default: false,
    describe: 'Write the address of the bundle into local-needle.yaml as bundle-address',
  },
  ...failOn,
} as const;

type BuildArguments = ArgumentsOf<Record<never, never>, typeof options>;

export const command = defineCommand<BuildArguments>({
  options,
  examples: [
    ['$0 build --as bundle --out public/assets', 'local-needle.css, and local-needle.js if a rule needs it'],
    ['$0 build --hashed --minify', 'file names for long-lived caches'],
    ['$0 build --as snippets --page /tickets/pay | xclip', 'one page’s snippet into the clipboard'],
    ['$0 build --as pages --out ../public-with-rules', 'a copy of a folder of HTML with the rules written in'],
    ['$0 build --as pages --diff', 'what would change in its pages'],
    ['$0 build --all-sites', 'each site with its own IDs'],
  ],
  async run(args, { out, log }) {
    requireFitting(args);
    const sites = args['all-sites'] ? loadSettings(findProject(args.project, process.cwd())).sites : [];
    const names = args['all-sites'] ? sites.map(({ name }) => name) : [args.site];
    const style = styleFor(process.stdout, process.env);
    let problems: ProblemError | null = null;
    const ready: ReadyBuild[] = [];
    for (const site of names) {
      try {
        ready.push(await prepareBuild({ ...args, site }));
      } catch (error) {
        // One site must not keep the others from being built.
        if (!args['all-sites'] || !(error instanceof ProblemError)) throw error;
        log(problemsText(error.problems, style));
        log(`${site}: nothing was written.`);
        problems = error;
      }
    }
    const withErrors = ready.filter(({ errors }) => errors.length > 0);
    for (const { making, errors } of withErrors) {
      const which = [...new Set(errors.map(({ code, rule }) => `${code} in ${rule ?? 'a rule file'}`))];
      log(`${making.site.name}: ${count(errors.length, 'error')}${args.force ? `: ${firstFew(which, 5)}` : ''}`);
      if (!args.force) log(findingsText(errors, style).join('\n').trimEnd());
    }
    if (withErrors.length > 0) {
      if (args.force)
        log(
          'Built in spite of them (--force): invalid CSS, invalid scripts and missing files are left out, the rest ships as written.',
        );
      else
        log(
          `${ready.length > 1 ? `Nothing was written for ${withErrors.map(({ making }) => making.site.name).join(', ')}` : 'Nothing was written'}. Fix the errors, pause the rules (local-needle rules pause NAME), or add --force to build in spite of them.`,
        );
    }
    const built = args.force ? ready : ready.filter(({ errors }) => errors.length === 0);
    if (args.page !== undefined && built[0]) return printSnippet(built[0], args, { out, log });
    if (args.diff) {
      const files = new Map(built.flatMap(({ making }) => [...pageChanges(making)]));
      out(files.size > 0 ? diffText({ files }, style) : 'No page changes.');
      return built.length < ready.length ? status.findings : status.fine;
    }
    const findings = built.flatMap((each) => {
      const { made, proof } = makeBuild(args, each);
      out(shown(args, each, made, proof));
      if (args.remember) out(remember(each.making));
      if (proof.findings.length > 0) log(findingsText(proof.findings, style).join('\n').trimEnd());
      return [...each.report.findings, ...proof.findings];
    });
    if (problems !== null) return (problems as ProblemError).kind === 'input' ? status.input : status.access;
    if (built.length < ready.length) return status.findings;
    return statusFor(
      findings.map(({ level }) => level),
      args['fail-on'],
    );
  },
});

/** Writes the address of the bundle into local-needle.yaml. Throws ProblemError if it is not known. */
function remember(making: Making): string {
  const { directory, site, bundleAddress } = making;
  if (bundleAddress !== null) return `bundle-address of ${site.name} is ${bundleAddress} already.`;
  const folder = bundleFolder(making);
  if (folder === '')
    throw new ProblemError([
      {
        message: `The address of the bundle on ${site.name} is not known, so it was not written`,
        hint: `Build into the folder of the site, or write it yourself: sites.${site.name}.bundle-address: /assets/local-needle.css`,
      },
    ]);
  const address = `${folder}local-needle.css`;
  const form = readForEdit(directory, configurationName);
  writeEdited(directory, configurationName, form, withSiteKey(form.text, site.name, 'bundle-address', address));
  return `Wrote bundle-address: ${address} for ${site.name} into ${configurationName}. check now tests how the pages load it.`;
}

function requireFitting(args: BuildArguments): void {
  const refuse = (message: string, hint: string) => {
    throw new ProblemError([{ message, hint }]);
  };
  if (args.page !== undefined && args.as !== 'snippets')
    refuse('--page prints one snippet, so it needs --as snippets', 'Add --as snippets.');
  if (args.diff && args.as !== 'pages')
    refuse(`--diff shows what changes in pages, and --as ${args.as} changes none`, 'Add --as pages.');
  if (args.diff && args['all-sites']) refuse('--diff and --all-sites cannot be combined', 'Name the site with --site.');
  if (args.remember && args.as !== 'bundle')
    refuse(`--remember is about a bundle, and --as ${args.as} makes none`, 'Remove one of the two options.');
  if (args.page !== undefined && args['all-sites'])
    refuse('--page and --all-sites cannot be combined', 'Name the site with --site.');
  if (args.hashed && args.as !== 'bundle')
    refuse(
      `--hashed names the files of a bundle, and --as ${args.as} does not support it`,
      'Remove one of the two options.',
    );
}

function printSnippet({ making }: ReadyBuild, args: BuildArguments, { out, log }: Output): number {
  const { site } = making;
  const page = pageAt(args.page ?? '', site, making.pathOptions);
  const snippet = snippetsOf(making, folderOfAddress(making.bundleAddress)).find((each) => each.page === page);
  if (!snippet) {
    log(`No rule targets ${page.path} on ${site.name}, so it needs no snippet.`);
    return status.fine;
  }
  out(snippetText(snippet, args.minify).trimEnd());
  if (snippet.files.size > 0)
    log(
      `It names ${[...snippet.files.keys()].join(', ')}, to be served below ${folderOfAddress(making.bundleAddress)}; build --as snippets without --page writes them.`,
    );
  return status.fine;
}

function shown(args: BuildArguments, { making, input }: ReadyBuild, made: Made, proof: Proof): string {
  const view = input.view(null);
  const { pages, whole } = making.shipments;
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
    isLoaded: whole.rules.length === 0 || (view !== null && loadsBuild(pages, view, made.bundle?.js ? 'js' : 'css')),
    base: args.as === 'bundle' ? bundleFolder(making) : folderOfAddress(making.bundleAddress),
    proof,
    place: making.place,
  });
}
